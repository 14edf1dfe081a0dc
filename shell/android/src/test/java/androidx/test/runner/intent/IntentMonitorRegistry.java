package androidx.test.runner.intent;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public final class IntentMonitorRegistry {
    private IntentMonitorRegistry() {}

    public static void registerInstance(IntentMonitor monitor) {}
}
