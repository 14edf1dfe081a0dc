package androidx.test.runner.intent;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public final class IntentStubberRegistry {
    private IntentStubberRegistry() {}

    public static boolean isLoaded() {
        return false;
    }

    public static IntentStubber getInstance() {
        throw new IllegalStateException("none is loaded");
    }
}
