package jollyhull.shell;

/** Why a page is not shown, and under which words the user reads of it. */
enum Trouble {
    OFFLINE("offline"),
    UNSAFE("unsafe"),
    NOT_FOUND("notFound"),
    SERVER("server"),
    /** The engine's own process ended again and again. */
    STOPPED("stopped"),
    /** The device has no engine, or it is turned off or being updated. */
    NO_ENGINE("noEngine");

    final String title;
    final String text;

    Trouble(String word) {
        title = word + "Title";
        text = word + "Text";
    }
}
