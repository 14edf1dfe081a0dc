package androidx.test.runner.intent;

import android.app.Instrumentation;
import android.content.Intent;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public interface IntentStubber {
    Instrumentation.ActivityResult getActivityResultForIntent(Intent intent);
}
