package androidx.test.platform.app;

import android.app.Instrumentation;
import android.os.Bundle;

/** A stand-in for a hook that the test framework calls and that these tests do not need. */
public final class InstrumentationRegistry {
    private static Instrumentation current;

    private InstrumentationRegistry() {}

    public static void registerInstance(Instrumentation instrumentation, Bundle arguments) {
        current = instrumentation;
    }

    public static Instrumentation getInstrumentation() {
        return current;
    }
}
