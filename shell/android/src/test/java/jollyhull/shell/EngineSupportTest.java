package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.content.ComponentName;
import android.webkit.WebSettings;
import android.webkit.WebView;

import org.chromium.support_lib_boundary.WebSettingsBoundaryInterface;
import org.chromium.support_lib_boundary.WebViewProviderBoundaryInterface;
import org.chromium.support_lib_boundary.WebViewProviderFactoryBoundaryInterface;
import org.chromium.support_lib_boundary.WebkitToCompatConverterBoundaryInterface;
import org.chromium.support_lib_glue.SupportLibReflectionUtil;
import org.junit.After;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;

import java.lang.reflect.InvocationHandler;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * What engines offer beyond the framework's classes is used where it is there, and missed where it
 * is not.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class EngineSupportTest {
    private static boolean passkeys;

    public static final class Opened extends PageActivity {
        @Override
        ShellSettings readSettings() {
            try {
                return TestSite.parse(
                        TestSite.json("/", false).put("passkeys", passkeys).toString());
            } catch (Exception e) {
                throw new AssertionError(e);
            }
        }

        @Override
        ClassLoader engineLoader() {
            return EngineSupportTest.class.getClassLoader();
        }
    }

    /** An engine with these features. */
    private static final class Engine
            implements WebViewProviderFactoryBoundaryInterface,
                    WebViewProviderBoundaryInterface,
                    WebkitToCompatConverterBoundaryInterface,
                    WebSettingsBoundaryInterface {
        final List<String> told = new ArrayList<>();
        private final String[] features;

        Engine(String... features) {
            this.features = features;
        }

        private InvocationHandler self() {
            return SupportLibReflectionUtil.handlerOf(this);
        }

        @Override
        public InvocationHandler createWebView(WebView view) {
            return self();
        }

        @Override
        public InvocationHandler getWebkitToCompatConverter() {
            return self();
        }

        @Override
        public String[] getSupportedFeatures() {
            return features;
        }

        @Override
        public InvocationHandler addDocumentStartJavaScript(String script, String[] origins) {
            told.add("script " + script + " for " + Arrays.toString(origins));
            return self();
        }

        @Override
        public InvocationHandler convertSettings(WebSettings settings) {
            return self();
        }

        @Override
        public void setWebauthnSupport(int support) {
            told.add("passkeys " + support);
        }

        @Override
        public void setPaymentRequestEnabled(boolean enabled) {
            told.add("payments " + enabled);
        }
    }

    @Before
    public void declare() {
        passkeys = true;
        shadowOf(RuntimeEnvironment.getApplication().getPackageManager())
                .addActivityIfNotPresent(
                        new ComponentName(RuntimeEnvironment.getApplication(), Opened.class));
    }

    @After
    public void forget() {
        SupportLibReflectionUtil.engine = null;
    }

    private static Engine open(String... features) {
        Engine engine = new Engine(features);
        SupportLibReflectionUtil.engine = engine;
        Robolectric.buildActivity(Opened.class).setup();
        return engine;
    }

    @Test
    public void theShellsScriptsRunBeforeAnyOfThePages() {
        Engine engine = open("DOCUMENT_START_SCRIPT:1", "SOMETHING_ELSE");
        assertEquals(1, engine.told.size());
        String told = engine.told.get(0);
        assertTrue(told, told.startsWith("script hullKept;"));
        assertTrue(
                "which opens them at once",
                told.matches("(?s).*hullKept\\.open\\('[0-9a-f-]{36}'\\).*"));
        assertTrue(
                "in the app's own origin alone", told.endsWith(" for [" + TestSite.ORIGIN + "]"));
    }

    @Test
    public void passkeysAndPaymentsAreThereWhereTheEngineHasThem() {
        assertEquals(
                Arrays.asList("passkeys 1", "payments true"),
                open("WEB_AUTHENTICATION:dev", "PAYMENT_REQUEST").told);
        passkeys = false;
        assertEquals(
                "no host is associated with the app",
                Arrays.asList("payments true"),
                open("WEB_AUTHENTICATION", "PAYMENT_REQUEST").told);
    }

    @Test
    public void anEngineWithoutAllThatIsUsedAsItIs() {
        assertTrue(open().told.isEmpty());
        SupportLibReflectionUtil.engine = "another engine";
        assertFalse(
                EngineSupport.of(getClass().getClassLoader())
                        .runAtStart(null, "1", "https://a.example"));
        assertFalse(EngineSupport.of(null).runAtStart(null, "1", "https://a.example"));
        assertFalse(
                EngineSupport.of(ClassLoader.getSystemClassLoader().getParent())
                        .runAtStart(null, "1", "https://a.example"));
        EngineSupport.loader();
    }
}
