package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Activity;
import android.app.Application;
import android.content.ComponentName;
import android.content.Intent;
import android.content.IntentFilter;
import android.net.Uri;
import android.os.Bundle;
import android.os.Parcel;
import android.os.Parcelable;
import android.view.ViewGroup;
import android.webkit.WebView;

import org.json.JSONArray;
import org.json.JSONObject;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;

/**
 * Other apps send whatever they like, pages and frames too: nothing of it runs in the app's own
 * origin, or ends the app.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class HostileIntentsTest {
    private static final String OWN = TestSite.ORIGIN + "/tickets/";

    public static final class Opened extends PageActivity {
        @Override
        ShellSettings readSettings() {
            try {
                return HostileIntentsTest.settings();
            } catch (Exception e) {
                throw new AssertionError(e);
            }
        }
    }

    private final Application app = RuntimeEnvironment.getApplication();

    private static ShellSettings settings() throws Exception {
        JSONObject json =
                TestSite.json("/", false)
                        .put("base", TestSite.ORIGIN + "/")
                        .put("scheme", "saltmarsh-ferry")
                        .put("noticeScript", "window.hullNotes")
                        .put(
                                "permissions",
                                new JSONObject()
                                        .put(
                                                "notifications",
                                                new JSONObject()
                                                        .put(
                                                                "reason",
                                                                "Tells you when your boat is late.")
                                                        .put("allow", "send you notifications")
                                                        .put("system", new JSONArray())))
                        .put(
                                "share",
                                new JSONObject()
                                        .put("action", TestSite.ORIGIN + "/shared?from=\"&<x")
                                        .put("method", "POST")
                                        .put("multipart", true)
                                        .put("title", "title")
                                        .put("text", "text")
                                        .put("url", "link")
                                        .put(
                                                "files",
                                                new JSONArray()
                                                        .put(
                                                                new JSONObject()
                                                                        .put("name", "ticket")
                                                                        .put(
                                                                                "accept",
                                                                                new JSONArray()
                                                                                        .put(
                                                                                                "image/*")))));
        return TestSite.parse(json.toString());
    }

    private OutsideLinks links() throws Exception {
        return TestSite.links(Robolectric.buildActivity(Activity.class).get(), settings());
    }

    /** Addresses that are not the app's, however they look. */
    private static final String[] FOREIGN = {
        "javascript:alert(1)",
        "javascript://example.saltmarsh.ferry.invalid/%0aalert(1)",
        "JavaScript://x/%0Aalert(1)",
        "data:text/html,<script>alert(1)</script>",
        "data://example.saltmarsh.ferry.invalid/,x",
        "blob:" + OWN,
        "about:blank",
        "https://evil.example\\@example.saltmarsh.ferry.invalid/",
        "https://evil.example\\.example.saltmarsh.ferry.invalid/",
        "https://user@example.saltmarsh.ferry.invalid/",
        "https://example.saltmarsh.ferry.invalid@evil.example/",
        "https://example.saltmarsh.ferry.invalid:8443/",
        "http://example.saltmarsh.ferry.invalid/",
        "https:example.saltmarsh.ferry.invalid/",
        "https:///example.saltmarsh.ferry.invalid/",
        "https://",
        "https:",
        "",
        "https://example.saltmarsh.ferry.invalid.evil.example/",
        "//example.saltmarsh.ferry.invalid/",
        "/tickets/",
        "https://example.saltmarsh.ferry.invalid\t/",
        "https://example.saltmarsh.ferry.invalid /",
        "\u0001" + OWN,
        "file:///data/data/x",
        "content://x/y",
        "filesystem:" + OWN,
        "intent:" + OWN + "#Intent;end",
        "view-source:" + OWN
    };

    @Test
    public void onlyPlainAddressesOfItsOwnHostAreTheAppsPages() throws Exception {
        OutsideLinks links = links();
        for (String address : FOREIGN) {
            assertFalse(address, links.isOwnPage(Uri.parse(address)));
        }
        for (String address :
                new String[] {
                    OWN,
                    TestSite.ORIGIN,
                    TestSite.ORIGIN + ":443/x?y=@&z=a:b#c",
                    "HTTPS" + OWN.substring(5)
                }) {
            assertTrue(address, links.isOwnPage(Uri.parse(address)));
        }
        assertTrue(
                "a page may go where it makes itself", links.staysInside(Uri.parse("blob:" + OWN)));
    }

    private WebView start(Intent intent) {
        Activity activity = Robolectric.buildActivity(Opened.class, intent).setup().get();
        return pagesOf((ViewGroup) activity.findViewById(android.R.id.content));
    }

    private static WebView pagesOf(ViewGroup group) {
        for (int i = 0; i < group.getChildCount(); i++) {
            if (group.getChildAt(i) instanceof WebView) {
                return (WebView) group.getChildAt(i);
            }
            WebView inner =
                    group.getChildAt(i) instanceof ViewGroup
                            ? pagesOf((ViewGroup) group.getChildAt(i))
                            : null;
            if (inner != null) {
                return inner;
            }
        }
        return null;
    }

    /** An object of a class that only its sender has. */
    public static final class Unknown implements Parcelable {
        @Override
        public int describeContents() {
            return 0;
        }

        @Override
        public void writeToParcel(Parcel parcel, int flags) {
            parcel.writeInt(1);
        }
    }

    private static final String[] KEYS = {
        Notices.ID,
        Notices.PAGE,
        Notices.SECRET,
        Intent.EXTRA_TEXT,
        Intent.EXTRA_SUBJECT,
        Intent.EXTRA_STREAM,
        "android.intent.extra.REFERRER"
    };

    private static void put(Bundle extras, String key, Random random) {
        switch (random.nextInt(10)) {
            case 0:
                extras.putString(key, FOREIGN[random.nextInt(FOREIGN.length)]);
                break;
            case 1:
                extras.putInt(key, random.nextInt());
                break;
            case 2:
                extras.putParcelable(key, Uri.parse(FOREIGN[random.nextInt(FOREIGN.length)]));
                break;
            case 3:
                extras.putParcelableArrayList(
                        key,
                        new ArrayList<Parcelable>(
                                Arrays.asList(new Intent("x"), Uri.parse("content://a/b"))));
                break;
            case 4:
                extras.putStringArrayList(
                        key, new ArrayList<String>(Arrays.asList("javascript:alert(1)", null)));
                break;
            case 5:
                extras.putBundle(key, new Bundle());
                break;
            case 6:
                extras.putByteArray(key, new byte[] {1, 2});
                break;
            case 7:
                extras.putParcelable(key, null);
                break;
            case 8:
                extras.putParcelable(key, new Unknown());
                break;
            default:
                extras.putCharSequence(
                        key, new StringBuilder("</script><script>alert(1)</script>"));
        }
    }

    /**
     * As another app's extras arrive: a class that this app does not have throws when the first of
     * them is read.
     */
    private static Bundle received(Bundle extras) {
        Parcel parcel = Parcel.obtain();
        parcel.writeBundle(extras);
        byte[] bytes = parcel.marshall();
        parcel.recycle();
        for (int at = 0; at + 6 < bytes.length; at++) {
            // "Unknown" becomes "Vnknown", in either encoding of the name.
            boolean wide =
                    bytes[at] == 'U'
                            && bytes[at + 1] == 0
                            && bytes[at + 2] == 'n'
                            && bytes[at + 4] == 'k';
            boolean narrow = bytes[at] == 'U' && bytes[at + 1] == 'n' && bytes[at + 2] == 'k';
            if (wide || narrow) {
                bytes[at] = 'V';
            }
        }
        Parcel arrived = Parcel.obtain();
        arrived.unmarshall(bytes, 0, bytes.length);
        arrived.setDataPosition(0);
        Bundle bundle = arrived.readBundle(HostileIntentsTest.class.getClassLoader());
        arrived.recycle();
        return bundle;
    }

    @Test
    public void mutatedIntentsLoadNothingButTheAppsPages() {
        Random random = new Random(20_261_128);
        String[] actions = {
            Intent.ACTION_VIEW,
            Intent.ACTION_MAIN,
            Intent.ACTION_SEND,
            Intent.ACTION_SEND_MULTIPLE,
            null,
            "x"
        };
        for (int round = 0; round < 120; round++) {
            Intent intent = new Intent(actions[random.nextInt(actions.length)]);
            String address = FOREIGN[random.nextInt(FOREIGN.length)];
            if (random.nextBoolean()) {
                intent.setDataAndType(
                        Uri.parse(address), random.nextBoolean() ? "text/plain" : "image/*");
            }
            Bundle extras = new Bundle();
            for (String key : KEYS) {
                if (random.nextInt(3) == 0) {
                    put(extras, key, random);
                }
            }
            intent.replaceExtras(received(extras));
            WebView pages = start(intent);
            String loaded = String.valueOf(shadowOf(pages).getLastLoadedUrl());
            String what = round + " " + intent.getAction() + " " + address;
            assertTrue(
                    what + " loaded " + loaded,
                    loaded.startsWith(TestSite.ORIGIN + "/") || loaded.equals("null"));
            if (loaded.equals("null")) {
                String form = shadowOf(pages).getLastLoadDataWithBaseURL().data;
                assertFalse(what, form.contains("<script>alert"));
            }
        }
    }

    @Test
    public void theSharedFilesFormGoesToItsAddress() throws Exception {
        Intent send =
                new Intent(Intent.ACTION_SEND)
                        .setType("text/plain")
                        .putExtra(Intent.EXTRA_TEXT, "x");
        Arrival arrival = Arrival.of(send, settings(), links(), app.getContentResolver());
        String form = arrival.form;
        String expected = "action=\"" + TestSite.ORIGIN + "/shared?from=&quot;&amp;&lt;x\">";
        assertTrue(form, form.contains(expected));
    }

    @Test
    public void intentAddressesReachOtherAppsAloneAndCarryNothing() throws Exception {
        Activity activity = Robolectric.buildActivity(Activity.class).get();
        OutsideLinks links = TestSite.links(activity, settings());
        ComponentName self = new ComponentName(app, Opened.class);
        IntentFilter filter = new IntentFilter(Intent.ACTION_MAIN);
        filter.addCategory(Intent.CATEGORY_BROWSABLE);
        filter.addCategory(Intent.CATEGORY_DEFAULT);
        shadowOf(app.getPackageManager()).addActivityIfNotPresent(self);
        shadowOf(app.getPackageManager()).addIntentFilterForActivity(self, filter);
        String extras = "S." + Notices.PAGE + "=javascript%3Aalert(1);S." + Notices.ID + "=1;";
        for (String sly :
                new String[] {
                    "intent:#Intent;action=android.intent.action.MAIN;" + extras + "end",
                    "intent:#Intent;package="
                            + app.getPackageName()
                            + ";action=x;"
                            + extras
                            + "end",
                    "intent:#Intent;component="
                            + self.flattenToString()
                            + ";action=android.intent.action.MAIN;"
                            + extras
                            + "end",
                    "intent:#Intent;SEL;component="
                            + self.flattenToString()
                            + ";action=android.intent.action.MAIN;end",
                    "intent:#Intent;i.x=notanumber;end",
                    "intent:#Intent;launchFlags=zz;end",
                    "intent:#Intent;S.x=%ZZ;end",
                    "intent:",
                    "intent:#Intent"
                }) {
            links.open(Uri.parse(sly));
            Intent started = shadowOf(activity).getNextStartedActivity();
            assertTrue(sly, started == null || !app.getPackageName().equals(started.getPackage()));
            assertTrue(sly, started == null || started.getComponent() == null);
            assertTrue(
                    sly,
                    started == null
                            || started.getExtras() == null
                            || started.getExtras().isEmpty());
        }
        links.open(
                Uri.parse(
                        "intent://scan/#Intent;scheme=zxing;S.secret=x;S.browser_fallback_url=https%3A%2F%2Fother.example%2F;end"));
        Intent scan = shadowOf(activity).getNextStartedActivity();
        assertEquals("the app is asked first", "zxing", scan.getScheme());
        assertNull(scan.getStringExtra("secret"));
    }

    @Test
    public void tokensGoOnlyToTheAppsOwnDocuments() throws Exception {
        WebView pages = start(new Intent(Intent.ACTION_MAIN));
        android.webkit.WebViewClient client = shadowOf(pages).getWebViewClient();
        client.onPageStarted(pages, TestSite.ORIGIN + ":443/", null);
        String script = shadowOf(pages).getLastEvaluatedJavascript();
        String guard =
                "if (location.href.lastIndexOf(\""
                        + TestSite.ORIGIN.replace("/", "\\/")
                        + "\\/\", 0) === 0) {";
        assertTrue(script, script.startsWith(guard) && script.contains("hullNotes.open("));
        for (String address : FOREIGN) {
            client.onPageStarted(pages, address, null);
            client.onPageCommitVisible(pages, address);
            assertEquals(address, script, shadowOf(pages).getLastEvaluatedJavascript());
        }
    }

    @Test
    public void dialogsSayWhoseTheyAre() {
        WebView pages = start(new Intent(Intent.ACTION_MAIN));
        pages.loadUrl(OWN);
        android.webkit.WebChromeClient chrome = shadowOf(pages).getWebChromeClient();
        List<String> titles = new ArrayList<String>();
        for (String url :
                new String[] {OWN, "https://evil.example/frame", "data:text/html,x", null}) {
            chrome.onJsAlert(pages, url, "Pay now", null);
            android.app.AlertDialog dialog =
                    (android.app.AlertDialog)
                            org.robolectric.shadows.ShadowAlertDialog.getLatestDialog();
            titles.add(String.valueOf(shadowOf(dialog).getTitle()));
        }
        assertEquals(Arrays.asList("Saltmarsh Ferry", "evil.example", "data", ""), titles);
    }

    /**
     * Where no app takes an address that names one, the page's own way on is gone, or the store's
     * page of that app.
     */
    @Test
    public void anAppThatIsNotThereHasAWayOn() throws Exception {
        shadowOf(app).checkActivities(true);
        Activity activity = Robolectric.buildActivity(Activity.class).get();
        List<String> inside = new ArrayList<>();
        OutsideLinks links = new OutsideLinks(activity, settings(), inside::add);
        for (String scheme : new String[] {"market", "https"}) {
            ComponentName other = new ComponentName("other." + scheme, "Main");
            IntentFilter filter = new IntentFilter(Intent.ACTION_VIEW);
            filter.addCategory(Intent.CATEGORY_BROWSABLE);
            filter.addCategory(Intent.CATEGORY_DEFAULT);
            filter.addDataScheme(scheme);
            shadowOf(app.getPackageManager()).addActivityIfNotPresent(other);
            shadowOf(app.getPackageManager()).addIntentFilterForActivity(other, filter);
        }
        String scan = "intent://scan/#Intent;scheme=scan;package=scanner.app;";
        links.open(Uri.parse(scan + "S.browser_fallback_url=" + Uri.encode(OWN) + ";end"));
        assertEquals("a page of the app's own opens in the app", Arrays.asList(OWN), inside);
        assertNull(shadowOf(activity).getNextStartedActivity());
        links.open(Uri.parse(scan + "S.browser_fallback_url=https%3A%2F%2Fother.example%2F;end"));
        assertEquals(
                "https://other.example/",
                shadowOf(activity).getNextStartedActivity().getDataString());
        links.open(Uri.parse(scan + "S.browser_fallback_url=javascript%3Aalert(1);end"));
        assertEquals(
                "market://details?id=scanner.app",
                shadowOf(activity).getNextStartedActivity().getDataString());
        assertEquals(1, inside.size());
    }
}
