package androidx.test.runner.intent;

/** A stand-in for a hook that the test framework calls and these tests do not need: its own library is in no registry used here. */
public final class IntentStubberRegistry {
    private IntentStubberRegistry() {}

    public static boolean isLoaded() {
        return false;
    }

    public static IntentStubber getInstance() {
        throw new IllegalStateException("none is loaded");
    }
}
