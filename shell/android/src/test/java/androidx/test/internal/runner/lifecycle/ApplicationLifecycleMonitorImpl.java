package androidx.test.internal.runner.lifecycle;

import android.app.Application;

import androidx.test.runner.lifecycle.ApplicationLifecycleMonitor;
import androidx.test.runner.lifecycle.ApplicationStage;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public final class ApplicationLifecycleMonitorImpl implements ApplicationLifecycleMonitor {
    public void signalLifecycleChange(Application application, ApplicationStage stage) {}
}
