package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Application;
import android.content.ComponentName;
import android.content.Intent;
import android.content.IntentFilter;
import android.content.pm.PackageManager;
import android.net.Uri;
import android.os.Handler;
import android.os.Looper;
import android.os.Message;
import android.view.View;
import android.webkit.WebView;
import android.webkit.WebViewClient;

import org.junit.After;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;

/**
 * Who is asked to sign somebody in may refuse to be shown in an app's own view: a tab of the
 * browser has them, where the answer finds its way back by the system.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class SignInTest {
    private static final String PAGE = TestSite.ORIGIN + "/tickets/";
    private static final String LINK = "https://ferry.saltmarsh.example/signed-in";

    public static final class Opened extends GivenActivity {}

    private final Application app = RuntimeEnvironment.getApplication();
    private ActivityController<Opened> controller;
    private WebView pages;

    @Before
    public void open() throws Exception {
        GivenActivity.json =
                TestSite.json("/", true).put("base", TestSite.ORIGIN + "/").put("scheme", "ferry");
        ComponentName self = new ComponentName(app, Opened.class);
        PackageManager packages = app.getPackageManager();
        shadowOf(packages).addActivityIfNotPresent(self);
        IntentFilter own = viewFilter("ferry");
        shadowOf(packages).addIntentFilterForActivity(self, own);
        IntentFilter linked = viewFilter("https");
        linked.addDataAuthority("ferry.saltmarsh.example", null);
        shadowOf(packages).addIntentFilterForActivity(self, linked);
        controller =
                Robolectric.buildActivity(Opened.class, new Intent(Intent.ACTION_MAIN)).setup();
        pages = find(WebView.class);
    }

    private static IntentFilter viewFilter(String scheme) throws Exception {
        IntentFilter filter = new IntentFilter(Intent.ACTION_VIEW);
        filter.addCategory(Intent.CATEGORY_DEFAULT);
        filter.addCategory(Intent.CATEGORY_BROWSABLE);
        filter.addDataScheme(scheme);
        return filter;
    }

    @After
    public void close() {
        GivenActivity.json = null;
    }

    private <T extends View> T find(Class<T> type) {
        return TestSite.find(TestSite.root(controller.get()), type);
    }

    private static String asks(String answer) {
        return "https://id.saltmarsh.example/authorize?response_type=code&client_id=ferry"
                + "&redirect_uri="
                + Uri.encode(answer);
    }

    private WebViewClient client() {
        return shadowOf(pages).getWebViewClient();
    }

    private void show(String url) {
        client().onPageStarted(pages, url, null);
        client().doUpdateVisitedHistory(pages, url, false);
        client().onPageCommitVisible(pages, url);
        client().onPageFinished(pages, url);
    }

    private boolean leaves(String url, boolean isRedirect) {
        return client().shouldOverrideUrlLoading(
                        pages,
                        isRedirect
                                ? NavigationTest.Request.led(url)
                                : new NavigationTest.Request(url, true, true));
    }

    private Intent started() {
        return shadowOf(controller.get()).getNextStartedActivity();
    }

    private static void assertTab(String url, Intent tab) {
        assertNotNull(url, tab);
        assertEquals(Uri.parse(url), tab.getData());
        assertTrue("a tab", tab.hasExtra(TabsProtocol.EXTRA_SESSION));
        assertEquals(0xff0b4f6c, tab.getIntExtra(TabsProtocol.EXTRA_TOOLBAR_COLOR, 0));
        assertEquals("over the app", 0, tab.getFlags() & Intent.FLAG_ACTIVITY_NEW_TASK);
        assertTrue(
                "a browser, whatever app claims the address",
                tab.getSelector().hasCategory(Intent.CATEGORY_BROWSABLE));
    }

    @Test
    public void aRequestWhoseAnswerLeadsBackGetsATab() {
        show(PAGE);
        for (String answer : new String[] {"ferry:/signed-in", LINK}) {
            assertTrue(leaves(asks(answer), false));
            assertTab(asks(answer), started());
            assertTrue("also where the page was led there", leaves(asks(answer), true));
            assertTab(asks(answer), started());
        }
        assertNull("the page is still on screen", find(TroubleView.class));
        controller.newIntent(new Intent(Intent.ACTION_VIEW, Uri.parse("ferry:/signed-in?code=1")));
        assertEquals(TestSite.ORIGIN + "/signed-in?code=1", shadowOf(pages).getLastLoadedUrl());
    }

    @Test
    public void anyOtherAddressGoesTheWayItWent() {
        show(PAGE);
        String elsewhere = "https://elsewhere.saltmarsh.example/done";
        for (String url :
                new String[] {
                    "https://id.saltmarsh.example/authorize?client_id=ferry&redirect_uri=ferry:/x",
                    "https://id.saltmarsh.example/?response_type=code&redirect_uri=ferry:/x",
                    "https://id.saltmarsh.example/?response_type=code&client_id=ferry",
                    asks(elsewhere),
                }) {
            assertTrue(leaves(url, false));
            Intent browser = started();
            assertEquals(Uri.parse(url), browser.getData());
            assertFalse(url, browser.hasExtra(TabsProtocol.EXTRA_SESSION));
        }
        assertFalse(
                "the app's own server signs in by itself",
                leaves(
                        TestSite.ORIGIN
                                + "/authorize?response_type=code&client_id=a&redirect_uri=ferry:/",
                        false));
        assertNull(SignIn.answerOf(Uri.parse("mailto:a?response_type=code&client_id=b")));
        assertNull(
                SignIn.answerOf(
                        Uri.parse(
                                "http://id.example/?response_type=code&client_id=b&redirect_uri=ferry:/")));
    }

    @Test
    public void aStartThatLeadsToASignInHasAWayOn() {
        assertTrue(leaves(asks(LINK), true));
        assertTab(asks(LINK), started());
        TroubleView trouble = find(TroubleView.class);
        assertEquals("behind the browser", Trouble.SIGN_IN, trouble.shown());
        assertEquals(View.VISIBLE, trouble.getVisibility());
        assertEquals("Continue", trouble.retry.getText().toString());
        pages.loadUrl("about:blank");
        trouble.retry.performClick();
        assertEquals(
                "there is no page yet to load again",
                TestSite.ORIGIN + "/?from=app",
                shadowOf(pages).getLastLoadedUrl());
        assertTrue(leaves(asks(LINK), true));
        assertTab(asks(LINK), started());
        assertTrue("and again", trouble.retry.isEnabled());
        controller.newIntent(new Intent(Intent.ACTION_VIEW, Uri.parse("ferry:signed-in")));
        show(TestSite.ORIGIN + "/signed-in");
        assertNull("signed in", trouble.shown());
    }

    @Test
    public void aWindowsSignInStaysInItsWindowUnlessItsAnswerIsTheApps() throws Exception {
        show(PAGE);
        Message message = Message.obtain(new Handler(Looper.getMainLooper()));
        message.obj = pages.new WebViewTransport();
        assertTrue(shadowOf(pages).getWebChromeClient().onCreateWindow(pages, true, true, message));
        Popup popup = find(Popup.class);
        WebViewClient window = shadowOf(popup.window).getWebViewClient();
        assertFalse(
                "its answer speaks to the page that opened it",
                window.shouldOverrideUrlLoading(
                        popup.window, new NavigationTest.Request(asks(LINK), true, true)));
        assertNull(started());
        assertFalse(
                "a frame is none of the app's business",
                window.shouldOverrideUrlLoading(
                        popup.window, new NavigationTest.Request(asks("ferry:/x"), false, true)));
        assertTrue(
                window.shouldOverrideUrlLoading(
                        popup.window, new NavigationTest.Request(asks("ferry:/x"), true, true)));
        assertTab(asks("ferry:/x"), started());
        assertNull("the window is not needed", find(Popup.class));
    }
}
