package androidx.test.runner.lifecycle;

/** A stand-in for a hook that the test framework calls and these tests do not need: its own library is in no registry used here. */
public interface ActivityLifecycleMonitor {}
