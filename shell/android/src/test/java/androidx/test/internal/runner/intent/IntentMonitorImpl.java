package androidx.test.internal.runner.intent;

import android.content.Intent;

import androidx.test.runner.intent.IntentMonitor;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public final class IntentMonitorImpl implements IntentMonitor {
    public void signalIntent(Intent intent) {}
}
