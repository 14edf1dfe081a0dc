package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.AlertDialog;
import android.app.Application;
import android.content.ClipData;
import android.content.ClipboardManager;
import android.content.ComponentName;
import android.content.Context;
import android.content.DialogInterface;
import android.content.Intent;
import android.content.pm.ActivityInfo;
import android.net.Uri;
import android.os.Looper;
import android.view.View;
import android.webkit.CookieManager;
import android.webkit.PermissionRequest;
import android.webkit.RoboCookieManager;
import android.webkit.WebChromeClient;
import android.webkit.WebView;

import org.json.JSONArray;
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
import org.robolectric.shadows.ShadowAlertDialog;

import java.io.InputStream;

/**
 * The native half of what pages find in browsers: each does what its standard says, for the app's
 * own pages alone.
 */
@RunWith(RobolectricTestRunner.class)
@Config(
        minSdk = 24,
        shadows = {FakeWorkers.class, ServicesTest.Jar.class})
public class ServicesTest {
    private static final String PAGE = TestSite.ORIGIN + "/tickets/";

    /** The framework's tests have cookies, but do not keep what is set about other sites. */
    @Implements(CookieManager.class)
    public static final class Jar {
        static boolean accepts;

        @Implementation
        protected static CookieManager getInstance() {
            return new RoboCookieManager() {
                @Override
                public void setAcceptThirdPartyCookies(WebView view, boolean accept) {
                    accepts = accept;
                }
            };
        }
    }

    public static final class Opened extends GivenActivity {}

    private final Application app = RuntimeEnvironment.getApplication();
    private Opened activity;
    private WebView pages;
    private PageServices services;
    private String token;

    private static JSONObject permission(String reason, String... system) throws Exception {
        JSONArray names = new JSONArray();
        for (String one : system) {
            names.put(new JSONObject().put("name", one));
        }
        return new JSONObject().put("reason", reason).put("allow", "x").put("system", names);
    }

    @Before
    public void settings() throws Exception {
        Background.executor = Runnable::run;
        GivenActivity.json =
                TestSite.json("/", false)
                        .put(
                                "states",
                                new JSONObject()
                                        .put("bluetooth", "denied")
                                        .put("vibration", "granted"))
                        .put("frames", new JSONArray().put("https://video.saltmarsh.example"))
                        .put(
                                "permissions",
                                new JSONObject()
                                        .put(
                                                "clipboard-read",
                                                permission("Takes over a ticket's number."))
                                        .put(
                                                "camera",
                                                permission(
                                                        "Scans the code on a ticket.",
                                                        android.Manifest.permission.CAMERA)));
        shadowOf(app.getPackageManager())
                .addActivityIfNotPresent(new ComponentName(app, Opened.class));
        open();
    }

    private void open() {
        activity = Robolectric.buildActivity(Opened.class).setup().get();
        pages = TestSite.find(TestSite.root(activity), WebView.class);
        services = (PageServices) shadowOf(pages).getJavascriptInterface(PageServices.BRIDGE);
        pages.loadUrl(PAGE);
        shadowOf(pages).getWebViewClient().onPageStarted(pages, PAGE, null);
        token =
                shadowOf(pages)
                        .getLastEvaluatedJavascript()
                        .replaceAll("(?s).*hullKept\\.open\\('([0-9a-f-]{36})'.*", "$1");
    }

    private String call(String given, String what, JSONObject with) {
        pages.evaluateJavascript("nothing", null);
        services.call(given, 7, what, with.toString());
        shadowOf(Looper.getMainLooper()).idle();
        return shadowOf(pages).getLastEvaluatedJavascript();
    }

    private static JSONObject shared(String title, String text, String url) throws Exception {
        return new JSONObject()
                .put("title", title)
                .put("text", text)
                .put("url", url)
                .put("files", new JSONArray());
    }

    @Test
    public void textIsSharedThroughTheSystemsChooser() throws Exception {
        assertEquals(
                "a guessed token opens nothing",
                "nothing",
                call("guessed", "share", shared("", "x", "")));
        assertEquals(
                "hullKept.answer(7, \"\")",
                call(
                        token,
                        "share",
                        shared("Ferry", "At 07:30", "https://ferry.saltmarsh.example/")));
        Intent chooser = shadowOf(activity).getNextStartedActivity();
        assertEquals(Intent.ACTION_CHOOSER, chooser.getAction());
        Intent send = chooser.getParcelableExtra(Intent.EXTRA_INTENT);
        assertEquals(Intent.ACTION_SEND, send.getAction());
        assertEquals("Ferry", send.getStringExtra(Intent.EXTRA_SUBJECT));
        assertEquals(
                "At 07:30\nhttps://ferry.saltmarsh.example/",
                send.getStringExtra(Intent.EXTRA_TEXT));
        assertEquals("text/plain", send.getType());
    }

