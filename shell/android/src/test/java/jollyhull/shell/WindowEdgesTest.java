package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertSame;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.content.ComponentName;
import android.content.Context;
import android.content.Intent;
import android.content.pm.PackageInfo;
import android.graphics.Insets;
import android.net.ConnectivityManager;
import android.os.Handler;
import android.os.Looper;
import android.os.Message;
import android.view.MotionEvent;
import android.view.View;
import android.view.WindowInsets;
import android.webkit.WebView;
import android.widget.FrameLayout;

import org.json.JSONObject;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;
import org.robolectric.annotation.Implementation;
import org.robolectric.annotation.Implements;
import org.robolectric.shadows.ShadowConnectivityManager;
import org.robolectric.shadows.ShadowWebView;
import org.robolectric.util.ReflectionHelpers;

import java.util.ArrayList;
import java.util.List;

/**
 * What is at the window's edges: bars, cutout and keyboard by the engine's version, the pull, and
 * what a start does there.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 30, shadows = FakeWorkers.class)
public class WindowEdgesTest {

    public static final class Opened extends GivenActivity {}

    private Opened activity;
    private FrameLayout root;
    private WebView pages;

    @Before
    public void settings() throws Exception {
        GivenActivity.json =
                TestSite.json("/", false)
                        .put(
                                "window",
                                new JSONObject().put("edges", "cover").put("pullToRefresh", true));
        shadowOf(RuntimeEnvironment.getApplication().getPackageManager())
                .addActivityIfNotPresent(
                        new ComponentName(RuntimeEnvironment.getApplication(), Opened.class));
    }

    private void open(String engine) {
        PackageInfo info = new PackageInfo();
        info.packageName = "engine";
        info.versionName = engine;
        ShadowWebView.setCurrentWebViewPackage(engine == null ? null : info);
        activity = Robolectric.buildActivity(Opened.class).setup().get();
        root = TestSite.root(activity);
        pages = TestSite.find(root, WebView.class);
        String page = TestSite.ORIGIN + "/tickets/";
        shadowOf(pages).getWebViewClient().doUpdateVisitedHistory(pages, page, false);
    }

    private void cover(int keyboard) {
        root.dispatchApplyWindowInsets(
                new WindowInsets.Builder()
                        .setInsets(WindowInsets.Type.statusBars(), Insets.of(0, 60, 0, 0))
                        .setInsets(WindowInsets.Type.navigationBars(), Insets.of(0, 0, 0, 40))
                        .setInsets(WindowInsets.Type.ime(), Insets.of(0, 0, 0, keyboard))
                        .build());
    }

    @Test
    public void theKeyboardIsKeptClearOfOnceAndNotTwice() {
        for (String[] one :
                new String[][] {
                    {"135.0.7049.100", "700"},
                    {"136.0.7103.60", "0"},
                    {"140.1", "0"},
                    {null, "700"},
                    {"strange", "700"}
                }) {
            open(one[0]);
            cover(700);
            assertEquals("engine " + one[0], Integer.parseInt(one[1]), root.getPaddingBottom());
            assertEquals("pages reach the top", 0, root.getPaddingTop());
        }
    }

    @Test
    public void pagesLearnOfTheBarsByVariables() {
        open("120.0");
        cover(0);
        String script = shadowOf(pages).getLastEvaluatedJavascript();
        assertTrue(script, script.contains("'--hull-edge-top', '60px'"));
        assertTrue(script, script.contains("'--hull-edge-bottom', '40px'"));
        cover(700);
        assertTrue(
                shadowOf(pages)
                        .getLastEvaluatedJavascript()
                        .contains("'--hull-edge-bottom', '0px'"));
    }

    @Test
    public void theBarsOfWindowsKeepClearOfTheEdges() {
        open("140.0");
        cover(0);
        Message message = Message.obtain(new Handler(Looper.getMainLooper()));
        message.obj = pages.new WebViewTransport();
        shadowOf(pages).getWebChromeClient().onCreateWindow(pages, true, true, message);
        assertEquals(60, TestSite.find(root, Popup.class).getPaddingTop());
        activity.onBackPressed();
        activity.pageAt("https://bank.isles.example/", true);
        AddressBar bar = TestSite.find(root, AddressBar.class);
        assertEquals(60, bar.getPaddingTop());
        assertEquals(
                Pixels.of(activity, AddressBar.HEIGHT_DP) + 60,
                ((FrameLayout.LayoutParams) pages.getLayoutParams()).topMargin);
    }

    @Test
    public void theStripBehindTheStatusBarFollowsATurnedDevice() throws Exception {
        GivenActivity.json.put("window", new JSONObject());
        open("140.0");
        for (int[] sides : new int[][] {{0, 0}, {80, 0}, {0, 80}}) {
            root.dispatchApplyWindowInsets(
                    new WindowInsets.Builder()
                            .setInsets(WindowInsets.Type.statusBars(), Insets.of(0, 60, 0, 0))
                            .setInsets(
                                    WindowInsets.Type.displayCutout(),
                                    Insets.of(sides[0], 0, sides[1], 0))
                            .build());
            FrameLayout.LayoutParams strip =
                    (FrameLayout.LayoutParams) root.getChildAt(0).getLayoutParams();
            assertEquals(60, strip.height);
            assertEquals(-sides[0], strip.leftMargin);
            assertEquals(-sides[1], strip.rightMargin);
        }
    }

    private void touch(int action, float y) {
        MotionEvent event = MotionEvent.obtain(0, 0, action, 100, y, 0);
        pages.dispatchTouchEvent(event);
        event.recycle();
    }

    private void overScroll(int y) {
        ((PageView) pages).onOverScrolled(0, y, false, true);
    }

    @Test
    public void onlyAPullBeyondThePagesUpperEndLoadsItAnew() {
        open("140.0");
        int before = shadowOf(pages).getReloadInvocations();
        touch(MotionEvent.ACTION_DOWN, 10);
        touch(MotionEvent.ACTION_MOVE, 900);
        touch(MotionEvent.ACTION_UP, 900);
        assertEquals(
                "a list in the page was scrolled", before, shadowOf(pages).getReloadInvocations());
        touch(MotionEvent.ACTION_DOWN, 10);
        touch(MotionEvent.ACTION_MOVE, 40);
        overScroll(0);
        touch(MotionEvent.ACTION_MOVE, 100);
        android.widget.ProgressBar ring = null;
        for (int i = 0; i < root.getChildCount(); i++) {
            View view = root.getChildAt(i);
            if (view instanceof android.widget.ProgressBar && !(view instanceof SlowBar)) {
                ring = (android.widget.ProgressBar) view;
            }
        }
        assertEquals("how far there is to go is seen", View.VISIBLE, ring.getVisibility());
        touch(MotionEvent.ACTION_UP, 100);
        assertEquals("not far enough", before, shadowOf(pages).getReloadInvocations());
        assertEquals(View.GONE, ring.getVisibility());
        touch(MotionEvent.ACTION_DOWN, 10);
        touch(MotionEvent.ACTION_MOVE, 40);
        overScroll(0);
        touch(MotionEvent.ACTION_MOVE, 300);
        touch(MotionEvent.ACTION_UP, 300);
        assertEquals(before + 1, shadowOf(pages).getReloadInvocations());
        touch(MotionEvent.ACTION_DOWN, 900);
        overScroll(500);
        touch(MotionEvent.ACTION_UP, 2000);
        assertEquals("the lower end is none", before + 1, shadowOf(pages).getReloadInvocations());
    }

    /** A device that lets no app watch the network. */
    @Implements(ConnectivityManager.class)
    public static final class Unwatched extends ShadowConnectivityManager {
        @Implementation
        protected void registerDefaultNetworkCallback(
                ConnectivityManager.NetworkCallback callback) {
            throw new RuntimeException("too many requests");
        }
    }

    @Test
    @Config(shadows = {FakeWorkers.class, Unwatched.class})
    public void aNetworkThatCannotBeWatchedIsNoEndOfTheApp() {
        List<String> told = new ArrayList<>();
        NetworkWatch watch =
                new NetworkWatch(RuntimeEnvironment.getApplication(), () -> told.add("connected"));
        watch.start();
        watch.stop();
        watch.start();
        assertTrue(told.isEmpty());
    }

    @Test
    public void aStartReadsTheSettingsOnceAndNoWords() {
        Context app = RuntimeEnvironment.getApplication();
        ReflectionHelpers.setStaticField(ShellSettings.class, "kept", null);
        PageActivity plain =
                Robolectric.buildActivity(PageActivity.class, new Intent(Intent.ACTION_MAIN))
                        .setup()
                        .get();
        ShellSettings read = ReflectionHelpers.getField(plain, "settings");
        assertSame("the next activity takes what this one has read", read, ShellSettings.of(app));
        Words words = ReflectionHelpers.getField(read, "words");
        assertNull(
                "words are read when there is something to say",
                ReflectionHelpers.getField(words, "spoken"));
        assertFalse(
                "no preferences are read",
                new java.io.File(app.getDataDir(), "shared_prefs/hull.xml").exists());
        assertNull(
                "the shell's own page is made when it is needed",
                TestSite.find(TestSite.root(plain), TroubleView.class));
        assertTrue(StartHold.LIMIT_MS <= 2000);
    }

    @Test
    public void theStartPictureIsNotHeldAgain() {
        open("140.0");
        StartHold hold = ReflectionHelpers.getField(activity, "hold");
        assertFalse(hold.isReleased());
        PageActivity again =
                Robolectric.buildActivity(Opened.class).setup(new android.os.Bundle()).get();
        assertNull(ReflectionHelpers.getField(again, "hold"));
        WebView view = TestSite.find(TestSite.root(again), WebView.class);
        shadowOf(view).getWebViewClient().onPageCommitVisible(view, TestSite.ORIGIN + "/");
    }
}
