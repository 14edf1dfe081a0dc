package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Application;
import android.content.ComponentName;
import android.content.Context;
import android.content.Intent;
import android.content.IntentFilter;
import android.content.pm.ActivityInfo;
import android.content.pm.ApplicationInfo;
import android.content.pm.PackageInfo;
import android.content.pm.ResolveInfo;
import android.content.pm.ServiceInfo;
import android.content.pm.Signature;
import android.net.ConnectivityManager;
import android.net.Uri;
import android.os.Binder;
import android.os.Bundle;
import android.os.IBinder;
import android.os.Looper;
import android.os.Parcel;
import android.os.RemoteException;
import android.util.SparseArray;
import android.widget.Button;

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
import org.robolectric.shadows.ShadowPackageManager;
import org.robolectric.shadows.ShadowToast;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/** Pages in the user's browser: which one, what it is told, and what happens where it cannot. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class BrowserActivityTest {
    private static final String START = "https://ferry.saltmarsh.example/?from=app";
    private static String fallback = "custom-tab";
    private static String display = "standalone";
    private static String errors = "page";

    /** The activity with settings of a package that has the browser engine. */
    public static final class Opened extends BrowserActivity {
        @Override
        ShellSettings readSettings() {
            try {
                JSONObject json =
                        TestSite.json("/", true)
                                .put("start", START)
                                .put("base", "https://ferry.saltmarsh.example/")
                                .put("display", display)
                                .put(
                                        "errors",
                                        new JSONObject()
                                                .put("notFound", errors)
                                                .put("server", errors))
                                .put(
                                        "dark",
                                        new JSONObject()
                                                .put("themeColor", "#06202c")
                                                .put("backgroundColor", "#101418"))
                                .put(
                                        "share",
                                        new JSONObject()
                                                .put(
                                                        "action",
                                                        "https://ferry.saltmarsh.example/share")
                                                .put("method", "POST")
                                                .put("multipart", true)
                                                .put("text", "words")
                                                .put(
                                                        "files",
                                                        new JSONArray()
                                                                .put(
                                                                        new JSONObject()
                                                                                .put(
                                                                                        "name",
                                                                                        "picture")
                                                                                .put(
                                                                                        "accept",
                                                                                        new JSONArray()
                                                                                                .put(
                                                                                                        "image/*")))))
                                .put(
                                        "browser",
                                        new JSONObject()
                                                .put(
                                                        "origins",
                                                        new JSONArray()
                                                                .put(
                                                                        "https://tickets.saltmarsh.example"))
                                                .put("orientation", 7)
                                                .put("fallback", fallback));
                json.getJSONArray("inside")
                        .put(TestSite.rule("ferry\\.saltmarsh\\.example", "/.*"));
                return TestSite.parse(json.toString());
            } catch (Exception e) {
                throw new AssertionError(e);
            }
        }
    }

    /** A browser's service that reads what it is sent as its interface says, and notes it. */
    private static final class FakeBrowser extends Binder {
        final List<String> calls = new ArrayList<>();
        boolean refuses;
        IBinder session;

        @Override
        protected boolean onTransact(int code, Parcel data, Parcel reply, int flags)
                throws RemoteException {
            data.enforceInterface("android.support.customtabs.ICustomTabsService");
            boolean answer = !refuses;
            switch (code - FIRST_CALL_TRANSACTION) {
                case 1:
                    calls.add("warmup " + data.readLong());
                    break;
                case 2:
                    session = data.readStrongBinder();
                    calls.add("newSession " + session.getInterfaceDescriptor());
                    break;
                case 3:
                    assertEquals(session, data.readStrongBinder());
                    assertEquals(1, data.readInt());
                    calls.add("mayLaunchUrl " + Uri.CREATOR.createFromParcel(data));
                    assertEquals(0, data.readInt());
                    assertNull(data.createTypedArrayList(Bundle.CREATOR));
                    break;
                case 11:
                    assertEquals(session, data.readStrongBinder());
                    assertEquals(1, data.readInt());
                    Uri picture = Uri.CREATOR.createFromParcel(data);
                    calls.add("receiveFile " + data.readInt() + " " + picture);
                    assertEquals(0, data.readInt());
                    break;
                case 8:
                    assertEquals(session, data.readStrongBinder());
                    int relation = data.readInt();
                    assertEquals(1, data.readInt());
                    calls.add(
                            "validateRelationship "
                                    + relation
                                    + " "
                                    + Uri.CREATOR.createFromParcel(data));
                    assertEquals(0, data.readInt());
                    break;
                default:
                    throw new AssertionError("no such call: " + code);
            }
            assertEquals("everything was read", 0, data.dataAvail());
            reply.writeNoException();
            reply.writeInt(answer ? 1 : 0);
            return true;
        }

        /** Tells the app what became of the verification, as a browser does. */
        void tell(boolean verified) throws RemoteException {
            Parcel data = Parcel.obtain();
            Parcel reply = Parcel.obtain();
            data.writeInterfaceToken("android.support.customtabs.ICustomTabsCallback");
            data.writeInt(2);
            data.writeInt(1);
            Uri.parse("https://ferry.saltmarsh.example").writeToParcel(data, 0);
            data.writeInt(verified ? 1 : 0);
            data.writeInt(0);
            assertTrue(session.transact(FIRST_CALL_TRANSACTION + 5, data, reply, 0));
            reply.readException();
        }

        /** Tells of a page, one way, as browsers do: 1 begun, 2 finished, 3 failed, 4 given up. */
        void navigated(int event) throws RemoteException {
            Parcel data = Parcel.obtain();
            data.writeInterfaceToken("android.support.customtabs.ICustomTabsCallback");
            data.writeInt(event);
            data.writeInt(0);
            assertTrue(
                    session.transact(FIRST_CALL_TRANSACTION + 1, data, null, IBinder.FLAG_ONEWAY));
            shadowOf(Looper.getMainLooper()).idle();
        }

        /** Says that a page fails its users. @return whether the app deals with it */
        boolean complains(String name, String reason) throws RemoteException {
            Parcel data = Parcel.obtain();
            Parcel reply = Parcel.obtain();
            data.writeInterfaceToken("android.support.customtabs.ICustomTabsCallback");
            data.writeString(name);
            Bundle arguments = new Bundle();
            arguments.putString("crash_reason", reason);
            data.writeInt(1);
            arguments.writeToParcel(data, 0);
            assertTrue(session.transact(FIRST_CALL_TRANSACTION + 6, data, reply, 0));
            reply.readException();
            assertEquals(1, reply.readInt());
            Bundle answer = Bundle.CREATOR.createFromParcel(reply);
            assertEquals("everything was read", 0, reply.dataAvail());
            shadowOf(Looper.getMainLooper()).idle();
            return answer.getBoolean("success");
        }
    }

    private final Application app = RuntimeEnvironment.getApplication();
    private final FakeBrowser browser = new FakeBrowser();
    private ShadowPackageManager packages;

    @Before
    public void reset() {
        fallback = "custom-tab";
        display = "standalone";
        errors = "page";
        packages = shadowOf(app.getPackageManager());
        packages.addActivityIfNotPresent(new ComponentName(app, Opened.class));
    }

    private void install(String name, boolean trusted) {
        install(name, trusted, false);
    }

    private void install(String name, boolean trusted, boolean takesSplash) {
        ResolveInfo info = new ResolveInfo();
        info.serviceInfo = new ServiceInfo();
        info.serviceInfo.packageName = name;
        info.serviceInfo.name = name + ".Tabs";
        info.serviceInfo.applicationInfo = new ApplicationInfo();
        info.serviceInfo.applicationInfo.packageName = name;
        info.filter = new IntentFilter(TabsProtocol.ACTION);
        if (trusted) {
            info.filter.addCategory(TabsProtocol.TRUSTED);
        }
        if (takesSplash) {
            info.filter.addCategory(
                    "androidx.browser.trusted.category.TrustedWebActivitySplashScreensV1");
        }
        packages.addResolveInfoForIntent(new Intent(TabsProtocol.ACTION), info);
        shadowOf(app)
                .setComponentNameAndServiceForBindServiceForIntent(
                        new Intent(TabsProtocol.ACTION).setPackage(name),
                        new ComponentName(name, name + ".Tabs"),
                        browser);
    }

    private void prefer(String name) {
        ResolveInfo info = new ResolveInfo();
        info.activityInfo = new ActivityInfo();
        info.activityInfo.packageName = name;
        info.activityInfo.name = name + ".Main";
        info.activityInfo.applicationInfo = new ApplicationInfo();
        info.activityInfo.applicationInfo.packageName = name;
        info.isDefault = true;
        Intent web =
                new Intent(Intent.ACTION_VIEW, Uri.parse("https://"))
                        .addCategory(Intent.CATEGORY_BROWSABLE);
        packages.addResolveInfoForIntent(web, info);
    }

    private ActivityController<Opened> open(Intent intent) {
        ActivityController<Opened> controller =
                Robolectric.buildActivity(Opened.class, intent).setup();
        shadowOf(Looper.getMainLooper()).idle();
        return controller;
    }

    @Test
    public void theBrowserIsWarmedAskedToVerifyAndOpensThePageFullScreen() throws Exception {
        install("browser.one", true);
        ActivityController<Opened> controller = open(new Intent(Intent.ACTION_MAIN));
        assertEquals(
                Arrays.asList(
                        "warmup 0",
                        "newSession android.support.customtabs.ICustomTabsCallback",
                        "validateRelationship 2 https://ferry.saltmarsh.example",
                        "mayLaunchUrl " + START),
                browser.calls);
        Intent intent = shadowOf(controller.get()).getNextStartedActivity();
        assertEquals(Intent.ACTION_VIEW, intent.getAction());
        assertEquals(START, intent.getDataString());
        assertEquals("browser.one", intent.getPackage());
        Bundle extras = intent.getExtras();
        assertEquals(browser.session, extras.getBinder("android.support.customtabs.extra.SESSION"));
        assertTrue(
                extras.getBoolean(
                        "android.support.customtabs.extra.LAUNCH_AS_TRUSTED_WEB_ACTIVITY"));
        assertEquals(
                Arrays.asList("https://tickets.saltmarsh.example"),
                extras.getStringArrayList(
                        "android.support.customtabs.extra.ADDITIONAL_TRUSTED_ORIGINS"));
        assertEquals(7, extras.getInt("androidx.browser.trusted.extra.SCREEN_ORIENTATION"));
        assertEquals(0xff0b4f6c, extras.getInt("android.support.customtabs.extra.TOOLBAR_COLOR"));
        assertNull(extras.getBundle("androidx.browser.trusted.extra.DISPLAY_MODE"));
        browser.tell(true);
        assertEquals(Boolean.TRUE, ((TabsProtocol.Session) browser.session).verified);
        browser.tell(false);
        assertEquals(Boolean.FALSE, ((TabsProtocol.Session) browser.session).verified);
        // Leaving the browser leaves the app.
        controller.pause().stop().restart();
        assertTrue(controller.get().isFinishing());
    }

    @Test
    public void aGameStartsImmersive() {
        display = "fullscreen";
        install("browser.one", true);
        Intent intent =
                shadowOf(open(new Intent(Intent.ACTION_MAIN)).get()).getNextStartedActivity();
        Bundle mode = intent.getBundleExtra("androidx.browser.trusted.extra.DISPLAY_MODE");
        assertEquals(1, mode.getInt("androidx.browser.trusted.displaymode.KEY_ID"));
    }

    @Test
    public void theUsersOwnBrowserIsTakenIfItCan() {
        install("browser.one", true);
        install("browser.two", true);
        install("browser.plain", false);
        prefer("browser.two");
        Browsers found = Browsers.find(app.getPackageManager());
        assertEquals("browser.two", found.trusted);
        assertEquals("browser.two", found.tabs);
    }

    @Test
    public void anotherIsTakenWhereTheUsersOwnCannot() {
        install("browser.plain", false);
        install("browser.one", true);
        prefer("browser.plain");
        Browsers found = Browsers.find(app.getPackageManager());
        assertEquals("browser.one", found.trusted);
        assertEquals("browser.plain", found.tabs);
    }

    @Test
    public void withoutSuchABrowserACustomTabShowsThePage() {
        install("browser.plain", false);
        Intent intent =
                shadowOf(open(new Intent(Intent.ACTION_MAIN)).get()).getNextStartedActivity();
        assertEquals("browser.plain", intent.getPackage());
        assertTrue(intent.getExtras().containsKey("android.support.customtabs.extra.SESSION"));
        assertFalse(
                intent.getBooleanExtra(
                        "android.support.customtabs.extra.LAUNCH_AS_TRUSTED_WEB_ACTIVITY", false));
        assertTrue(browser.calls.isEmpty());
    }

    private void checkOwnView(ActivityController<Opened> controller, String url) {
        Intent intent = shadowOf(controller.get()).getNextStartedActivity();
        assertNotNull(intent);
        assertEquals(PageActivity.class.getName(), intent.getComponent().getClassName());
        assertEquals(url, intent.getDataString());
        assertTrue(controller.get().isFinishing());
    }

    @Test
    public void theAppsOwnViewShowsThePageWhereNothingElseDoesOrIsWanted() {
        checkOwnView(open(new Intent(Intent.ACTION_MAIN)), START);
        fallback = "webview";
        install("browser.plain", false);
        checkOwnView(open(new Intent(Intent.ACTION_MAIN)), START);
    }

    @Test
    public void aPackageWithoutAViewOpensATabOrAnyBrowser() {
        fallback = "browser-app";
        ActivityController<Opened> controller = open(new Intent(Intent.ACTION_MAIN));
        Intent intent = shadowOf(controller.get()).getNextStartedActivity();
        assertEquals(START, intent.getDataString());
        assertNull(intent.getComponent());
        assertEquals("https://", intent.getSelector().getDataString());
        assertTrue(controller.get().isFinishing());

        install("browser.plain", false);
        assertEquals(
                "browser.plain",
                shadowOf(open(new Intent(Intent.ACTION_MAIN)).get())
                        .getNextStartedActivity()
                        .getPackage());
        Intent shares =
                new Intent(Intent.ACTION_SEND)
                        .setType("text/plain")
                        .putExtra(Intent.EXTRA_TEXT, "At the pier");
        intent = shadowOf(open(shares).get()).getNextStartedActivity();
        assertEquals(START, intent.getDataString());
        assertEquals("browser.plain", intent.getPackage());
        assertEquals(
                "No browser on this device can take what you share.",
                ShadowToast.getTextOfLatestToast());
    }

    @Test
    public void aBrowserThatRefusesOrDoesNotAnswerIsNotWaitedFor() {
        fallback = "webview";
        browser.refuses = true;
        install("browser.one", true);
        checkOwnView(open(new Intent(Intent.ACTION_MAIN)), START);

        shadowOf(app).declareActionUnbindable(TabsProtocol.ACTION);
        checkOwnView(open(new Intent(Intent.ACTION_MAIN)), START);
    }

    @Test
    public void theStartPictureIsHandedToABrowserThatTakesIt() throws Exception {
        install("browser.one", true, true);
        Intent intent =
                shadowOf(open(new Intent(Intent.ACTION_MAIN)).get()).getNextStartedActivity();
        String picture = "content://" + app.getPackageName() + ".shots/splash.png";
        assertTrue(browser.calls.toString(), browser.calls.contains("receiveFile 1 " + picture));
        Bundle splash =
                intent.getBundleExtra("androidx.browser.trusted.EXTRA_SPLASH_SCREEN_PARAMS");
        assertEquals(
                "androidx.browser.trusted.category.TrustedWebActivitySplashScreensV1",
                splash.getString("androidx.browser.trusted.KEY_SPLASH_SCREEN_VERSION"));
        assertEquals(
                0xfff4f1ea,
                splash.getInt(
                        "androidx.browser.trusted.trusted.KEY_SPLASH_SCREEN_BACKGROUND_COLOR"));
        ShotFiles files =
                Robolectric.setupContentProvider(ShotFiles.class, app.getPackageName() + ".shots");
        assertEquals("image/png", files.getType(Uri.parse(picture)));
        assertTrue(files.openFile(Uri.parse(picture), "r").getStatSize() > 0);
    }

    @Test
    public void darkHasColoursOfItsOwn() {
        install("browser.one", true);
        Intent intent =
                shadowOf(open(new Intent(Intent.ACTION_MAIN)).get()).getNextStartedActivity();
        assertEquals(
                0xff0b4f6c,
                intent.getIntExtra("android.support.customtabs.extra.TOOLBAR_COLOR", 0));
        SparseArray<Bundle> schemes =
                intent.getExtras()
                        .getSparseParcelableArray(
                                "androidx.browser.customtabs.extra.COLOR_SCHEME_PARAMS");
        assertEquals(
                0xff06202c,
                schemes.get(2).getInt("android.support.customtabs.extra.TOOLBAR_COLOR"));
        assertEquals(
                0xff101418,
                schemes.get(2).getInt("androidx.browser.customtabs.extra.NAVIGATION_BAR_COLOR"));
    }

    @Test
    public void sharedFilesReachTheBrowserAsTheShareTargetSays() {
        install("browser.one", true);
        Uri file = Uri.parse("content://pictures/1");
        Intent shares =
                new Intent(Intent.ACTION_SEND)
                        .setType("image/png")
                        .putExtra(Intent.EXTRA_TEXT, "At the pier")
                        .putExtra(Intent.EXTRA_STREAM, file);
        Intent intent = shadowOf(open(shares).get()).getNextStartedActivity();
        assertEquals("https://ferry.saltmarsh.example/share", intent.getDataString());
        Bundle data = intent.getBundleExtra("androidx.browser.trusted.extra.SHARE_DATA");
        assertEquals("At the pier", data.getString("androidx.browser.trusted.sharing.KEY_TEXT"));
        assertEquals(
                Arrays.asList(file),
                data.getParcelableArrayList("androidx.browser.trusted.sharing.KEY_URIS"));
        Bundle target = intent.getBundleExtra("androidx.browser.trusted.extra.SHARE_TARGET");
        assertEquals("POST", target.getString("androidx.browser.trusted.sharing.KEY_METHOD"));
        Bundle params = target.getBundle("androidx.browser.trusted.sharing.KEY_PARAMS");
        List<Bundle> fields =
                params.getParcelableArrayList("androidx.browser.trusted.sharing.KEY_FILES");
        assertEquals(
                "picture",
                fields.get(0).getString("androidx.browser.trusted.sharing.KEY_FILE_NAME"));
    }

    @Test
    public void withoutSuchABrowserTheAppsOwnViewPostsWhatIsShared() {
        install("browser.plain", false);
        Intent shares =
                new Intent(Intent.ACTION_SEND)
                        .setType("text/plain")
                        .putExtra(Intent.EXTRA_TEXT, "At the pier");
        Intent intent = shadowOf(open(shares).get()).getNextStartedActivity();
        assertEquals(PageActivity.class.getName(), intent.getComponent().getClassName());
        assertEquals(Intent.ACTION_SEND, intent.getAction());
    }

    @Test
    public void aBrowserThatFindsTheAppIsNotItsHostsMayDoNothingInItsName() throws Exception {
        PackageInfo info = new PackageInfo();
        info.packageName = "browser.one";
        info.signatures = new Signature[] {new Signature("one".getBytes())};
        packages.installPackage(info);
        packages.setPackagesForUid(10_077, "browser.one");
        install("browser.one", true);
        open(new Intent(Intent.ACTION_MAIN));
        assertFalse("not before it has verified", TrustedBrowser.isCaller(app, 10_077));
        browser.tell(true);
        assertTrue(TrustedBrowser.isCaller(app, 10_077));
        browser.tell(false);
        assertFalse(TrustedBrowser.isCaller(app, 10_077));
    }

    /**
     * What the app does when the browser says that its page failed: it comes to the front with the
     * shell's words.
     */
    private Button checkWords(ActivityController<Opened> controller, Trouble why) {
        Intent front = shadowOf(controller.get()).getNextStartedActivity();
        assertNotNull(why.name(), front);
        assertEquals(Opened.class.getName(), front.getComponent().getClassName());
        assertEquals(
                Intent.FLAG_ACTIVITY_CLEAR_TOP | Intent.FLAG_ACTIVITY_SINGLE_TOP, front.getFlags());
        controller.restart().start().newIntent(front).resume();
        assertFalse(controller.get().isFinishing());
        TroubleView trouble = TestSite.find(TestSite.root(controller.get()), TroubleView.class);
        assertEquals(why, trouble.shown());
        return trouble.retry;
    }

    private ActivityController<Opened> openInBrowser(Intent intent) {
        ActivityController<Opened> controller = open(intent);
        assertEquals(
                "browser.one", shadowOf(controller.get()).getNextStartedActivity().getPackage());
        controller.pause().stop();
        return controller;
    }

    @Test
    public void aStartPageThatCannotBeReachedIsAnsweredInTheShellsWordsAndTriedAgain()
            throws Exception {
        install("browser.one", true);
        String link = "https://ferry.saltmarsh.example/pier.html";
        ActivityController<Opened> controller =
                openInBrowser(new Intent(Intent.ACTION_VIEW, Uri.parse(link)));
        browser.navigated(1);
        browser.navigated(3);
        Button retry = checkWords(controller, Trouble.OFFLINE);
        browser.navigated(3);
        assertNull("once is enough", shadowOf(controller.get()).getNextStartedActivity());
        browser.calls.clear();
        retry.performClick();
        shadowOf(Looper.getMainLooper()).idle();
        assertTrue(browser.calls.contains("mayLaunchUrl " + link));
        Intent again = shadowOf(controller.get()).getNextStartedActivity();
        assertEquals("browser.one", again.getPackage());
        assertEquals(link, again.getDataString());
    }

    @Test
    public void itOpensByItselfWhenTheNetworkIsBackAndNotWithoutEnd() throws Exception {
        install("browser.one", true);
        ConnectivityManager connectivity =
                (ConnectivityManager) app.getSystemService(Context.CONNECTIVITY_SERVICE);
        ActivityController<Opened> controller = openInBrowser(new Intent(Intent.ACTION_MAIN));
        browser.navigated(3);
        checkWords(controller, Trouble.OFFLINE);
        assertTrue(
                "a host that is gone is not asked again and again",
                shadowOf(connectivity).getNetworkCallbacks().isEmpty());

        disconnect();
        controller = openInBrowser(new Intent(Intent.ACTION_MAIN));
        browser.navigated(3);
        checkWords(controller, Trouble.OFFLINE);
        controller.pause().stop();
        assertTrue("only while it is seen", shadowOf(connectivity).getNetworkCallbacks().isEmpty());
        controller.restart().start().resume();
        browser.calls.clear();
        for (ConnectivityManager.NetworkCallback callback :
                shadowOf(connectivity).getNetworkCallbacks()) {
            callback.onAvailable(null);
        }
        shadowOf(Looper.getMainLooper()).idle();
        assertTrue(browser.calls.toString(), browser.calls.contains("mayLaunchUrl " + START));
    }

    @Test
    public void whatFailsAfterAPageWasShownIsBetweenBrowserAndPage() throws Exception {
        install("browser.one", true);
        ActivityController<Opened> controller = openInBrowser(new Intent(Intent.ACTION_MAIN));
        browser.navigated(2);
        browser.navigated(3);
        browser.navigated(4);
        assertNull(shadowOf(controller.get()).getNextStartedActivity());
        controller.restart();
        assertTrue(controller.get().isFinishing());
    }

    @Test
    public void whatAServerAnswersWithIsThePagesOwnUnlessTheAppWantsTheShells() throws Exception {
        install("browser.one", true);
        ActivityController<Opened> controller = openInBrowser(new Intent(Intent.ACTION_MAIN));
        assertFalse(browser.complains("quality_enforcement.crash", "404 from the launch URL"));
        assertFalse(browser.complains("quality_enforcement.crash", "The server answered with 503"));
        assertFalse(browser.complains("something.else", "offline"));
        assertNull(shadowOf(controller.get()).getNextStartedActivity());

        errors = "shell";
        controller = openInBrowser(new Intent(Intent.ACTION_MAIN));
        assertTrue(browser.complains("quality_enforcement.crash", "404 from the launch URL"));
        checkWords(controller, Trouble.NOT_FOUND);
        controller = openInBrowser(new Intent(Intent.ACTION_MAIN));
        assertTrue(browser.complains("quality_enforcement.crash", "The server answered with 503"));
        checkWords(controller, Trouble.SERVER);
    }

    @Test
    public void aComplaintOfAnythingElseIsTheBrowsersUnlessThereIsNoNetwork() throws Exception {
        errors = "shell";
        install("browser.one", true);
        ActivityController<Opened> controller = openInBrowser(new Intent(Intent.ACTION_MAIN));
        assertFalse(
                browser.complains(
                        "quality_enforcement.crash",
                        "https://ferry.saltmarsh.example/500/ is not verified"));
        assertFalse(browser.complains("quality_enforcement.crash", null));
        assertFalse(browser.complains("quality_enforcement.crash", "The server answered with 403"));
        assertNull(shadowOf(controller.get()).getNextStartedActivity());
        disconnect();
        assertTrue(
                browser.complains(
                        "quality_enforcement.crash",
                        "https://ferry.saltmarsh.example/404/ cannot be reached"));
        checkWords(controller, Trouble.OFFLINE);
    }

    private void disconnect() {
        ConnectivityManager connectivity =
                (ConnectivityManager) app.getSystemService(Context.CONNECTIVITY_SERVICE);
        shadowOf(connectivity).setDefaultNetworkActive(false);
        shadowOf(connectivity).setActiveNetworkInfo(null);
    }

    @Test
    public void linksAndSharesOpenTheirPage() {
        install("browser.one", true);
        String link = "https://ferry.saltmarsh.example/pier.html";
        Intent intent =
                shadowOf(open(new Intent(Intent.ACTION_VIEW, Uri.parse(link))).get())
                        .getNextStartedActivity();
        assertEquals(link, intent.getDataString());
        Intent foreign =
                shadowOf(
                                open(new Intent(
                                                Intent.ACTION_VIEW,
                                                Uri.parse("https://evil.example/")))
                                        .get())
                        .getNextStartedActivity();
        assertEquals("what is not the app's opens its start", START, foreign.getDataString());
    }

    @Test
    public void aLinkThatOpensInAnotherAppsTaskStartsTheAppsOwn() {
        install("browser.one", true);
        Intent link =
                new Intent(
                        Intent.ACTION_VIEW, Uri.parse("https://ferry.saltmarsh.example/pier.html"));
        ActivityController<Opened> controller = Robolectric.buildActivity(Opened.class, link);
        shadowOf(controller.get()).setIsTaskRoot(false);
        controller.setup();
        Intent own = shadowOf(controller.get()).getNextStartedActivity();
        assertEquals(Opened.class.getName(), own.getComponent().getClassName());
        assertEquals(link.getData(), own.getData());
        assertTrue((own.getFlags() & Intent.FLAG_ACTIVITY_NEW_TASK) != 0);
        assertTrue(controller.get().isFinishing());
        assertTrue("no browser is bothered", browser.calls.isEmpty());
        ActivityController<Opened> again = Robolectric.buildActivity(Opened.class, own);
        shadowOf(again.get()).setIsTaskRoot(false);
        again.setup();
        assertFalse(again.get().isFinishing());
    }

    @Test
    public void whatIsPostedIsNotOpenedBefore() {
        install("browser.one", true);
        open(
                new Intent(Intent.ACTION_SEND)
                        .setType("text/plain")
                        .putExtra(Intent.EXTRA_TEXT, "At the pier"));
        for (String call : browser.calls) {
            assertFalse(call, call.startsWith("mayLaunchUrl"));
        }
        assertFalse(browser.calls.isEmpty());
        browser.calls.clear();
        ActivityController<Opened> again =
                open(
                        new Intent(Intent.ACTION_SEND)
                                .setType("text/plain")
                                .putExtra(Intent.EXTRA_TEXT, "At the pier")
                                .addFlags(Intent.FLAG_ACTIVITY_LAUNCHED_FROM_HISTORY));
        Intent shown = shadowOf(again.get()).getNextStartedActivity();
        assertNull("not shared twice", shown.getBundleExtra(TabsProtocol.EXTRA_SHARE_DATA));
    }
}
