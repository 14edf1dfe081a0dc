package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.AlertDialog;
import android.app.Application;
import android.app.Notification;
import android.app.NotificationManager;
import android.content.ComponentName;
import android.content.Context;
import android.content.DialogInterface;
import android.content.Intent;
import android.content.pm.ActivityInfo;
import android.content.pm.PackageManager;
import android.os.Build;
import android.os.Bundle;
import android.os.Looper;
import android.webkit.WebView;

import org.json.JSONArray;
import org.json.JSONObject;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;
import org.robolectric.shadows.ShadowActivity;
import org.robolectric.shadows.ShadowAlertDialog;
import org.robolectric.shadows.ShadowSystemClock;

import java.time.Duration;

/**
 * Notifications of pages in the app's own view: asked for with a reason, shown as the app's,
 * leading back to their page.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class NoticesTest {
    private static final String PAGE = TestSite.ORIGIN + "/alerts.html";
    private static boolean declared;

    public static final class Opened extends PageActivity {
        @Override
        ShellSettings readSettings() {
            try {
                JSONObject json = TestSite.json("/", false).put("noticeScript", "window.hullNotes");
                if (declared) {
                    json.put(
                            "permissions",
                            new JSONObject()
                                    .put(
                                            "notifications",
                                            new JSONObject()
                                                    .put(
                                                            "reason",
                                                            "Tells you when your boat is late.")
                                                    .put("allow", "send you notifications")
                                                    .put(
                                                            "system",
                                                            new JSONArray()
                                                                    .put(
                                                                            new JSONObject()
                                                                                    .put(
                                                                                            "name",
                                                                                            "android.permission.POST_NOTIFICATIONS")
                                                                                    .put(
                                                                                            "minSdk",
                                                                                            33)))));
                }
                return TestSite.parse(json.toString());
            } catch (Exception e) {
                throw new AssertionError(e);
            }
        }
    }

    private final Application app = RuntimeEnvironment.getApplication();
    private final NotificationManager manager =
            (NotificationManager) app.getSystemService(Context.NOTIFICATION_SERVICE);
    private ActivityController<Opened> controller;
    private WebView pages;

    @Before
    public void open() {
        declared = true;
        int picture =
                app.getResources().getIdentifier("icon_monochrome", "mipmap", app.getPackageName());
        assertTrue("the package has the picture", picture != 0);
        ActivityInfo info = new ActivityInfo();
        info.packageName = app.getPackageName();
        info.name = Opened.class.getName();
        info.applicationInfo = app.getApplicationInfo();
        info.metaData = new Bundle();
        info.metaData.putInt(Notices.ICON, picture);
        shadowOf(app.getPackageManager()).addOrUpdateActivity(info);
        start(null);
    }

    private void start(Intent intent) {
        controller = Robolectric.buildActivity(Opened.class, intent).setup();
        pages = TestSite.find(TestSite.root(controller.get()), WebView.class);
    }

    private Notices bridge() {
        return (Notices) shadowOf(pages).getJavascriptInterface(Notices.BRIDGE);
    }

    /** The token that a page of the app's own is given when it begins. */
    private String token() {
        pages.loadUrl(PAGE);
        shadowOf(pages).getWebViewClient().onPageStarted(pages, PAGE, null);
        String script = shadowOf(pages).getLastEvaluatedJavascript();
        assertTrue(script, script.contains("hullNotes.open('"));
        return script.replaceAll("(?s).*hullNotes\\.open\\('([0-9a-f-]{36})'.*", "$1");
    }

    private void idle() {
        shadowOf(Looper.getMainLooper()).idle();
    }

    private void allow() {
        if (Build.VERSION.SDK_INT >= 33) {
            shadowOf(app).grantPermissions("android.permission.POST_NOTIFICATIONS");
        }
    }

    private static String notice(String id, String title, boolean silent) throws Exception {
        return new JSONObject()
                .put("id", id)
                .put("title", title)
                .put("body", "The 07:30 leaves at 07:45")
                .put("silent", silent)
                .toString();
    }

    @Test
    public void onlyWhatIsDeclaredIsThere() {
        assertNotNull(bridge());
        declared = false;
        start(null);
        assertNull(bridge());
        shadowOf(pages).getWebViewClient().onPageStarted(pages, PAGE, null);
        assertFalse(shadowOf(pages).getLastEvaluatedJavascript().contains("hullNotes"));
    }

    @Test
    @Config(minSdk = 33)
    public void aPageAsksAndTheAppSaysWhyBeforeTheSystem() {
        String token = token();
        assertEquals("default", bridge().state());
        bridge().ask("guessed", 1);
        idle();
        assertNull("a guessed token asks nobody", ShadowAlertDialog.getLatestAlertDialog());
        bridge().ask(token, 7);
        idle();
        AlertDialog dialog = ShadowAlertDialog.getLatestAlertDialog();
        assertEquals("Tells you when your boat is late.", shadowOf(dialog).getMessage().toString());
        dialog.getButton(DialogInterface.BUTTON_POSITIVE).performClick();
        idle();
        ShadowActivity.PermissionsRequest request =
                shadowOf(controller.get()).getLastRequestedPermission();
        assertEquals("android.permission.POST_NOTIFICATIONS", request.requestedPermissions[0]);
        ShadowSystemClock.advanceBy(Duration.ofSeconds(3));
        controller
                .get()
                .onRequestPermissionsResult(
                        request.requestCode,
                        request.requestedPermissions,
                        new int[] {PackageManager.PERMISSION_DENIED});
        assertEquals(
                "hullNotes.answered(7, 'default')", shadowOf(pages).getLastEvaluatedJavascript());
        allow();
        assertEquals("granted", bridge().state());
        shadowOf(manager).setNotificationsEnabled(false);
        assertEquals("what the user turned off counts", "denied", bridge().state());
    }

    @Test
    @Config(maxSdk = 32)
    public void whereTheSystemHasNoQuestionItsSettingsCount() {
        String token = token();
        assertEquals("granted", bridge().state());
        bridge().ask(token, 1);
        idle();
        assertNull(ShadowAlertDialog.getLatestAlertDialog());
        assertEquals(
                "hullNotes.answered(1, 'granted')", shadowOf(pages).getLastEvaluatedJavascript());
        shadowOf(manager).setNotificationsEnabled(false);
        bridge().ask(token, 2);
        idle();
        assertEquals(
                "hullNotes.answered(2, 'denied')", shadowOf(pages).getLastEvaluatedJavascript());
    }

    @Test
    public void areShownAsTheAppsAndTakenBack() throws Exception {
        String token = token();
        allow();
        bridge().show("guessed", notice("late", "Late", false));
        bridge().show(token, "no JSON");
        idle();
        assertEquals(0, shadowOf(manager).size());
        bridge().show(token, notice("late", "Lantern Isle", false));
        bridge().show(token, notice("quiet", "Heron Point", true));
        idle();
        Notification shown = shadowOf(manager).getNotification("late", 0);
        assertEquals("Lantern Isle", shown.extras.getString(Notification.EXTRA_TITLE));
        assertEquals("The 07:30 leaves at 07:45", shown.extras.getString(Notification.EXTRA_TEXT));
        assertEquals(0xff0b4f6c, shown.color);
        assertNotNull("a picture of its own", shown.getSmallIcon());
        assertTrue((shown.flags & Notification.FLAG_AUTO_CANCEL) != 0);
        if (Build.VERSION.SDK_INT >= 26) {
            assertEquals(
                    "Saltmarsh Ferry",
                    manager.getNotificationChannel(shown.getChannelId()).getName().toString());
            String quiet = shadowOf(manager).getNotification("quiet", 0).getChannelId();
            assertEquals(
                    NotificationManager.IMPORTANCE_LOW,
                    manager.getNotificationChannel(quiet).getImportance());
        }
        bridge().close("guessed", "late");
        idle();
        assertNotNull(shadowOf(manager).getNotification("late", 0));
        bridge().close(token, "late");
        idle();
        assertNull(shadowOf(manager).getNotification("late", 0));
        shadowOf(manager).setNotificationsEnabled(false);
        bridge().show(token, notice("late", "Lantern Isle", false));
        idle();
        assertNull("not where they are turned off", shadowOf(manager).getNotification("late", 0));
    }

    @Test
    public void aTouchTellsThePageOrOpensIt() throws Exception {
        String token = token();
        allow();
        bridge().show(token, notice("late", "Late", false));
        idle();
        Intent touch =
                shadowOf(shadowOf(manager).getNotification("late", 0).contentIntent)
                        .getSavedIntent();
        assertEquals(PageActivity.class.getName(), touch.getComponent().getClassName());
        pages.loadUrl(TestSite.ORIGIN + "/pier.html");
        controller.newIntent(touch);
        assertTrue(
                shadowOf(pages)
                        .getLastEvaluatedJavascript()
                        .contains("hullNotes.touched(\"late\")"));
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue("true");
        assertEquals(
                "the page deals with it",
                TestSite.ORIGIN + "/pier.html",
                shadowOf(pages).getLastLoadedUrl());
        controller.newIntent(touch);
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue("false");
        assertEquals("its page is gone", PAGE, shadowOf(pages).getLastLoadedUrl());

        start(touch.setComponent(new ComponentName(app, Opened.class)));
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue("false");
        assertEquals("so is the app", PAGE, shadowOf(pages).getLastLoadedUrl());
        start(new Intent(touch).putExtra(Notices.PAGE, "https://evil.example/"));
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue("false");
        assertEquals(
                "no other page",
                TestSite.ORIGIN + "/?from=app",
                shadowOf(pages).getLastLoadedUrl());
    }

    @Test
    public void whatAnotherAppSendsIsNoTouch() throws Exception {
        String token = token();
        allow();
        bridge().show(token, notice("late", "Late", false));
        idle();
        Intent touch =
                shadowOf(shadowOf(manager).getNotification("late", 0).contentIntent)
                        .getSavedIntent();
        for (String page :
                new String[] {
                    PAGE, "javascript:alert(1)", "javascript://x/%0aalert(1)", "data:text/html,x"
                }) {
            Intent forged =
                    new Intent()
                            .setComponent(new ComponentName(app, Opened.class))
                            .putExtra(Notices.ID, "late")
                            .putExtra(Notices.PAGE, page);
            for (Intent one :
                    new Intent[] {
                        forged,
                        new Intent(forged).putExtra(Notices.SECRET, ""),
                        new Intent(forged).putExtra(Notices.SECRET, 7),
                        new Intent(forged)
                                .putExtra(Notices.SECRET, "00000000-0000-0000-0000-000000000000")
                    }) {
                start(one);
                assertNull(page, shadowOf(pages).getLastEvaluatedJavascriptCallback());
                assertEquals(
                        page, TestSite.ORIGIN + "/?from=app", shadowOf(pages).getLastLoadedUrl());
            }
        }
        // The secret outlives the process that made it.
        start(new Intent(touch).setComponent(new ComponentName(app, Opened.class)));
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue("false");
        assertEquals(PAGE, shadowOf(pages).getLastLoadedUrl());
    }

    @Test
    public void packedPagesBeginWithTheScriptBehindTheirDoctype() throws Exception {
        ShellSettings settings = controller.get().readSettings();
        PackedSite site = new PackedSite(TestSite.assets(), settings);
        String plain = TestSite.body(TestSite.get(site, "/", "Accept", "*/*"));
        assertFalse("what a script fetches stays as it is", plain.contains("hullKept"));
        String script =
                "<script>hullKept;window.hullNotes;document.currentScript.remove()</script>";
        String begun = TestSite.body(TestSite.get(site, "/", "Accept", "text/html,*/*;q=0.8"));
        assertEquals(plain, begun.replace(script, ""));
        int at = begun.indexOf(script);
        assertTrue(begun, begun.substring(0, at).toLowerCase().endsWith("<!doctype html>"));
        assertFalse(TestSite.body(TestSite.get(site, "/js/app.js")).contains("hullNotes"));
    }
}
