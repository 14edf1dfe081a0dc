package androidx.test.internal.runner.lifecycle;

import android.app.Activity;

import androidx.test.runner.lifecycle.ActivityLifecycleMonitor;
import androidx.test.runner.lifecycle.Stage;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public final class ActivityLifecycleMonitorImpl implements ActivityLifecycleMonitor {
    public void signalLifecycleChange(Stage stage, Activity activity) {}
}