    @Test
    public void filesAreSharedUnderTheirNames() throws Exception {
        services.take(token, 3, "data:image/png;base64,AQID");
        services.take(token, 3, "data:image/png;base64,BAU=");
        assertFalse(services.take("guessed", 3, "data:,x"));
        JSONObject with =
                shared("", "", "")
                        .put(
                                "files",
                                new JSONArray()
                                        .put(
                                                new JSONObject()
                                                        .put("number", 3)
                                                        .put("name", "../../plan of July.png")
                                                        .put("type", "image/png")));
        assertEquals("hullKept.answer(7, \"\")", call(token, "share", with));
        Intent send =
                shadowOf(activity).getNextStartedActivity().getParcelableExtra(Intent.EXTRA_INTENT);
        Uri file = send.getParcelableExtra(Intent.EXTRA_STREAM);
        assertEquals("image/png", send.getType());
        assertTrue((send.getFlags() & Intent.FLAG_GRANT_READ_URI_PERMISSION) != 0);
        assertEquals(file, send.getClipData().getItemAt(0).getUri());
        assertEquals("plan of July.png", file.getLastPathSegment().replaceAll("^.*_", ""));
        ShotFiles provider =
                Robolectric.setupContentProvider(ShotFiles.class, app.getPackageName() + ".shots");
        assertEquals("image/png", provider.getType(file));
        try (InputStream in =
                new android.os.ParcelFileDescriptor.AutoCloseInputStream(
                        provider.openFile(file, "r"))) {
            assertEquals(1, in.read());
            in.skip(3);
            assertEquals(5, in.read());
            assertEquals(-1, in.read());
        }
    }

    @Test
    public void theClipboardIsReadWhereTheUserAllowsIt() throws Exception {
        ClipboardManager clipboard =
                (ClipboardManager) app.getSystemService(Context.CLIPBOARD_SERVICE);
        clipboard.setPrimaryClip(ClipData.newPlainText("", "F-1234"));
        assertEquals("nothing", call(token, "clipboard", new JSONObject()));
        AlertDialog dialog = ShadowAlertDialog.getLatestAlertDialog();
        assertEquals("Takes over a ticket's number.", shadowOf(dialog).getMessage().toString());
        dialog.getButton(DialogInterface.BUTTON_POSITIVE).performClick();
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals(
                "hullKept.answer(7, \"F-1234\")", shadowOf(pages).getLastEvaluatedJavascript());
        GivenActivity.json.getJSONObject("permissions").remove("clipboard-read");
        open();
        assertEquals(
                "hullKept.answer(7, '', 'NotAllowedError')",
                call(token, "clipboard", new JSONObject()));
    }

    @Test
    public void pagesAreToldWhatIsPermitted() {
        assertEquals("prompt", services.state("camera"));
        shadowOf(app).grantPermissions(android.Manifest.permission.CAMERA);
        assertEquals("granted", services.state("camera"));
        assertEquals("prompt", services.state("clipboard-read"));
        assertEquals("not declared", "denied", services.state("bluetooth"));
        assertEquals("granted", services.state("vibration"));
        assertEquals("for the engine to say", "", services.state("no-such-thing"));
    }

    @Test
    public void whatIsNotKnownIsRefused() throws Exception {
        assertEquals(
                "hullKept.answer(7, '', 'DataError')",
                call(token, "self-destruct", new JSONObject()));
        assertEquals("hullKept.answer(7, '', 'DataError')", call(token, "share", new JSONObject()));
        services.call(token, 7, "share", "no JSON");
        shadowOf(Looper.getMainLooper()).idle();
        assertEquals(
                "hullKept.answer(7, '', 'DataError')",
                shadowOf(pages).getLastEvaluatedJavascript());
    }

    @Test
    public void framesThatTheAppNamesMayAskAndOthersMayNot() {
        for (String[] one :
                new String[][] {
                    {"https://video.saltmarsh.example", "true"},
                    {"https://video.saltmarsh.example:8443", "false"},
                    {"https://other.example", "false"}
                }) {
            ShadowAlertDialog.reset();
            shadowOf(pages)
                    .getWebChromeClient()
                    .onPermissionRequest(
                            new PermissionRequest() {
                                @Override
                                public Uri getOrigin() {
                                    return Uri.parse(one[0]);
                                }

                                @Override
                                public String[] getResources() {
                                    return new String[] {RESOURCE_VIDEO_CAPTURE};
                                }

                                @Override
                                public void grant(String[] resources) {}

                                @Override
                                public void deny() {}
                            });
            assertEquals(
                    one[0],
                    one[1].equals("true"),
                    ShadowAlertDialog.getLatestAlertDialog() != null);
        }
    }

    @Test
    public void otherSitesHaveCookiesWhereTheAppSaysSo() throws Exception {
        assertFalse(Jar.accepts);
        GivenActivity.json.put("foreignCookies", true);
        open();
        assertTrue(Jar.accepts);
    }

    @Test
    public void aVideoMayBeTurnedInAnAppThatMayNot() {
        activity.setRequestedOrientation(ActivityInfo.SCREEN_ORIENTATION_USER_PORTRAIT);
        WebChromeClient chrome = shadowOf(pages).getWebChromeClient();
        chrome.onShowCustomView(new View(activity), () -> {});
        assertEquals(ActivityInfo.SCREEN_ORIENTATION_FULL_USER, activity.getRequestedOrientation());
        chrome.onHideCustomView();
        assertEquals(
                ActivityInfo.SCREEN_ORIENTATION_USER_PORTRAIT, activity.getRequestedOrientation());
        assertNotNull("no grey picture before a video", chrome.getDefaultVideoPoster());
        assertEquals(0, chrome.getDefaultVideoPoster().getPixel(0, 0));
    }

    @Test
    public void aPageIsPrintedUnderItsTitle() throws Exception {
        String answer = call(token, "print", new JSONObject().put("title", "Ticket F-1234"));
        assertTrue(answer, answer.startsWith("hullKept.answer(7, "));
        assertNull("nobody else prints", shadowOf(activity).getNextStartedActivity());
    }
}
