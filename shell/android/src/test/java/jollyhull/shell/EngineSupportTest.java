package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.NotificationManager;
import android.content.ComponentName;
import android.content.Context;
import android.net.Uri;
import android.os.Looper;
import android.webkit.WebSettings;
import android.webkit.WebView;

import org.chromium.support_lib_boundary.JsReplyProxyBoundaryInterface;
import org.chromium.support_lib_boundary.WebMessageBoundaryInterface;
import org.chromium.support_lib_boundary.WebSettingsBoundaryInterface;
import org.chromium.support_lib_boundary.WebViewProviderBoundaryInterface;
import org.chromium.support_lib_boundary.WebViewProviderFactoryBoundaryInterface;
import org.chromium.support_lib_boundary.WebkitToCompatConverterBoundaryInterface;
import org.chromium.support_lib_glue.SupportLibReflectionUtil;
import org.json.JSONArray;
import org.json.JSONObject;
import org.junit.After;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;

import java.lang.reflect.InvocationHandler;
import java.lang.reflect.Method;
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
    private static final String PAGE = TestSite.ORIGIN + "/alerts.html";
    private static boolean passkeys;
    private static boolean hasOrigins;

    public static final class Opened extends PageActivity {
        @Override
        ShellSettings readSettings() {
            try {
                JSONObject json = TestSite.json("/", false).put("passkeys", passkeys);
                if (hasOrigins) {
                    json.put("origins", new JSONArray(Arrays.asList(ORIGINS)))
                            .put("port", "hullTestPort")
                            .put("noticeScript", "window.hullNotes")
                            .put(
                                    "permissions",
                                    new JSONObject()
                                            .put("notifications", permission("Tells of delays."))
                                            .put("clipboard-read", permission("Takes numbers.")));
                }
                return TestSite.parse(json.toString());
            } catch (Exception e) {
                throw new AssertionError(e);
            }
        }

        @Override
        ClassLoader engineLoader() {
            return EngineSupportTest.class.getClassLoader();
        }
    }

    private static final String[] ORIGINS = {TestSite.ORIGIN, "https://*.saltmarsh.example"};

    private static JSONObject permission(String reason) throws Exception {
        return new JSONObject()
                .put("reason", reason)
                .put("allow", "x")
                .put("system", new JSONArray());
    }

    /** An engine with these features. */
    private static final class Engine
            implements WebViewProviderFactoryBoundaryInterface,
                    WebViewProviderBoundaryInterface,
                    WebkitToCompatConverterBoundaryInterface,
                    WebSettingsBoundaryInterface {
        final List<String> told = new ArrayList<>();
        InvocationHandler listener;
        private String answer;
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
        public void addWebMessageListener(String name, String[] origins, InvocationHandler taker) {
            told.add("port " + name + " for " + Arrays.toString(origins));
            listener = taker;
        }

        /** What the engine does with a page's message; what went back, else null. */
        String say(boolean isMainFrame, String text) throws Throwable {
            answer = null;
            Method said =
                    Listening.class.getMethod(
                            "onPostMessage",
                            WebView.class,
                            InvocationHandler.class,
                            Uri.class,
                            boolean.class,
                            InvocationHandler.class);
            Object[] given = {
                null,
                SupportLibReflectionUtil.handlerOf((WebMessageBoundaryInterface) () -> text),
                Uri.parse(TestSite.ORIGIN),
                isMainFrame,
                SupportLibReflectionUtil.handlerOf(
                        (JsReplyProxyBoundaryInterface) back -> answer = back)
            };
            listener.invoke(null, said, given);
            shadowOf(Looper.getMainLooper()).idle();
            return answer;
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

    /** As the engine has it: methods are found by their names. */
    public interface Listening {
        void onPostMessage(
                WebView view,
                InvocationHandler message,
                Uri origin,
                boolean isMainFrame,
                InvocationHandler reply);

        String[] getSupportedFeatures();
    }

    @Before
    public void declare() {
        Background.executor = Runnable::run;
        passkeys = true;
        hasOrigins = false;
        shadowOf(RuntimeEnvironment.getApplication().getPackageManager())
                .addActivityIfNotPresent(
                        new ComponentName(RuntimeEnvironment.getApplication(), Opened.class));
    }

    @After
    public void forget() {
        SupportLibReflectionUtil.engine = null;
    }

    private static Opened activity;
    private static WebView pages;

    private static Engine open(String... features) {
        Engine engine = new Engine(features);
        SupportLibReflectionUtil.engine = engine;
        activity = Robolectric.buildActivity(Opened.class).setup().get();
        pages = TestSite.find(TestSite.root(activity), WebView.class);
        return engine;
    }

    private static Object bridge(String name) {
        return shadowOf(pages).getJavascriptInterface(name);
    }

    @Test
    public void pagesSpeakByTheEnginesOwnMessagesWhereItHasThem() throws Throwable {
        hasOrigins = true;
        Engine engine = open("DOCUMENT_START_SCRIPT:1", "WEB_MESSAGE_LISTENER");
        String list = Arrays.toString(ORIGINS);
        assertEquals("port hullPort for " + list, engine.told.get(0));
        String script = engine.told.get(1);
        assertTrue(script, script.startsWith("script (hullTestPort)('granted');hullKept;"));
        assertTrue("in each of the origins", script.endsWith(" for " + list));
        assertNull("no frame finds what only a token opens", bridge(PageServices.BRIDGE));
        assertNull(bridge(Notices.BRIDGE));
        assertEquals(
                "WEB_MESSAGE_LISTENER",
                ((String[])
                                engine.listener.invoke(
                                        null,
                                        Listening.class.getMethod("getSupportedFeatures"),
                                        null))
                        [0]);

        assertEquals("[4,\"prompt\"]", engine.say(true, "[4,\"state\",\"clipboard-read\"]"));
        assertNull(
                "a frame in a page is not the page",
                engine.say(false, "[4,\"state\",\"clipboard-read\"]"));
        assertEquals("[5,\"granted\"]", engine.say(true, "[5,\"notices\"]"));
        assertEquals("[6,\"granted\"]", engine.say(true, "[6,\"ask\"]"));
        assertEquals(
                "[7,true]", engine.say(true, "[7,\"take\",1,\"data:text/plain;base64,QQ==\"]"));
        assertEquals("[8,false]", engine.say(true, "[8,\"take\",1,\"data:;base64,A\"]"));

        pages.loadUrl(PAGE);
        engine.say(true, "[0,\"show\",\"{\\\"id\\\":\\\"a\\\",\\\"title\\\":\\\"Late\\\"}\"]");
        NotificationManager manager =
                (NotificationManager)
                        RuntimeEnvironment.getApplication()
                                .getSystemService(Context.NOTIFICATION_SERVICE);
        assertEquals(1, shadowOf(manager).size());
        engine.say(true, "[0,\"close\",\"a\"]");
        assertEquals(0, shadowOf(manager).size());

        engine.say(true, "[0,\"call\",9,\"nothing\",\"{}\"]");
        assertEquals(
                "hullKept.answer(9, '', 'DataError')",
                shadowOf(pages).getLastEvaluatedJavascript());
        for (String odd :
                new String[] {"", "x", "{}", "[]", "[1]", "[1,\"state\"]", "[1,\"show\"]"}) {
            assertNull(odd, engine.say(true, odd));
        }
    }

    @Test
    public void withoutMessagesATokenOpensTheWay() {
        hasOrigins = true;
        assertEquals(1, open("DOCUMENT_START_SCRIPT:1").told.size());
        assertNotNull(bridge(PageServices.BRIDGE));
        assertNotNull(bridge(Notices.BRIDGE));
        assertTrue("a port needs its script", open("WEB_MESSAGE_LISTENER").told.isEmpty());
        assertNotNull(bridge(PageServices.BRIDGE));
        hasOrigins = false;
        assertEquals(
                "origins that cannot be said to the engine",
                1,
                open("DOCUMENT_START_SCRIPT:1", "WEB_MESSAGE_LISTENER").told.size());
        assertNotNull(bridge(PageServices.BRIDGE));
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
                        .runAtStart(null, "1", new String[] {"https://a.example"}));
        assertFalse(
                EngineSupport.of(null).runAtStart(null, "1", new String[] {"https://a.example"}));
        assertFalse(
                EngineSupport.of(ClassLoader.getSystemClassLoader().getParent())
                        .runAtStart(null, "1", new String[] {"https://a.example"}));
        EngineSupport.loader();
    }
}
