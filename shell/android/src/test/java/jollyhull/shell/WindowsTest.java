package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.os.Handler;
import android.os.Looper;
import android.os.Message;
import android.view.View;
import android.webkit.WebResourceResponse;
import android.webkit.WebView;
import android.webkit.WebViewClient;

import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.annotation.Config;

import java.time.Duration;

/**
 * Windows that pages open are as good as the app's own: packed pages answer there, downloads work,
 * nothing is left behind.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class WindowsTest {
    private PageActivity activity;
    private WebView pages;

    @Before
    public void open() {
        activity = Robolectric.buildActivity(PageActivity.class).setup().get();
        pages = TestSite.find(TestSite.root(activity), WebView.class);
        pages.loadUrl(TestSite.ORIGIN + "/tickets/");
    }

    private Popup seen() {
        return TestSite.find(TestSite.root(activity), Popup.class);
    }

    private WebView openWindow(boolean sized) {
        Message message = Message.obtain(new Handler(Looper.getMainLooper()));
        message.obj = pages.new WebViewTransport();
        assertTrue(
                shadowOf(pages).getWebChromeClient().onCreateWindow(pages, sized, true, message));
        return ((WebView.WebViewTransport) message.obj).getWebView();
    }

    private static WebViewClient clientOf(WebView view) {
        return shadowOf(view).getWebViewClient();
    }

    @Test
    public void packedPagesAnswerInAWindowToo() throws Exception {
        WebView window = openWindow(true);
        WebResourceResponse answer =
                clientOf(window)
                        .shouldInterceptRequest(
                                window,
                                new NavigationTest.Request(
                                        TestSite.ORIGIN + "/js/app.js", false, false));
        assertEquals("text/javascript", answer.getMimeType());
        assertNotNull("what it hands out is saved", shadowOf(window).getDownloadListener());
        clientOf(window).onPageStarted(window, TestSite.ORIGIN + "/tickets/", null);
        String script = shadowOf(window).getLastEvaluatedJavascript();
        assertTrue(script, script.contains("hullKept"));
    }

    @Test
    public void aWindowThatAFormFillsIsShown() {
        WebView window = openWindow(false);
        assertNull(seen());
        // What is posted is not asked about.
        clientOf(window).onPageStarted(window, "https://bank.isles.example/pay", null);
        assertNotNull(seen());
        assertEquals(window, seen().window);
        assertEquals("bank.isles.example", seen().bar.shown());
        assertEquals(
                "the page below is covered",
                View.IMPORTANT_FOR_ACCESSIBILITY_NO_HIDE_DESCENDANTS,
                pages.getImportantForAccessibility());
        activity.onBackPressed();
        assertNull(seen());
        assertEquals(View.IMPORTANT_FOR_ACCESSIBILITY_AUTO, pages.getImportantForAccessibility());
        assertFalse(activity.isFinishing());
    }

    @Test
    public void anEmptyWindowIsShownUnlessItIsSentOn() {
        WebView window = openWindow(false);
        shadowOf(Looper.getMainLooper()).idleFor(Duration.ofMillis(300));
        assertNull("a script may still send it on", seen());
        shadowOf(Looper.getMainLooper()).idleFor(Duration.ofMillis(300));
        assertNotNull("written into", seen());
        shadowOf(pages).getWebChromeClient().onCloseWindow(window);
        assertNull(seen());

        WebView sent = openWindow(false);
        assertTrue(
                clientOf(sent)
                        .shouldOverrideUrlLoading(
                                sent,
                                new NavigationTest.Request(
                                        TestSite.ORIGIN + "/fares", true, false)));
        assertEquals(TestSite.ORIGIN + "/fares", shadowOf(pages).getLastLoadedUrl());
        assertTrue("nothing is left behind", shadowOf(sent).wasDestroyCalled());
        shadowOf(Looper.getMainLooper()).idleFor(Duration.ofSeconds(2));
        assertNull(seen());
    }

    @Test
    public void aWindowKeepsTheNameOfThePageThatIsSeen() {
        WebView window = openWindow(true);
        clientOf(window).onPageStarted(window, "https://one.example/", null);
        clientOf(window).doUpdateVisitedHistory(window, "https://one.example/", false);
        clientOf(window).onPageStarted(window, "https://bank.isles.example/", null);
        assertEquals("until another is there", "one.example", seen().bar.shown());
        clientOf(window).doUpdateVisitedHistory(window, "https://bank.isles.example/", false);
        assertEquals("bank.isles.example", seen().bar.shown());
    }

    @Test
    public void itsCertificatesHaveToHoldAsWell() {
        WebView window = openWindow(true);
        android.webkit.SslErrorHandler handler =
                org.robolectric.util.ReflectionHelpers.callConstructor(
                        android.webkit.SslErrorHandler.class);
        android.net.http.SslCertificate none = null;
        clientOf(window)
                .onReceivedSslError(
                        window,
                        handler,
                        new android.net.http.SslError(
                                android.net.http.SslError.SSL_EXPIRED,
                                none,
                                "https://one.example/"));
        assertTrue(
                ((org.robolectric.shadows.ShadowSslErrorHandler)
                                org.robolectric.shadow.api.Shadow.extract(handler))
                        .wasCancelCalled());
    }
}
