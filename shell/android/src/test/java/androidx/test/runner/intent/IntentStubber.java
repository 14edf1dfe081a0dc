package androidx.test.runner.intent;

import android.app.Instrumentation;
import android.content.Intent;

/** A stand-in for a hook that the test framework calls and these tests do not need: its own library is in no registry used here. */
public interface IntentStubber {
    Instrumentation.ActivityResult getActivityResultForIntent(Intent intent);
}
