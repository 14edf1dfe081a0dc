package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Activity;
import android.content.Intent;
import android.net.Uri;
import android.webkit.WebResourceRequest;

import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.annotation.Config;

import java.util.Collections;
import java.util.Map;

/** Where each address goes: into the app, to the browser, to another app, or nowhere. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class NavigationTest {
    private Activity activity;
    private PageClient client;

    /** A request as the engine makes it. */
    static final class Request implements WebResourceRequest {
        private final Uri url;
        private final boolean main;
        private final boolean gesture;
        private final boolean redirect;

        Request(String url, boolean main, boolean gesture) {
            this(url, main, gesture, false);
        }

        private Request(String url, boolean main, boolean gesture, boolean redirect) {
            this.url = Uri.parse(url);
            this.main = main;
            this.gesture = gesture;
            this.redirect = redirect;
        }

        /** Where a host leads a page by itself. */
        static Request led(String url) {
            return new Request(url, true, false, true);
        }

        @Override
        public Uri getUrl() {
            return url;
        }

        @Override
        public boolean isForMainFrame() {
            return main;
        }

        @Override
        public boolean isRedirect() {
            return redirect;
        }

        @Override
        public boolean hasGesture() {
            return gesture;
        }

        @Override
        public String getMethod() {
            return "GET";
        }

        @Override
        public Map<String, String> getRequestHeaders() {
            return Collections.emptyMap();
        }
    }

    static final class QuietHost implements PageClient.Host {
        @Override
        public void pageVisible() {}

        @Override
        public String pageBegins() {
            return "";
        }

        @Override
        public void signIn(
                android.webkit.WebView view,
                String host,
                String realm,
                android.webkit.HttpAuthHandler handler) {}

        @Override
        public void sendAgain(android.os.Message no, android.os.Message yes) {}

        @Override
        public void chooseCertificate(android.webkit.ClientCertRequest request) {}

        @Override
        public void pageAt(String url, boolean isOutside) {
            outside = isOutside;
        }

        boolean outside;

        String failed;
        int shown;

        @Override
        public void historyChanged() {}

        @Override
        public void pageFailed(String url, Trouble why) {
            failed = why + " " + url;
        }

        @Override
        public void pageShown() {
            shown++;
        }

        @Override
        public void rendererGone() {}
    }

    @Before
    public void start() throws Exception {
        activity = Robolectric.setupActivity(Activity.class);
        ShellSettings settings = TestSite.settings("/", false);
        client =
                new PageClient(
                        new PackedSite(TestSite.assets(), settings),
                        TestSite.links(activity, settings),
                        settings,
                        new QuietHost());
    }

    private boolean leaves(String url) {
        return client.shouldOverrideUrlLoading(null, new Request(url, true, true));
    }

    private Intent started() {
        return shadowOf(activity).getNextStartedActivity();
    }

    @Test
    public void keepsTheAppsOwnPagesInside() {
        assertFalse(leaves("https://example.saltmarsh.ferry.invalid/tickets.html?day=2#top"));
        assertFalse(leaves("https://EXAMPLE.saltmarsh.ferry.invalid/"));
        assertFalse(leaves("https://example.saltmarsh.ferry.invalid:443/"));
        assertFalse(leaves("about:blank"));
        assertNull(started());
    }

    @Test
    public void opensOtherPagesInTheBrowser() {
        assertTrue(leaves("https://weather.saltmarsh.example/harbour"));
        Intent intent = started();
        assertEquals(Intent.ACTION_VIEW, intent.getAction());
        assertEquals("https://weather.saltmarsh.example/harbour", intent.getDataString());
        assertTrue(intent.hasCategory(Intent.CATEGORY_BROWSABLE));
        assertTrue(leaves("https://example.saltmarsh.ferry.invalid.evil.example/"));
        assertTrue(leaves("http://example.saltmarsh.ferry.invalid/"));
        assertTrue(leaves("https://example.saltmarsh.ferry.invalid:8443/"));
    }

    @Test
    public void handsMailAndTelephoneToTheirApps() {
        assertTrue(leaves("mailto:quay@saltmarsh.example"));
        assertEquals("mailto:quay@saltmarsh.example", started().getDataString());
        assertTrue(leaves("tel:+4700000000"));
        assertEquals("tel:+4700000000", started().getDataString());
    }

    @Test
    public void neverOpensFilesOrOtherAppsParts() {
        assertTrue(leaves("file:///data/data/x/secret"));
        assertTrue(leaves("content://contacts/1"));
        assertNull(started());
        assertTrue(
                leaves(
                        "intent://pay#Intent;scheme=wallet;component=victim.app/.Hidden;SEL;action=x;end"));
        Intent intent = started();
        assertNull(intent.getComponent());
        assertNull(intent.getSelector());
        assertTrue(intent.hasCategory(Intent.CATEGORY_BROWSABLE));
        assertTrue(leaves("intent:file:///sdcard/x#Intent;action=android.intent.action.VIEW;end"));
        assertNull(started());
    }

    @Test
    public void opensAnAppOnlyOnTheUsersTouch() {
        assertTrue(
                client.shouldOverrideUrlLoading(null, new Request("tel:+4700000000", true, false)));
        assertTrue(
                client.shouldOverrideUrlLoading(
                        null, new Request("tel:+4700000000", false, false)));
        assertNull(started());
    }

    @Test
    public void letsFramesShowAnyPage() {
        assertFalse(
                client.shouldOverrideUrlLoading(
                        null,
                        new Request("https://weather.saltmarsh.example/widget", false, false)));
        assertNull(started());
    }

    private static android.webkit.WebResourceResponse status(int code) {
        return new android.webkit.WebResourceResponse(
                "text/html", "utf-8", code, "x", Collections.<String, String>emptyMap(), null);
    }

    @Test
    public void whatDoesNotComeIsAnsweredAsTheVectorsSay() throws Exception {
        org.json.JSONArray cases =
                new org.json.JSONObject(TestSite.vectors("trouble.json")).getJSONArray("cases");
        for (int i = 0; i < cases.length(); i++) {
            org.json.JSONObject one = cases.getJSONObject(i);
            QuietHost host = new QuietHost();
            ShellSettings settings =
                    TestSite.parse(
                            TestSite.json("/", true)
                                    .put("errors", one.getJSONObject("errors"))
                                    .toString());
            PageClient own =
                    new PageClient(
                            new PackedSite(TestSite.assets(), settings),
                            TestSite.links(activity, settings),
                            settings,
                            host);
            boolean isOwn = one.getBoolean("own");
            String url = (isOwn ? TestSite.ORIGIN : "https://elsewhere.example") + "/x";
            Request page = new Request(url, true, false);
            Object outcome = one.get("outcome");
            if (outcome instanceof Integer) {
                own.onReceivedHttpError(null, page, status((Integer) outcome));
            } else {
                own.onReceivedError(null, page, failure("unsafe".equals(outcome)));
            }
            String said = "page";
            for (Trouble why : Trouble.values()) {
                if (host.failed != null && host.failed.startsWith(why.name() + " ")) {
                    said = why.title.replace("Title", "");
                }
            }
            assertEquals(one.toString(), one.getString("answers"), said);
        }
    }

    private static android.webkit.WebResourceError failure(final boolean unsafe) {
        return new android.webkit.WebResourceError() {
            @Override
            public int getErrorCode() {
                return unsafe
                        ? android.webkit.WebViewClient.ERROR_FAILED_SSL_HANDSHAKE
                        : android.webkit.WebViewClient.ERROR_HOST_LOOKUP;
            }

            @Override
            public CharSequence getDescription() {
                return "x";
            }
        };
    }

    @Test
    public void aServersErrorIsThePagesUnlessTheAppWantsTheShell() throws Exception {
        for (String who : new String[] {"page", "shell"}) {
            QuietHost host = new QuietHost();
            ShellSettings settings =
                    TestSite.parse(
                            TestSite.json("/", true)
                                    .put(
                                            "errors",
                                            new org.json.JSONObject()
                                                    .put("notFound", who)
                                                    .put("server", who))
                                    .toString());
            PageClient own =
                    new PageClient(
                            new PackedSite(TestSite.assets(), settings),
                            TestSite.links(activity, settings),
                            settings,
                            host);
            Request page = new Request(TestSite.ORIGIN + "/x", true, false);
            own.onReceivedHttpError(
                    null, new Request(TestSite.ORIGIN + "/picture.png", false, false), status(404));
            assertNull("parts of a page fail by themselves", host.failed);
            own.onReceivedHttpError(null, page, status(404));
            assertEquals(
                    who.equals("shell") ? "NOT_FOUND " + TestSite.ORIGIN + "/x" : null,
                    host.failed);
            own.onReceivedHttpError(null, page, status(503));
            assertEquals(
                    who.equals("shell") ? "SERVER " + TestSite.ORIGIN + "/x" : null, host.failed);
            host.failed = null;
            own.onReceivedHttpError(null, page, status(401));
            assertNull("signing in is the page's", host.failed);
        }
    }
}
