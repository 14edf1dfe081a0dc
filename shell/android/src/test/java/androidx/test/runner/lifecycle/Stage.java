package androidx.test.runner.lifecycle;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public enum Stage {
    PRE_ON_CREATE,
    CREATED,
    STARTED,
    RESUMED,
    PAUSED,
    STOPPED,
    RESTARTED,
    DESTROYED
}
