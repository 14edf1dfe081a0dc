package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNotSame;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertSame;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.AlertDialog;
import android.app.Application;
import android.content.ComponentName;
import android.content.DialogInterface;
import android.content.Intent;
import android.os.Handler;
import android.os.Looper;
import android.os.Message;
import android.view.KeyEvent;
import android.view.View;
import android.view.ViewGroup;
import android.webkit.WebView;
import android.webkit.WebViewClient;

import org.json.JSONObject;
import org.junit.After;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;
import org.robolectric.shadows.ShadowAlertDialog;
import org.robolectric.shadows.ShadowSystemClock;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;

/**
 * Whatever happens, there is a way on: no page that nobody can leave, no window without a name, no
 * app that only crashes.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class DeadEndsTest {
    private static final String START = TestSite.ORIGIN + "/?from=app";
    private static final String SIGN_IN = "https://sign-in.saltmarsh.example/start";
    private static boolean hasEngine;

    public static final class Opened extends GivenActivity {
        @Override
        WebView makePages() {
            if (!hasEngine) {
                throw new RuntimeException("the package of the web view is being updated");
            }
            return super.makePages();
        }
    }

    private final Application app = RuntimeEnvironment.getApplication();
    private ActivityController<Opened> controller;
    private WebView pages;

    @Before
    public void settings() throws Exception {
        hasEngine = true;
        GivenActivity.json = TestSite.json("/", true).put("base", TestSite.ORIGIN + "/");
        shadowOf(app.getPackageManager())
                .addActivityIfNotPresent(new ComponentName(app, Opened.class));
    }

    @After
    public void close() {
        GivenActivity.json = null;
    }

    private void open(Intent intent) {
        controller = Robolectric.buildActivity(Opened.class, intent).setup();
        look();
    }

    private void open() {
        open(new Intent(Intent.ACTION_MAIN));
    }

    private void look() {
        pages = find(WebView.class);
    }

    private <T extends View> T find(Class<T> type) {
        return TestSite.find(TestSite.root(controller.get()), type);
    }

    private Trouble shown() {
        TroubleView trouble = find(TroubleView.class);
        return trouble == null ? null : trouble.shown();
    }

    private WebViewClient client() {
        return shadowOf(pages).getWebViewClient();
    }

    /** A page comes on screen, as the engine tells it. */
    private void commit(String url) {
        client().onPageStarted(pages, url, null);
        client().doUpdateVisitedHistory(pages, url, false);
        client().onPageCommitVisible(pages, url);
        client().onPageFinished(pages, url);
    }

    private static boolean overrides(WebViewClient client, WebView view, String url) {
        return client.shouldOverrideUrlLoading(view, new NavigationTest.Request(url, true, true));
    }

    private static Message message(final List<String> told, final String what) {
        return new Handler(Looper.getMainLooper()) {
            @Override
            public void handleMessage(Message message) {
                told.add(what);
            }
        }.obtainMessage();
    }

    @Test
    public void aFormIsSentAgainOnlyWhereTheUserWantsIt() {
        open();
        List<String> told = new ArrayList<>();
        controller.get().pageFailed(TestSite.ORIGIN + "/pay", Trouble.OFFLINE);
        find(TroubleView.class).retry.performClick();
        assertFalse(find(TroubleView.class).retry.isEnabled());
        client().onFormResubmission(pages, message(told, "no"), message(told, "yes"));
        AlertDialog dialog = ShadowAlertDialog.getLatestAlertDialog();
        assertEquals("Send what you entered again?", shadowOf(dialog).getMessage().toString());
        dialog.getButton(DialogInterface.BUTTON_NEGATIVE).performClick();
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals("[no]", told.toString());
        assertEquals(Trouble.OFFLINE, shown());
        assertTrue("not on trying for ever", find(TroubleView.class).retry.isEnabled());
        client().onFormResubmission(pages, message(told, "no"), message(told, "yes"));
        ShadowAlertDialog.getLatestAlertDialog()
                .getButton(DialogInterface.BUTTON_POSITIVE)
                .performClick();
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals("[no, yes]", told.toString());
    }

    @Test
    public void backLeavesTheAppsOfflinePage() throws Exception {
        String offline = TestSite.ORIGIN + "/404.html";
        GivenActivity.json.put("errors", new JSONObject().put("offline", offline));
        open();
        String wanted = TestSite.ORIGIN + "/fares";
        for (String url : new String[] {START, wanted}) {
            shadowOf(pages).pushEntryToHistory(url);
        }
        controller.get().pageFailed(wanted, Trouble.OFFLINE);
        shadowOf(pages).pushEntryToHistory(offline);
        assertEquals(offline, pages.getUrl());
        assertEquals(
                "past the page that failed",
                2,
                PageHistory.stepsBack(pages, url -> url.equals(offline) || url.equals(wanted)));
        controller.get().onBackPressed();
        assertEquals("not one step, to where it fails again", START, pages.getUrl());
        assertFalse(controller.get().isFinishing());

        open();
        shadowOf(pages).pushEntryToHistory(START);
        controller.get().pageFailed(START, Trouble.OFFLINE);
        shadowOf(pages).pushEntryToHistory(offline);
        controller.get().onBackPressed();
        assertTrue("where nothing is before it, the app is left", controller.get().isFinishing());
    }

    @Test
    public void aStartThatAsksForASignInShowsItAndWhoseItIs() {
        open();
        assertFalse(
                "not torn off to the browser",
                client().shouldOverrideUrlLoading(pages, NavigationTest.Request.led(SIGN_IN)));
        assertNull(shadowOf(controller.get()).getNextStartedActivity());
        commit(SIGN_IN);
        assertEquals("sign-in.saltmarsh.example", find(AddressBar.class).shown());
        assertFalse(
                "what follows stays too",
                overrides(client(), pages, "https://sign-in.saltmarsh.example/code"));
        assertFalse(
                client().shouldOverrideUrlLoading(
                                pages, NavigationTest.Request.led(TestSite.ORIGIN + "/?code=1")));
        commit(TestSite.ORIGIN + "/?code=1");
        assertNull("an own page needs no name", find(AddressBar.class));
        assertTrue(
                "a link out of an own page is the browser's", overrides(client(), pages, SIGN_IN));
        assertEquals(SIGN_IN, shadowOf(controller.get()).getNextStartedActivity().getDataString());
    }

    @Test
    public void aFormThatLeadsOutsideIsNamedAndCanBeLeft() {
        open();
        commit(START);
        shadowOf(pages).pushEntryToHistory(START);
        // Forms that are posted are not asked about: the page is there, and only then it is known.
        String bank = "https://bank.isles.example/confirm";
        client().onPageStarted(pages, bank, null);
        assertNull(
                "the page before is still on screen, and must not pass for the next",
                find(AddressBar.class));
        commit(bank);
        AddressBar bar = find(AddressBar.class);
        assertEquals("bank.isles.example", bar.shown());
        assertEquals(
                "the page begins below it",
                bar.getLayoutParams().height,
                ((ViewGroup.MarginLayoutParams) pages.getLayoutParams()).topMargin);
        assertEquals("Close", bar.close.getContentDescription());
        pages.evaluateJavascript("1", null);
        bar.close.performClick();
        assertEquals("no own page is before it here", START, shadowOf(pages).getLastLoadedUrl());
    }

    @Test
    public void anEngineThatEndsIsStartedAgainAtThePageItWasOn() {
        open();
        commit(TestSite.ORIGIN + "/fares");
        Opened first = controller.get();
        controller.get().rendererGone();
        shadowOf(Looper.getMainLooper()).idle();
        assertNotSame(first, controller.get());
        look();
        assertEquals(TestSite.ORIGIN + "/fares", shadowOf(pages).getLastLoadedUrl());
        commit(TestSite.ORIGIN + "/fares");
        Opened second = controller.get();
        second.rendererGone();
        shadowOf(Looper.getMainLooper()).idle();
        assertSame("twice in a minute: the user is told", second, controller.get());
        assertEquals(Trouble.STOPPED, shown());
        find(TroubleView.class).retry.performClick();
        shadowOf(Looper.getMainLooper()).idle();
        look();
        assertEquals(TestSite.ORIGIN + "/fares", shadowOf(pages).getLastLoadedUrl());
        ShadowSystemClock.advanceBy(Duration.ofMinutes(2));
        controller.get().rendererGone();
        shadowOf(Looper.getMainLooper()).idle();
        assertNull("long after: opened again", shown());
    }

    @Test
    public void whatCannotBeSeenIsNotStartedAgainUntilItCan() {
        open();
        commit(START);
        Opened first = controller.get();
        controller.pause().stop();
        first.rendererGone();
        shadowOf(Looper.getMainLooper()).idle();
        assertSame(first, controller.get());
        controller.restart().start();
        shadowOf(Looper.getMainLooper()).idle();
        assertNotSame(first, controller.get());
    }

    @Test
    public void whatWasSharedIsNotSentTwice() throws Exception {
        GivenActivity.json.put(
                "share",
                new JSONObject()
                        .put("action", TestSite.ORIGIN + "/shared")
                        .put("method", "POST")
                        .put("multipart", false)
                        .put("text", "text")
                        .put("files", new org.json.JSONArray()));
        Intent share =
                new Intent(Intent.ACTION_SEND)
                        .setType("text/plain")
                        .putExtra(Intent.EXTRA_TEXT, "07:30");
        open(share);
        assertNull(shadowOf(pages).getLastLoadedUrl());
        commit(TestSite.ORIGIN + "/shared");
        controller.get().rendererGone();
        shadowOf(Looper.getMainLooper()).idle();
        look();
        assertEquals(
                "the page, not the share",
                TestSite.ORIGIN + "/shared",
                shadowOf(pages).getLastLoadedUrl());
        open(new Intent(share).addFlags(Intent.FLAG_ACTIVITY_LAUNCHED_FROM_HISTORY));
        assertEquals(
                "opened again from the recent apps", START, shadowOf(pages).getLastLoadedUrl());
    }

    @Test
    public void withoutAWebViewTheUserIsToldAndCanTryAgain() {
        hasEngine = false;
        open();
        assertEquals(Trouble.NO_ENGINE, shown());
        controller.get().onBackPressed();
        assertTrue(controller.get().isFinishing());
        open();
        controller.pause().stop().restart().start().resume();
        hasEngine = true;
        find(TroubleView.class).retry.performClick();
        shadowOf(Looper.getMainLooper()).idle();
        look();
        assertNotNull(pages);
        assertEquals(START, shadowOf(pages).getLastLoadedUrl());
        controller.pause().stop().destroy();
    }

    @Test
    public void whatIsCoveredCannotBeReached() {
        open();
        controller.get().pageFailed(START, Trouble.OFFLINE);
        assertEquals(
                View.IMPORTANT_FOR_ACCESSIBILITY_NO_HIDE_DESCENDANTS,
                pages.getImportantForAccessibility());
        assertEquals(ViewGroup.FOCUS_BLOCK_DESCENDANTS, pages.getDescendantFocusability());
        assertFalse(pages.isFocusable());
        controller.get().pageShown();
        assertEquals(View.IMPORTANT_FOR_ACCESSIBILITY_AUTO, pages.getImportantForAccessibility());
        assertTrue(pages.isFocusable());
    }

    @Test
    @Config(qualifiers = "w640dp-h320dp-land")
    public void theButtonCanBeReachedInASmallWindowWithLargeLetters() {
        RuntimeEnvironment.setFontScale(2);
        open();
        controller.get().pageFailed(START, Trouble.NO_ENGINE);
        TroubleView trouble = find(TroubleView.class);
        trouble.measure(
                View.MeasureSpec.makeMeasureSpec(640, View.MeasureSpec.EXACTLY),
                View.MeasureSpec.makeMeasureSpec(160, View.MeasureSpec.EXACTLY));
        trouble.layout(0, 0, 640, 160);
        View column = trouble.getChildAt(0);
        assertTrue("as high as a finger", trouble.retry.getHeight() >= 48);
        assertTrue("what does not fit is scrolled to", column.getHeight() > trouble.getHeight());
        assertTrue(trouble.retry.getBottom() <= column.getHeight());
    }

    private boolean press(int code, int with) {
        return controller
                .get()
                .dispatchKeyEvent(new KeyEvent(0, 0, KeyEvent.ACTION_DOWN, code, 0, with));
    }

    @Test
    public void keysWorkWhileThePageHasThem() {
        open();
        commit(START);
        int before = shadowOf(pages).getReloadInvocations();
        assertTrue(press(KeyEvent.KEYCODE_R, KeyEvent.META_CTRL_ON | KeyEvent.META_CTRL_LEFT_ON));
        assertEquals(before + 1, shadowOf(pages).getReloadInvocations());
        shadowOf(pages).pushEntryToHistory(START);
        shadowOf(pages).pushEntryToHistory(TestSite.ORIGIN + "/fares");
        assertTrue(
                press(
                        KeyEvent.KEYCODE_DPAD_LEFT,
                        KeyEvent.META_ALT_ON | KeyEvent.META_ALT_LEFT_ON));
        assertEquals(1, shadowOf(pages).getGoBackInvocations());
        assertTrue(
                "nothing to go back to is no reason to leave",
                press(
                        KeyEvent.KEYCODE_DPAD_LEFT,
                        KeyEvent.META_ALT_ON | KeyEvent.META_ALT_LEFT_ON));
        assertFalse(controller.get().isFinishing());
    }
}
