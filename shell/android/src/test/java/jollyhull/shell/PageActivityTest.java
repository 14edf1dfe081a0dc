package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNotSame;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertSame;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.content.Context;
import android.content.res.Configuration;
import android.content.res.TypedArray;
import android.graphics.Insets;
import android.net.ConnectivityManager;
import android.os.Build;
import android.os.Bundle;
import android.os.Looper;
import android.view.View;
import android.view.WindowInsets;
import android.view.WindowInsetsController;
import android.webkit.SslErrorHandler;
import android.webkit.WebResourceError;
import android.webkit.WebResourceResponse;
import android.webkit.WebSettings;
import android.webkit.WebView;
import android.webkit.WebViewClient;
import android.widget.FrameLayout;

import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;
import org.robolectric.shadows.ShadowWebView;
import org.robolectric.util.ReflectionHelpers;

/** The activity on the framework's own classes: settings, back, trouble, insets, rotation. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class PageActivityTest {
    private ActivityController<PageActivity> controller;
    private PageActivity activity;
    private WebView pages;

    @Before
    public void open() {
        controller = Robolectric.buildActivity(PageActivity.class).setup();
        activity = controller.get();
        pages = find(WebView.class);
    }

    private <T extends View> T find(Class<T> type) {
        T found = TestSite.find(TestSite.root(activity), type);
        assertNotNull("a " + type, found);
        return found;
    }

    private TroubleView trouble() {
        return find(TroubleView.class);
    }

    private Trouble shown() {
        TroubleView trouble = TestSite.find(TestSite.root(activity), TroubleView.class);
        return trouble == null ? null : trouble.shown();
    }

    private WebViewClient client() {
        return shadowOf(pages).getWebViewClient();
    }

    private void fail(String url) {
        WebResourceError error =
                new WebResourceError() {
                    @Override
                    public int getErrorCode() {
                        return WebViewClient.ERROR_HOST_LOOKUP;
                    }

                    @Override
                    public CharSequence getDescription() {
                        return "net::ERR_NAME_NOT_RESOLVED";
                    }
                };
        client().onReceivedError(pages, new NavigationTest.Request(url, true, false), error);
        client().onPageFinished(pages, url);
    }

    @Test
    public void opensTheStartPageWithWhatAWebAppNeeds() {
        assertEquals(TestSite.ORIGIN + "/?from=app", shadowOf(pages).getLastLoadedUrl());
        WebSettings web = pages.getSettings();
        assertTrue(web.getJavaScriptEnabled());
        assertTrue(web.getDomStorageEnabled());
        assertTrue(web.getDatabaseEnabled());
        assertFalse(web.getAllowFileAccess());
        assertFalse(web.getAllowContentAccess());
        assertFalse(web.getAllowFileAccessFromFileURLs());
        assertFalse(web.getAllowUniversalAccessFromFileURLs());
        assertEquals(WebSettings.MIXED_CONTENT_NEVER_ALLOW, web.getMixedContentMode());
    }

    @Test
    public void goesBackAPageThenLeaves() {
        ShadowWebView shadow = shadowOf(pages);
        shadow.pushEntryToHistory(TestSite.ORIGIN + "/");
        shadow.pushEntryToHistory(TestSite.ORIGIN + "/tickets.html");
        client().doUpdateVisitedHistory(pages, TestSite.ORIGIN + "/tickets.html", false);
        assertTrue(pages.canGoBack());
        if (Build.VERSION.SDK_INT >= 33) {
            BackCallback back = ReflectionHelpers.getField(activity, "back");
            assertTrue(back.isRegistered());
            back.onBackInvoked();
        } else {
            activity.onBackPressed();
        }
        assertEquals(1, shadow.getGoBackInvocations());
        assertFalse(activity.isFinishing());
        while (pages.canGoBack()) {
            pages.goBack();
        }
        client().doUpdateVisitedHistory(pages, TestSite.ORIGIN + "/", false);
        if (Build.VERSION.SDK_INT >= 33) {
            // Nothing is registered, so the system's own back animation leaves the app.
            BackCallback back = ReflectionHelpers.getField(activity, "back");
            assertFalse(back.isRegistered());
        }
        activity.onBackPressed();
        assertTrue(activity.isFinishing());
    }

    @Test
    public void showsItsOwnPageWhenOneFailsAndRecoversByItself() {
        String url = TestSite.ORIGIN + "/";
        fail(url);
        assertEquals(Trouble.OFFLINE, shown());
        ConnectivityManager connectivity =
                (ConnectivityManager) activity.getSystemService(Context.CONNECTIVITY_SERVICE);
        assertEquals(1, shadowOf(connectivity).getNetworkCallbacks().size());
        for (ConnectivityManager.NetworkCallback callback :
                shadowOf(connectivity).getNetworkCallbacks()) {
            callback.onAvailable(null);
        }
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals(1, shadowOf(pages).getReloadInvocations());
        client().onPageFinished(pages, url);
        assertNull(shown());
    }

    @Test
    public void retriesOnTouchAndStaysWhileItFails() {
        String url = TestSite.ORIGIN + "/";
        fail(url);
        trouble().retry.performClick();
        assertEquals(1, shadowOf(pages).getReloadInvocations());
        assertFalse(trouble().retry.isEnabled());
        client().onPageStarted(pages, url, null);
        fail(url);
        assertEquals(Trouble.OFFLINE, shown());
        assertTrue(trouble().retry.isEnabled());
    }

    @Test
    public void aFailingPictureIsNoFailingPage() {
        client().onReceivedError(
                        pages,
                        new NavigationTest.Request(TestSite.ORIGIN + "/missing.png", false, false),
                        new WebResourceError() {
                            @Override
                            public int getErrorCode() {
                                return WebViewClient.ERROR_CONNECT;
                            }

                            @Override
                            public CharSequence getDescription() {
                                return "";
                            }
                        });
        assertNull(shown());
    }

    @Test
    public void neverClicksThroughACertificateThatDoesNotHold() {
        SslErrorHandler handler = ReflectionHelpers.callConstructor(SslErrorHandler.class);
        org.robolectric.shadows.ShadowSslErrorHandler shadow =
                org.robolectric.shadow.api.Shadow.extract(handler);
        android.net.http.SslError error =
                new android.net.http.SslError(
                        android.net.http.SslError.SSL_UNTRUSTED,
                        (android.net.http.SslCertificate) null,
                        TestSite.ORIGIN + "/?from=app");
        client().onReceivedSslError(pages, handler, error);
        assertTrue(shadow.wasCancelCalled());
        assertFalse(shadow.wasProceedCalled());
        assertEquals(Trouble.UNSAFE, shown());
    }

    @Test
    @Config(minSdk = 30)
    public void keepsContentOutFromUnderBarsCutoutAndKeyboard() {
        WindowInsets insets =
                new WindowInsets.Builder()
                        .setInsets(WindowInsets.Type.statusBars(), Insets.of(0, 63, 0, 0))
                        .setInsets(WindowInsets.Type.navigationBars(), Insets.of(0, 0, 0, 48))
                        .setInsets(WindowInsets.Type.displayCutout(), Insets.of(30, 80, 0, 0))
                        .setInsets(WindowInsets.Type.ime(), Insets.of(0, 0, 0, 700))
                        .build();
        TestSite.root(activity).dispatchApplyWindowInsets(insets);
        assertEquals(30, TestSite.root(activity).getPaddingLeft());
        assertEquals(80, TestSite.root(activity).getPaddingTop());
        assertEquals(0, TestSite.root(activity).getPaddingRight());
        assertEquals(700, TestSite.root(activity).getPaddingBottom());
    }

    @Test
    @Config(maxSdk = 29)
    public void keepsContentOutFromUnderBarsBeforeApi30() {
        FrameLayout root = TestSite.root(activity);
        WindowInsets insets =
                ReflectionHelpers.callConstructor(
                        WindowInsets.class,
                        ReflectionHelpers.ClassParameter.from(
                                android.graphics.Rect.class,
                                new android.graphics.Rect(0, 50, 0, 40)));
        root.dispatchApplyWindowInsets(insets);
        assertEquals(50, root.getPaddingTop());
        assertEquals(40, root.getPaddingBottom());
    }

    @Test
    @Config(maxSdk = 29)
    public void aVideoLeavesTheBarsSymbolsAsTheyWere() {
        View decor = activity.getWindow().getDecorView();
        decor.setSystemUiVisibility(View.SYSTEM_UI_FLAG_LIGHT_STATUS_BAR);
        shadowOf(pages).getWebChromeClient().onShowCustomView(new View(activity), () -> {});
        assertEquals(
                View.SYSTEM_UI_FLAG_FULLSCREEN,
                decor.getSystemUiVisibility() & View.SYSTEM_UI_FLAG_FULLSCREEN);
        shadowOf(pages).getWebChromeClient().onHideCustomView();
        assertEquals(View.SYSTEM_UI_FLAG_LIGHT_STATUS_BAR, decor.getSystemUiVisibility());
    }

    @Test
    public void keepsThePageThroughARotation() {
        Configuration turned = new Configuration(activity.getResources().getConfiguration());
        turned.orientation = Configuration.ORIENTATION_LANDSCAPE;
        turned.screenWidthDp = 800;
        turned.screenHeightDp = 360;
        controller.configurationChange(turned);
        assertSame(activity, controller.get());
        assertSame(pages, find(WebView.class));
        assertEquals(0, shadowOf(pages).getReloadInvocations());
    }

    @Test
    public void keepsThePageThroughLightAndDark() {
        fail(TestSite.ORIGIN + "/");
        Configuration night = new Configuration(activity.getResources().getConfiguration());
        night.uiMode =
                (night.uiMode & ~Configuration.UI_MODE_NIGHT_MASK)
                        | Configuration.UI_MODE_NIGHT_YES;
        night.fontScale = 1.5f;
        controller.configurationChange(night);
        assertSame("nothing that was typed is lost", activity, controller.get());
        assertSame(pages, find(WebView.class));
        assertEquals(0, shadowOf(pages).getReloadInvocations());
        assertEquals("what was said is still said", Trouble.OFFLINE, shown());
        assertEquals(150, pages.getSettings().getTextZoom());
        TypedArray light =
                activity.getTheme().obtainStyledAttributes(new int[] {android.R.attr.isLightTheme});
        if (Build.VERSION.SDK_INT >= 29) {
            assertFalse("which tells pages that dark counts", light.getBoolean(0, true));
        }
        light.recycle();
        if (Build.VERSION.SDK_INT >= 30) {
            // The fixture's colours are the same by night: dark symbols on its light ground.
            assertEquals(
                    WindowInsetsController.APPEARANCE_LIGHT_NAVIGATION_BARS,
                    activity.getWindow().getInsetsController().getSystemBarsAppearance()
                            & (WindowInsetsController.APPEARANCE_LIGHT_NAVIGATION_BARS
                                    | WindowInsetsController.APPEARANCE_LIGHT_STATUS_BARS));
        }
    }

    @Test
    public void keepsThePageAndItsHistoryThroughTheEndOfTheProcess() {
        Bundle state = new Bundle();
        shadowOf(pages).pushEntryToHistory(TestSite.ORIGIN + "/tickets.html");
        controller.saveInstanceState(state);
        assertNotNull(state.getBundle("history"));
    }

    @Test
    public void asksForTheStartPageAnewWhereNoHistoryWasKept() {
        PageActivity again =
                Robolectric.buildActivity(PageActivity.class).setup(new Bundle()).get();
        assertNotSame(activity, again);
        FrameLayout root = TestSite.root(again);
        assertEquals(
                TestSite.ORIGIN + "/?from=app",
                shadowOf((WebView) root.getChildAt(1)).getLastLoadedUrl());
    }

    @Test
    public void aLinkToAHostWithABadCertificateIsAnsweredToo() {
        String url = TestSite.ORIGIN + "/tickets.html";
        assertFalse(
                client().shouldOverrideUrlLoading(
                                pages, new NavigationTest.Request(url, true, true)));
        SslErrorHandler handler = ReflectionHelpers.callConstructor(SslErrorHandler.class);
        android.net.http.SslCertificate none = null;
        client().onReceivedSslError(
                        pages,
                        handler,
                        new android.net.http.SslError(
                                android.net.http.SslError.SSL_EXPIRED, none, url));
        assertEquals(Trouble.UNSAFE, shown());
        trouble().hide();
        client().onReceivedSslError(
                        pages,
                        handler,
                        new android.net.http.SslError(
                                android.net.http.SslError.SSL_EXPIRED,
                                none,
                                "https://pictures.example/one.png"));
        assertNull(shown());
    }

    @Test
    public void answersServiceWorkersFromThePackedPagesToo() throws Exception {
        assertFalse(FakeWorkers.last.settings.getAllowFileAccess());
        assertFalse(FakeWorkers.last.settings.getAllowContentAccess());
        WebResourceResponse answer =
                FakeWorkers.last.client.shouldInterceptRequest(
                        new NavigationTest.Request(TestSite.ORIGIN + "/js/app.js", false, false));
        assertEquals("text/javascript", answer.getMimeType());
        assertTrue(TestSite.body(answer).contains("export"));
    }
}
