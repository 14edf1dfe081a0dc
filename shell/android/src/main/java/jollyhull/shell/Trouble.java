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
    NO_ENGINE("noEngine"),
    /** The start leads to a sign-in that is shown in a browser. */
    SIGN_IN("signIn", "", "askYes");

    final String title;
    final String text;

    /** What its button says. */
    final String button;

    Trouble(String word) {
        this(word + "Title", word + "Text", "retry");
    }

    Trouble(String title, String text, String button) {
        this.title = title;
        this.text = text;
        this.button = button;
    }
}
