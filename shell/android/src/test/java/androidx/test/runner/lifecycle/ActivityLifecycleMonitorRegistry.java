package androidx.test.runner.lifecycle;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public final class ActivityLifecycleMonitorRegistry {
    private ActivityLifecycleMonitorRegistry() {}

    public static void registerInstance(ActivityLifecycleMonitor monitor) {}
}
