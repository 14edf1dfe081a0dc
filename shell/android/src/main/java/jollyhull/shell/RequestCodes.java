package jollyhull.shell;

/**
 * Under which numbers the activities ask the system and other apps; each answer comes back under
 * its own.
 */
final class RequestCodes {
    /** First of the questions for permissions; each has its own. */
    static final int FIRST_PERMISSION = 4000;

    static final int FILES = 4500;
    static final int SAVE = 4600;

    private RequestCodes() {}
}
