package jollyhull.shell;

import static org.junit.Assert.assertArrayEquals;
import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.Manifest;
import android.app.Activity;
import android.app.AlertDialog;
import android.app.Application;
import android.app.DownloadManager;
import android.content.ClipData;
import android.content.Context;
import android.content.DialogInterface;
import android.content.Intent;
import android.content.pm.PackageManager;
import android.net.Uri;
import android.os.Build;
import android.os.Handler;
import android.os.Looper;
import android.os.Message;
import android.provider.MediaStore;
import android.provider.Settings;
import android.view.ContextMenu;
import android.view.View;
import android.webkit.GeolocationPermissions;
import android.webkit.JsResult;
import android.webkit.PermissionRequest;
import android.webkit.ValueCallback;
import android.webkit.WebChromeClient;
import android.webkit.WebView;
import android.webkit.WebViewClient;
import android.widget.FrameLayout;

import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;
import org.robolectric.fakes.RoboMenu;
import org.robolectric.shadows.ShadowActivity;
import org.robolectric.shadows.ShadowAlertDialog;
import org.robolectric.shadows.ShadowPackageManager;
import org.robolectric.shadows.ShadowSystemClock;
import org.robolectric.util.ReflectionHelpers;

import java.io.ByteArrayOutputStream;
import java.io.File;
import java.io.FileOutputStream;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * What a real app does at its edges: permissions, files, downloads, windows, dialogs, full screen.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class EdgesTest {
    private static final String PAGE = TestSite.ORIGIN + "/tickets/";

    private PageActivity activity;
    private WebView pages;
    private WebChromeClient chrome;
    private FrameLayout root;

    @Before
    public void open() {
        Background.executor = Runnable::run;
        ActivityController<PageActivity> controller =
                Robolectric.buildActivity(PageActivity.class).setup();
        activity = controller.get();
        root = TestSite.root(activity);
        pages = find(WebView.class);
        pages.loadUrl(PAGE);
        chrome = shadowOf(pages).getWebChromeClient();
    }

    private <T extends View> T find(Class<T> type) {
        return TestSite.find(root, type);
    }

    /** A page hands out something to keep; its link says what it is to be called, as JSON. */
    private void download(String url, String disposition, String type, String named) {
        shadowOf(pages).getDownloadListener().onDownloadStart(url, null, disposition, type, 5);
        String asked = shadowOf(pages).getLastEvaluatedJavascript();
        assertTrue(asked, asked.contains("hullKept.name("));
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue(named);
    }

    private static void press(int which) {
        AlertDialog dialog = ShadowAlertDialog.getLatestAlertDialog();
        assertNotNull("a dialog", dialog);
        dialog.getButton(which).performClick();
        shadowOf(Looper.getMainLooper()).idle();
    }

    private static String message() {
        return shadowOf(ShadowAlertDialog.getLatestAlertDialog()).getMessage().toString();
    }

    private ShadowActivity shadow() {
        return shadowOf(activity);
    }

    /** Answers the system's question. */
    private void answer(boolean granted) {
        ShadowActivity.PermissionsRequest request = shadow().getLastRequestedPermission();
        assertNotNull("the system's question", request);
        if (granted) {
            shadowOf((Application) RuntimeEnvironment.getApplication())
                    .grantPermissions(request.requestedPermissions);
        }
        int[] results = new int[request.requestedPermissions.length];
        Arrays.fill(
                results,
                granted ? PackageManager.PERMISSION_GRANTED : PackageManager.PERMISSION_DENIED);
        activity.onRequestPermissionsResult(
                request.requestCode, request.requestedPermissions, results);
    }

    private final List<String> given = new ArrayList<>();

    private void askLocation(String origin) {
        chrome.onGeolocationPermissionsShowPrompt(
                origin,
                new GeolocationPermissions.Callback() {
                    @Override
                    public void invoke(String from, boolean allow, boolean retain) {
                        given.add(from + " " + allow + " " + retain);
                    }
                });
    }

    @Test
    public void saysWhyBeforeTheSystemAsks() {
        askLocation(TestSite.ORIGIN + "/");
        assertEquals("Shows the pier nearest to you.", message());
        assertNull(shadow().getLastRequestedPermission());
        press(DialogInterface.BUTTON_POSITIVE);
        assertArrayEquals(
                new String[] {
                    Manifest.permission.ACCESS_COARSE_LOCATION,
                    Manifest.permission.ACCESS_FINE_LOCATION
                },
                shadow().getLastRequestedPermission().requestedPermissions);
        answer(true);
        assertEquals(Arrays.asList(TestSite.ORIGIN + "/ true false"), given);
        ShadowAlertDialog.reset();
        askLocation(TestSite.ORIGIN + "/");
        assertEquals(2, given.size());
        assertNull("nobody is asked twice", ShadowAlertDialog.getLatestAlertDialog());
    }

    @Test
    public void whatIsGrantedWhileTheReasonIsShownIsNotAskedFor() {
        askLocation(TestSite.ORIGIN + "/");
        shadowOf((Application) RuntimeEnvironment.getApplication())
                .grantPermissions(
                        Manifest.permission.ACCESS_COARSE_LOCATION,
                        Manifest.permission.ACCESS_FINE_LOCATION);
        press(DialogInterface.BUTTON_POSITIVE);
        assertNull(shadow().getLastRequestedPermission());
        assertEquals(Arrays.asList(TestSite.ORIGIN + "/ true false"), given);
    }

    @Test
    public void aRoughLocationIsALocation() {
        askLocation(TestSite.ORIGIN + "/");
        press(DialogInterface.BUTTON_POSITIVE);
        shadowOf((Application) RuntimeEnvironment.getApplication())
                .grantPermissions(Manifest.permission.ACCESS_COARSE_LOCATION);
        answer(false);
        assertEquals(Arrays.asList(TestSite.ORIGIN + "/ true false"), given);
    }

    @Test
    public void whoSaysNotNowIsAskedAgainAndWhoRefusedForGoodIsShownTheSettings() {
        askLocation(TestSite.ORIGIN + "/");
        press(DialogInterface.BUTTON_NEGATIVE);
        assertNull(shadow().getLastRequestedPermission());
        // A dialog that is swiped away looks like a refusal by the system itself, but for the time
        // that it took.
        askLocation(TestSite.ORIGIN + "/");
        press(DialogInterface.BUTTON_POSITIVE);
        ShadowSystemClock.advanceBy(Duration.ofSeconds(3));
        answer(false);
        assertEquals(
                Arrays.asList(TestSite.ORIGIN + "/ false false", TestSite.ORIGIN + "/ false false"),
                given);
        // Who declines is asked for a reason the next time; the system still asks.
        ShadowPackageManager packages =
                shadowOf(RuntimeEnvironment.getApplication().getPackageManager());
        askLocation(TestSite.ORIGIN + "/");
        press(DialogInterface.BUTTON_POSITIVE);
        packages.setShouldShowRequestPermissionRationale(
                Manifest.permission.ACCESS_FINE_LOCATION, true);
        answer(false);
        assertEquals(3, given.size());
        packages.setShouldShowRequestPermissionRationale(
                Manifest.permission.ACCESS_FINE_LOCATION, false);
        given.remove(2);
        // The system shows no reason, neither before nor after, and answers at once: it refuses by
        // itself.
        askLocation(TestSite.ORIGIN + "/");
        assertFalse("the system is asked each time", message().contains("Settings"));
        press(DialogInterface.BUTTON_POSITIVE);
        answer(false);
        assertEquals("the page waits", 2, given.size());
        assertTrue(message(), message().contains("You can turn it on in Settings"));
        press(DialogInterface.BUTTON_POSITIVE);
        Intent settings = shadow().getNextStartedActivity();
        assertEquals(Settings.ACTION_APPLICATION_DETAILS_SETTINGS, settings.getAction());
        assertEquals("package:example.saltmarsh.ferry", settings.getDataString());
        assertEquals(3, given.size());
    }

    @Test
    public void framesOfOthersAreRefusedWithoutAWord() {
        askLocation("https://weather.saltmarsh.example/");
        assertEquals(Arrays.asList("https://weather.saltmarsh.example/ false false"), given);
        assertNull(ShadowAlertDialog.getLatestAlertDialog());
    }

    private final class Asked extends PermissionRequest {
        private final String origin;
        private final String[] resources;
        String outcome = "none";

        Asked(String origin, String... resources) {
            this.origin = origin;
            this.resources = resources;
        }

        @Override
        public Uri getOrigin() {
            return Uri.parse(origin);
        }

        @Override
        public String[] getResources() {
            return resources;
        }

        @Override
        public void grant(String[] granted) {
            outcome = "granted " + Arrays.toString(granted);
        }

        @Override
        public void deny() {
            outcome = "denied";
        }
    }

    @Test
    public void ofCameraAndMicrophoneOnlyWhatIsDeclaredIsGiven() {
        Asked asked =
                new Asked(
                        TestSite.ORIGIN,
                        PermissionRequest.RESOURCE_VIDEO_CAPTURE,
                        PermissionRequest.RESOURCE_AUDIO_CAPTURE);
        chrome.onPermissionRequest(asked);
        assertEquals("Scans the code on a ticket.", message());
        press(DialogInterface.BUTTON_POSITIVE);
        assertArrayEquals(
                new String[] {Manifest.permission.CAMERA},
                shadow().getLastRequestedPermission().requestedPermissions);
        answer(true);
        assertEquals("granted [" + PermissionRequest.RESOURCE_VIDEO_CAPTURE + "]", asked.outcome);
        Asked sound = new Asked(TestSite.ORIGIN, PermissionRequest.RESOURCE_AUDIO_CAPTURE);
        chrome.onPermissionRequest(sound);
        assertEquals("denied", sound.outcome);
        Asked foreign =
                new Asked(
                        "https://weather.saltmarsh.example",
                        PermissionRequest.RESOURCE_VIDEO_CAPTURE);
        chrome.onPermissionRequest(foreign);
        assertEquals("denied", foreign.outcome);
    }

    @Test
    public void whatTheSystemHasNoQuestionForTheAppAsksItself() {
        Asked asked = new Asked(TestSite.ORIGIN, PermissionRequest.RESOURCE_MIDI_SYSEX);
        chrome.onPermissionRequest(asked);
        assertEquals("Plays the horn of the ferry.", message());
        press(DialogInterface.BUTTON_POSITIVE);
        assertEquals("granted [" + PermissionRequest.RESOURCE_MIDI_SYSEX + "]", asked.outcome);
        assertNull(shadow().getLastRequestedPermission());
    }

    private static WebChromeClient.FileChooserParams params(
            boolean several, boolean capture, String... accept) {
        return params(
                several
                        ? WebChromeClient.FileChooserParams.MODE_OPEN_MULTIPLE
                        : WebChromeClient.FileChooserParams.MODE_OPEN,
                capture,
                accept);
    }

    private static WebChromeClient.FileChooserParams params(
            final int mode, final boolean capture, final String... accept) {
        return new WebChromeClient.FileChooserParams() {
            @Override
            public int getMode() {
                return mode;
            }

            @Override
            public String[] getAcceptTypes() {
                return accept;
            }

            @Override
            public boolean isCaptureEnabled() {
                return capture;
            }

            @Override
            public CharSequence getTitle() {
                return null;
            }

            @Override
            public String getFilenameHint() {
                return null;
            }

            @Override
            public Intent createIntent() {
                throw new AssertionError("not used");
            }
        };
    }

    private Uri[] chosen;
    private int answers;

    private void choose(WebChromeClient.FileChooserParams params) {
        assertTrue(
                chrome.onShowFileChooser(
                        pages,
                        new ValueCallback<Uri[]>() {
                            @Override
                            public void onReceiveValue(Uri[] value) {
                                chosen = value;
                                answers++;
                            }
                        },
                        params));
    }

    @Test
    public void filesArePickedOneOrSeveral() {
        choose(params(true, false, "application/pdf,.csv"));
        Intent intent = shadow().getNextStartedActivityForResult().intent;
        assertEquals(Intent.ACTION_GET_CONTENT, intent.getAction());
        assertTrue(intent.getBooleanExtra(Intent.EXTRA_ALLOW_MULTIPLE, false));
        Intent result = new Intent();
        ClipData clip = ClipData.newRawUri("", Uri.parse("content://files/1"));
        clip.addItem(new ClipData.Item(Uri.parse("content://files/2")));
        clip.addItem(
                new ClipData.Item(Uri.parse("file:///data/data/example.saltmarsh.ferry/secret")));
        result.setClipData(clip);
        activity.onActivityResult(RequestCodes.FILES, Activity.RESULT_OK, result);
        assertArrayEquals(
                new Uri[] {Uri.parse("content://files/1"), Uri.parse("content://files/2")}, chosen);
        choose(params(false, false));
        activity.onActivityResult(RequestCodes.FILES, Activity.RESULT_CANCELED, null);
        assertNull(chosen);
        assertEquals(2, answers);
    }

    @Test
    public void aPageThatAsksAgainDoesNotWaitForEver() {
        choose(params(false, false));
        choose(params(false, false));
        assertEquals("the first question is answered", 1, answers);
    }

    @Test
    public void theCameraWritesWhereOnlyThePageCanRead() throws Exception {
        shadowOf((Application) RuntimeEnvironment.getApplication())
                .grantPermissions(Manifest.permission.CAMERA);
        choose(params(false, true, "image/*"));
        Intent intent = shadow().getNextStartedActivityForResult().intent;
        assertEquals(MediaStore.ACTION_IMAGE_CAPTURE, intent.getAction());
        Uri output = intent.getParcelableExtra(MediaStore.EXTRA_OUTPUT);
        assertEquals("example.saltmarsh.ferry.shots", output.getAuthority());
        assertTrue((intent.getFlags() & Intent.FLAG_GRANT_WRITE_URI_PERMISSION) != 0);
        File shot =
                new File(new File(activity.getCacheDir(), "shots"), output.getLastPathSegment());
        FileOutputStream out = new FileOutputStream(shot);
        out.write(new byte[] {1, 2, 3});
        out.close();
        activity.onActivityResult(RequestCodes.FILES, Activity.RESULT_OK, null);
        assertArrayEquals(new Uri[] {output}, chosen);
        ShotFiles files =
                Robolectric.setupContentProvider(ShotFiles.class, "example.saltmarsh.ferry.shots");
        assertEquals("image/jpeg", files.getType(output));
        assertNotNull(files.openFile(output, "r"));
        for (String bad : new String[] {"../../hull", "a/b.jpg", "x.jpg", ".."}) {
            try {
                files.openFile(Uri.parse("content://example.saltmarsh.ferry.shots/" + bad), "r");
                throw new AssertionError(bad);
            } catch (java.io.FileNotFoundException expected) {
                assertTrue(true);
            }
        }
    }

    @Test
    public void soundIsRecordedAndAFolderIsPickedWhole() {
        choose(params(false, true, "audio/*"));
        assertEquals(
                MediaStore.Audio.Media.RECORD_SOUND_ACTION,
                shadow().getNextStartedActivityForResult().intent.getAction());
        choose(params(2, false));
        assertEquals(
                Intent.ACTION_OPEN_DOCUMENT_TREE,
                shadow().getNextStartedActivityForResult().intent.getAction());
    }

    @Test
    public void picturesOfYesterdayAreGone() throws Exception {
        File folder = new File(activity.getCacheDir(), "shots");
        assertTrue(folder.isDirectory() || folder.mkdirs());
        File old = new File(folder, "00000000-0000-4000-8000-000000000000.jpg");
        File splash = new File(folder, "splash.png");
        File fresh = new File(folder, "10000000-0000-4000-8000-000000000000.jpg");
        for (File one : new File[] {old, splash, fresh}) {
            assertTrue(one.createNewFile());
        }
        assertTrue(old.setLastModified(System.currentTimeMillis() - Duration.ofDays(2).toMillis()));
        assertTrue(splash.setLastModified(old.lastModified()));
        choose(params(false, false, "application/pdf"));
        assertFalse(old.exists());
        assertTrue("the start picture is kept", splash.exists());
        assertTrue("one that a page may still read", fresh.exists());
    }

    @Test
    public void aLongTouchOffersWhatIsThere() {
        Object[][] cases = {
            {WebView.HitTestResult.SRC_ANCHOR_TYPE, PAGE, "Copy URL", "Share"},
            {WebView.HitTestResult.IMAGE_TYPE, TestSite.ORIGIN + "/icon.png", "Save picture"},
            {WebView.HitTestResult.EDIT_TEXT_TYPE, null},
        };
        for (Object[] one : cases) {
            shadowOf(pages)
                    .setHitTestResult(
                            shadowOf(pages).createHitTestResult((int) one[0], (String) one[1]));
            RoboMenu menu = new RoboMenu(activity);
            LinkMenu.fill(
                    activity, ShellSettings.of(activity), pages, asContextMenu(menu), url -> {});
            List<String> names = new ArrayList<>();
            for (int i = 0; i < menu.size(); i++) {
                names.add(menu.getItem(i).getTitle().toString());
            }
            assertEquals(Arrays.asList(one).subList(2, one.length), names);
        }
    }

    private static ContextMenu asContextMenu(RoboMenu menu) {
        return (ContextMenu)
                java.lang.reflect.Proxy.newProxyInstance(
                        EdgesTest.class.getClassLoader(),
                        new Class<?>[] {ContextMenu.class},
                        (proxy, method, arguments) -> method.invoke(menu, arguments));
    }

    @Test
    public void withoutTheCameraThePickerIsStillThere() {
        choose(params(false, false, "image/*"));
        press(DialogInterface.BUTTON_NEGATIVE);
        Intent intent = shadow().getNextStartedActivityForResult().intent;
        assertEquals(Intent.ACTION_GET_CONTENT, intent.getAction());
        assertEquals("image/*", intent.getType());
    }

    @Test
    public void dataAndBlobsAreSavedWhereTheUserSays() throws Exception {
        download("data:text/plain;base64,RmVycnk=", null, "text/plain", "null");
        Intent intent = shadow().getNextStartedActivityForResult().intent;
        assertEquals("download.txt", intent.getStringExtra(Intent.EXTRA_TITLE));
        assertEquals(Intent.ACTION_CREATE_DOCUMENT, intent.getAction());
        assertEquals("text/plain", intent.getType());
        Uri target = Uri.parse("content://documents/1");
        ByteArrayOutputStream written = new ByteArrayOutputStream();
        shadowOf(activity.getContentResolver()).registerOutputStream(target, written);
        activity.onActivityResult(
                RequestCodes.SAVE, Activity.RESULT_OK, new Intent().setData(target));
        assertEquals("Ferry", written.toString("UTF-8"));
        assertEquals("Saved", message());

        download("blob:" + PAGE + "7", null, "text/csv", "\"../sailings\\u0000 of July.csv\"");
        String script = shadowOf(pages).getLastEvaluatedJavascript();
        assertTrue(script, script.contains("fetch(\"blob:"));
        String token = script.replaceAll("(?s).*take\\('([0-9a-f-]{36})'.*", "$1");
        Downloads.Receiver bridge =
                (Downloads.Receiver) shadowOf(pages).getJavascriptInterface(Downloads.BRIDGE);
        assertFalse(bridge.take("guessed", "data:text/csv;base64,YQ=="));
        bridge.end("guessed", "text/csv");
        shadowOf(Looper.getMainLooper()).idle();
        assertNull("a guessed token opens nothing", shadow().getNextStartedActivityForResult());
        assertTrue(bridge.take(token, "data:text/csv;base64,YSxi"));
        assertTrue(bridge.take(token, "data:text/csv;base64,K2M="));
        bridge.end(token, "text/csv");
        shadowOf(Looper.getMainLooper()).idle();
        intent = shadow().getNextStartedActivityForResult().intent;
        assertEquals("text/csv", intent.getType());
        assertEquals(
                "a name alone",
                ".._sailings_ of July.csv",
                intent.getStringExtra(Intent.EXTRA_TITLE));
        ByteArrayOutputStream second = new ByteArrayOutputStream();
        shadowOf(activity.getContentResolver()).registerOutputStream(target, second);
        activity.onActivityResult(
                RequestCodes.SAVE, Activity.RESULT_OK, new Intent().setData(target));
        assertEquals("a,b+c", second.toString("UTF-8"));
        assertFalse(bridge.take(token, "data:text/csv;base64,YQ=="));
        bridge.end(token, "text/csv");
        shadowOf(Looper.getMainLooper()).idle();
        assertNull("a token is good once", shadow().getNextStartedActivityForResult());
    }

    @Test
    public void aFileOfTheHostIsCalledWhatItsServerOrItsLinkSays() {
        String url = "https://saltmarsh.example/export?id=3";
        DownloadManager manager =
                (DownloadManager) activity.getSystemService(Context.DOWNLOAD_SERVICE);
        String[][] cases = {
            {"attachment; filename=\"server.pdf\"", "\"link.pdf\"", "server.pdf"},
            {null, "\"link.pdf\"", "link.pdf"},
            {null, "\"\"", "export.pdf"},
            {null, "no JSON", "export.pdf"},
        };
        for (int i = 0; i < cases.length; i++) {
            download(url, cases[i][0], "application/pdf", cases[i][1]);
            DownloadManager.Request request = shadowOf(manager).getRequest(i);
            assertEquals(cases[i][2], shadowOf(request).getTitle().toString());
        }
    }

    @Test
    public void ownPagesAreMadeReadyForIt() {
        WebViewClient client = shadowOf(pages).getWebViewClient();
        client.onPageStarted(pages, PAGE, null);
        String script = shadowOf(pages).getLastEvaluatedJavascript();
        assertTrue(script, script.contains("hullKept"));
        pages.evaluateJavascript("1", null);
        client.onPageCommitVisible(pages, "https://weather.saltmarsh.example/");
        assertEquals("no other's", "1", shadowOf(pages).getLastEvaluatedJavascript());
        client.onPageCommitVisible(pages, PAGE);
        assertEquals(script, shadowOf(pages).getLastEvaluatedJavascript());
    }

    private Message transport(WebView opener) {
        Message message = Message.obtain(new Handler(Looper.getMainLooper()));
        message.obj = opener.new WebViewTransport();
        return message;
    }

    @Test
    public void aSignInGetsAWindowThatSaysWhoseItIsAndComesBack() {
        assertFalse(
                "not without a touch", chrome.onCreateWindow(pages, true, false, transport(pages)));
        Message message = transport(pages);
        assertTrue(chrome.onCreateWindow(pages, true, true, message));
        Popup popup = find(Popup.class);
        assertNotNull(popup);
        assertEquals(popup.window, ((WebView.WebViewTransport) message.obj).getWebView());
        shadowOf(popup.window)
                .getWebViewClient()
                .doUpdateVisitedHistory(
                        popup.window, "https://sign-in.saltmarsh.example/start", false);
        assertEquals("sign-in.saltmarsh.example", popup.bar.shown());
        chrome.onCloseWindow(popup.window);
        assertNull(find(Popup.class));

        assertTrue(chrome.onCreateWindow(pages, true, true, transport(pages)));
        activity.onBackPressed();
        assertNull("back closes it", find(Popup.class));
        assertFalse(activity.isFinishing());

        assertTrue(chrome.onCreateWindow(pages, true, true, transport(pages)));
        if (Build.VERSION.SDK_INT >= 26) {
            WebView window = find(Popup.class).window;
            assertTrue(
                    "its end is not the app's",
                    shadowOf(window).getWebViewClient().onRenderProcessGone(window, null));
            assertNull(find(Popup.class));
        }
    }

    @Test
    public void aLinkToANewWindowOpensHereOrInTheBrowser() {
        Message message = transport(pages);
        assertTrue(chrome.onCreateWindow(pages, false, true, message));
        WebView lookout = ((WebView.WebViewTransport) message.obj).getWebView();
        shadowOf(lookout)
                .getWebViewClient()
                .shouldOverrideUrlLoading(
                        lookout,
                        new NavigationTest.Request("https://news.saltmarsh.example/", true, true));
        assertEquals(
                "https://news.saltmarsh.example/",
                shadow().getNextStartedActivity().getDataString());
        Message own = transport(pages);
        assertTrue(chrome.onCreateWindow(pages, false, true, own));
        WebView second = ((WebView.WebViewTransport) own.obj).getWebView();
        shadowOf(second)
                .getWebViewClient()
                .shouldOverrideUrlLoading(
                        second, new NavigationTest.Request(TestSite.ORIGIN + "/fares", true, true));
        assertEquals(TestSite.ORIGIN + "/fares", shadowOf(pages).getLastLoadedUrl());
    }

    private static JsResult result() {
        return ReflectionHelpers.callConstructor(
                JsResult.class,
                ReflectionHelpers.ClassParameter.from(
                        JsResult.ResultReceiver.class,
                        new JsResult.ResultReceiver() {
                            @Override
                            public void onJsResultComplete(JsResult result) {}
                        }));
    }

    @Test
    public void pagesDialogsHaveTheAppsName() {
        JsResult no = result();
        assertTrue(chrome.onJsConfirm(pages, PAGE, "Cancel the ticket?", no));
        assertEquals(
                "Saltmarsh Ferry",
                shadowOf(ShadowAlertDialog.getLatestAlertDialog()).getTitle().toString());
        press(DialogInterface.BUTTON_NEGATIVE);
        assertTrue(shadowOf(no).wasCancelled());
        JsResult yes = result();
        assertTrue(chrome.onJsConfirm(pages, PAGE, "Cancel the ticket?", yes));
        press(DialogInterface.BUTTON_POSITIVE);
        assertFalse(shadowOf(yes).wasCancelled());
        JsResult leave = result();
        assertTrue(chrome.onJsBeforeUnload(pages, PAGE, "Not saved yet.", leave));
        ShadowAlertDialog.getLatestAlertDialog().cancel();
        shadowOf(Looper.getMainLooper()).idle();
        assertTrue("who looks away stays", shadowOf(leave).wasCancelled());
    }

    @Test
    public void videoFillsTheScreenAndBackBringsThePageAgain() {
        final List<String> told = new ArrayList<>();
        View video = new View(activity);
        chrome.onShowCustomView(
                video,
                new WebChromeClient.CustomViewCallback() {
                    @Override
                    public void onCustomViewHidden() {
                        told.add("hidden");
                    }
                });
        assertEquals(activity.getWindow().getDecorView(), video.getParent());
        activity.onBackPressed();
        assertNull(video.getParent());
        assertEquals(Arrays.asList("hidden"), told);
        assertFalse(activity.isFinishing());
    }

    @Test
    public void theStartPictureStaysUntilThePageIsSeenAndNotForEver() {
        StartHold hold = StartHold.install(new View(activity));
        assertFalse(hold.onPreDraw());
        shadowOf(Looper.getMainLooper())
                .idleFor(java.time.Duration.ofMillis(StartHold.LIMIT_MS + 1));
        assertTrue(hold.isReleased());
        StartHold own = ReflectionHelpers.getField(activity, "hold");
        shadowOf(pages).getWebViewClient().onPageCommitVisible(pages, PAGE);
        assertTrue(own.isReleased());
    }

    @Test
    public void slowPagesShowABarAndQuickOnesNone() {
        SlowBar bar = find(SlowBar.class);
        chrome.onProgressChanged(pages, 30);
        assertEquals(View.GONE, bar.getVisibility());
        chrome.onProgressChanged(pages, 100);
        shadowOf(Looper.getMainLooper()).idleFor(java.time.Duration.ofSeconds(2));
        assertEquals(View.GONE, bar.getVisibility());
        chrome.onProgressChanged(pages, 10);
        shadowOf(Looper.getMainLooper()).idleFor(java.time.Duration.ofSeconds(2));
        assertEquals(View.VISIBLE, bar.getVisibility());
        assertEquals(10, bar.getProgress());
    }

    @Test
    public void textIsAsLargeAsTheUserSetIt() {
        float scale = activity.getResources().getConfiguration().fontScale;
        assertEquals(Math.round(100 * scale), pages.getSettings().getTextZoom());
        assertTrue(Build.VERSION.SDK_INT >= 24);
    }

    /** The activity of a package with an offline page of its own. */
    public static final class WithOfflinePage extends PageActivity {
        @Override
        ShellSettings readSettings() {
            try {
                return TestSite.parse(
                        TestSite.json("/", true)
                                .put(
                                        "errors",
                                        new org.json.JSONObject()
                                                .put("offline", TestSite.ORIGIN + "/404.html")
                                                .put("notFound", "page")
                                                .put("server", "page"))
                                .put(
                                        "window",
                                        new org.json.JSONObject()
                                                .put("keepScreenOn", true)
                                                .put("secure", true))
                                .toString());
            } catch (Exception e) {
                throw new AssertionError(e);
            }
        }
    }

    @Test
    public void withoutANetworkTheAppsOwnPageIsShownAndTheOneThatWasWantedComesBack() {
        shadowOf(RuntimeEnvironment.getApplication().getPackageManager())
                .addActivityIfNotPresent(
                        new android.content.ComponentName(
                                RuntimeEnvironment.getApplication(), WithOfflinePage.class));
        WithOfflinePage own = Robolectric.buildActivity(WithOfflinePage.class).setup().get();
        root = TestSite.root(own);
        WebView view = find(WebView.class);
        int flags = own.getWindow().getAttributes().flags;
        assertTrue((flags & android.view.WindowManager.LayoutParams.FLAG_KEEP_SCREEN_ON) != 0);
        assertTrue((flags & android.view.WindowManager.LayoutParams.FLAG_SECURE) != 0);
        String wanted = TestSite.ORIGIN + "/fares";
        own.pageFailed(wanted, Trouble.OFFLINE);
        assertEquals(TestSite.ORIGIN + "/404.html", shadowOf(view).getLastLoadedUrl());
        assertNull("the shell says nothing", find(TroubleView.class));
        own.dispatchKeyEvent(
                new android.view.KeyEvent(
                        0,
                        0,
                        android.view.KeyEvent.ACTION_DOWN,
                        android.view.KeyEvent.KEYCODE_R,
                        0,
                        android.view.KeyEvent.META_CTRL_ON));
        assertEquals(wanted, shadowOf(view).getLastLoadedUrl());
        own.pageFailed(TestSite.ORIGIN + "/404.html", Trouble.OFFLINE);
        assertEquals(
                "where even that page fails", Trouble.OFFLINE, find(TroubleView.class).shown());
        own.pageFailed(wanted, Trouble.UNSAFE);
        assertTrue(find(TroubleView.class).shown() == Trouble.UNSAFE);
    }
}
