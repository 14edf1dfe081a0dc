package androidx.test.runner.lifecycle;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public enum ApplicationStage {
    PRE_ON_CREATE,
    CREATED
}
