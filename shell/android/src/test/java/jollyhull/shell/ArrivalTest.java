package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Activity;
import android.app.Application;
import android.content.Intent;
import android.content.pm.PackageManager;
import android.content.pm.ResolveInfo;
import android.content.res.Resources;
import android.content.res.XmlResourceParser;
import android.net.Uri;
import android.os.Build;
import android.webkit.WebView;

import org.json.JSONArray;
import org.json.JSONObject;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;

import java.io.ByteArrayInputStream;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;

/**
 * Ways into the app: links, its own scheme, what others share, the icon's menu; by the framework's
 * own parser too.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class ArrivalTest {
    private final Application app = RuntimeEnvironment.getApplication();

    private static ShellSettings settings(String method, boolean multipart) throws Exception {
        JSONObject json =
                TestSite.json("/", false)
                        .put("base", TestSite.ORIGIN + "/")
                        .put("scheme", "saltmarsh-ferry");
        json.getJSONArray("inside").put(TestSite.rule("ferry\\.saltmarsh\\.example", "/.*"));
        json.put(
                "links",
                new JSONArray()
                        .put(
                                new JSONObject()
                                        .put("host", "ferry.saltmarsh.example")
                                        .put(
                                                "rules",
                                                new JSONArray()
                                                        .put(
                                                                new JSONObject()
                                                                        .put("allow", true)
                                                                        .put(
                                                                                "pattern",
                                                                                "/timetable/*"))
                                                        .put(
                                                                new JSONObject()
                                                                        .put("allow", false)
                                                                        .put(
                                                                                "pattern",
                                                                                "/timetable/old/*")))));
        json.put(
                "share",
                new JSONObject()
                        .put("action", TestSite.ORIGIN + "/shared")
                        .put("method", method)
                        .put("multipart", multipart)
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
                                                                new JSONArray().put("image/*")))));
        return TestSite.parse(json.toString());
    }

    private Arrival arrive(Intent intent, ShellSettings settings) {
        Activity activity = Robolectric.buildActivity(Activity.class).get();
        return Arrival.of(
                intent, settings, TestSite.links(activity, settings), app.getContentResolver());
    }

    private static Intent view(String url) {
        return new Intent(Intent.ACTION_VIEW, Uri.parse(url));
    }

    @Test
    public void linksOpenTheirPageAndWhatIsLeftOutGoesToTheBrowser() throws Exception {
        ShellSettings settings = settings("GET", false);
        assertEquals(
                "https://ferry.saltmarsh.example/timetable/today?x=1",
                arrive(view("https://ferry.saltmarsh.example/timetable/today?x=1"), settings).url);
        Arrival old = arrive(view("https://ferry.saltmarsh.example/timetable/old/1999"), settings);
        assertNull(old.url);
        assertEquals("https://ferry.saltmarsh.example/timetable/old/1999", old.outside.toString());
        assertNull(
                "another host is nobody's page",
                arrive(view("https://evil.example/"), settings).url);
        assertNull(arrive(view("javascript:alert(1)"), settings).url == null ? null : "ran");
        assertNull(arrive(new Intent(Intent.ACTION_MAIN), settings).url);
        assertNull(arrive(null, settings).url);
    }

    @Test
    public void theAppsOwnSchemeMeansItsPages() throws Exception {
        ShellSettings settings = settings("GET", false);
        assertEquals(
                TestSite.ORIGIN + "/pier.html?near=1",
                arrive(view("saltmarsh-ferry://pier.html?near=1"), settings).url);
        assertEquals(
                TestSite.ORIGIN + "/pier.html",
                arrive(view("saltmarsh-ferry:/pier.html"), settings).url);
        assertEquals(TestSite.ORIGIN + "/", arrive(view("saltmarsh-ferry:"), settings).url);
        String sly = arrive(view("saltmarsh-ferry://@evil.example/"), settings).url;
        assertEquals(TestSite.ORIGIN + "/@evil.example/", sly);
    }

    @Test
    public void sharesArriveAsTheVectorsSay() throws Exception {
        JSONArray targets = new JSONObject(TestSite.vectors("shares.json")).getJSONArray("targets");
        for (int i = 0; i < targets.length(); i++) {
            JSONObject target = targets.getJSONObject(i).getJSONObject("target");
            JSONArray shares = targets.getJSONObject(i).getJSONArray("shares");
            JSONObject json = TestSite.json("/", false).put("base", TestSite.ORIGIN + "/");
            ShellSettings settings = TestSite.parse(json.put("share", target).toString());
            for (int j = 0; j < shares.length(); j++) {
                sharesAs(settings, shares.getJSONObject(j));
            }
        }
    }

    private void sharesAs(ShellSettings settings, JSONObject one) throws Exception {
        Intent send = new Intent(Intent.ACTION_SEND).setType(one.optString("file", "text/plain"));
        if (one.has("title")) {
            send.putExtra(Intent.EXTRA_SUBJECT, one.getString("title"));
        }
        if (one.has("text")) {
            send.putExtra(Intent.EXTRA_TEXT, one.getString("text"));
        }
        Arrival arrival = arrive(send, settings);
        assertEquals(one.toString(), one.getString("arrives"), arrival.url);
        if (one.has("form")) {
            assertEquals(
                    one.getString("form"),
                    new String(arrival.post, java.nio.charset.StandardCharsets.UTF_8));
        }
        JSONArray fields = one.optJSONArray("fields");
        for (int i = 0; fields != null && i < fields.length(); i++) {
            assertTrue(one.toString(), arrival.form.contains(fields.getJSONArray(i).getString(1)));
        }
        if (one.has("file")) {
            assertEquals(
                    one.toString(),
                    one.isNull("field") ? null : one.getString("field"),
                    settings.share.fieldFor(one.getString("file")));
        }
    }

    @Test
    public void textsAreSharedByAddressOrPosted() throws Exception {
        Intent send =
                new Intent(Intent.ACTION_SEND)
                        .setType("text/plain")
                        .putExtra(Intent.EXTRA_SUBJECT, "Boat & tide")
                        .putExtra(Intent.EXTRA_TEXT, "At 13:30 é");
        assertEquals(
                TestSite.ORIGIN + "/shared?title=Boat+%26+tide&text=At+13%3A30+%C3%A9",
                arrive(send, settings("GET", false)).url);
        Intent link =
                new Intent(Intent.ACTION_SEND)
                        .setType("text/plain")
                        .putExtra(Intent.EXTRA_TEXT, "https://ferry.saltmarsh.example/x");
        assertEquals(
                TestSite.ORIGIN + "/shared?link=https%3A%2F%2Fferry.saltmarsh.example%2Fx",
                arrive(link, settings("GET", false)).url);
        Arrival posted = arrive(send, settings("POST", false));
        assertEquals(TestSite.ORIGIN + "/shared", posted.url);
        assertEquals(
                "title=Boat+%26+tide&text=At+13%3A30+%C3%A9", new String(posted.post, "US-ASCII"));
    }

    @Test
    public void filesArePostedByAPageThatCannotBeBrokenOutOf() throws Exception {
        Uri picture = Uri.parse("content://photos/1.jpg");
        shadowOf(app.getContentResolver())
                .registerInputStream(picture, new ByteArrayInputStream(new byte[] {1, 2, 3}));
        Intent send =
                new Intent(Intent.ACTION_SEND)
                        .setType("image/jpeg")
                        .putExtra(Intent.EXTRA_TEXT, "</script><script>alert(1)</script>")
                        .putExtra(Intent.EXTRA_STREAM, picture);
        Arrival arrival = arrive(send, settings("POST", true));
        JSONArray list = new JSONArray(served(arrival.files, pathOf(arrival)));
        assertEquals("ticket", list.getJSONObject(0).getString("field"));
        assertEquals("image/jpeg", list.getJSONObject(0).getString("type"));
        assertEquals(
                "\u0001\u0002\u0003", served(arrival.files, list.getJSONObject(0).getString("at")));
        assertNull(
                "a guessed path",
                arrival.files.answer(Uri.parse(TestSite.ORIGIN + "/hull-shared-1/0")));
        assertEquals(
                404,
                arrival.files
                        .answer(Uri.parse(TestSite.ORIGIN + pathOf(arrival) + "7"))
                        .getStatusCode());
        assertFalse(arrival.form, arrival.form.contains("<script>alert"));
        Intent theft =
                new Intent(Intent.ACTION_SEND)
                        .setType("image/jpeg")
                        .putExtra(
                                Intent.EXTRA_STREAM,
                                Uri.parse(
                                        "file:///data/data/example.saltmarsh.ferry/shared_prefs/hull.xml"));
        Arrival thief = arrive(theft, settings("POST", true));
        assertEquals("[]", served(thief.files, pathOf(thief)));
    }

    /** The secret path that the form's page fetches from. */
    private static String pathOf(Arrival arrival) {
        return arrival.form.replaceAll("(?s).*fetch\\(\"([^\"]+)\"\\).*", "$1").replace("\\/", "/");
    }

    private static String served(SharedFiles files, String path) throws Exception {
        return TestSite.body(files.answer(Uri.parse(TestSite.ORIGIN + path)));
    }

    private List<ResolveInfo> found(Intent intent) {
        return app.getPackageManager()
                .queryIntentActivities(
                        intent.setPackage(app.getPackageName()),
                        PackageManager.GET_RESOLVED_FILTER);
    }

    private static Intent link(String url) {
        return view(url)
                .addCategory(Intent.CATEGORY_BROWSABLE)
                .addCategory(Intent.CATEGORY_DEFAULT);
    }

    /** The packed manifest, as the framework matches it. */
    @Test
    public void theSystemMatchesLinksAsTheRulesSay() throws Exception {
        String host = "https://ferry.saltmarsh.example";
        for (String path :
                new String[] {
                    "/timetable/", "/timetable/today", "/pier.html", "/a.bc", "/a.b/x/c"
                }) {
            assertTrue(path, LinkFilters.match(app, Uri.parse(host + path)));
        }
        for (String path : new String[] {"/", "/timetable", "/pier.html5", "/ab", "/tickets/"}) {
            assertFalse(path, LinkFilters.match(app, Uri.parse(host + path)));
        }
        // In the system's patterns a point stands for any character even where it is escaped; the
        // shell is exact.
        assertTrue(LinkFilters.match(app, Uri.parse(host + "/axbc")));
        ShellSettings packed = ShellSettings.of(app);
        assertFalse(packed.opens(Uri.parse(host + "/axbc")));
        assertTrue(packed.opens(Uri.parse(host + "/a.bc")));
        // What is left out the system knows from API 35 on; before, the shell hands it to the
        // browser.
        Uri old = Uri.parse(host + "/timetable/old/1999");
        assertFalse(packed.opens(old));
        assertEquals(Build.VERSION.SDK_INT < 35, LinkFilters.match(app, old));
        assertFalse(LinkFilters.match(app, Uri.parse("http://ferry.saltmarsh.example/pier.html")));
        assertFalse(
                LinkFilters.match(app, Uri.parse("https://www.ferry.saltmarsh.example/pier.html")));
        assertEquals(1, found(link("saltmarsh-ferry://pier.html")).size());
        if (Build.VERSION.SDK_INT < 35) {
            assertTrue(found(link(host + "/pier.html")).get(0).filter.getAutoVerify());
        }
    }

    @Test
    public void queriesAndFragmentsAreToldApartByTheShell() throws Exception {
        ShellSettings packed = ShellSettings.of(app);
        String host = "https://tickets.saltmarsh.example";
        for (String link :
                new String[] {
                    "/show?code=1",
                    "/show?x=&code=a%20b",
                    "/day/3?boat=gull-2&seat=a",
                    "/wallet#pay",
                    "/f%C3%A4hre/",
                    "/a/x/y/edit"
                }) {
            assertTrue(link, packed.opens(Uri.parse(host + link)));
        }
        for (String link :
                new String[] {
                    "/show",
                    "/show?code=",
                    "/show?xcode=1",
                    "/day/3?boat=gull-2",
                    "/day/secret?boat=gull-2&seat=a",
                    "/wallet",
                    "/wallet#no"
                }) {
            assertFalse(link, packed.opens(Uri.parse(host + link)));
        }
        assertTrue(packed.opens(Uri.parse("https://hallig.isles.example/")));
        assertTrue(packed.opens(Uri.parse("https://xn--fhre-loa.example/insel")));
    }

    @Test
    public void theSystemOffersTheAppForWhatItTakes() {
        assertEquals(1, found(new Intent(Intent.ACTION_SEND).setType("text/plain")).size());
        assertEquals(1, found(new Intent(Intent.ACTION_SEND).setType("image/png")).size());
        assertEquals(0, found(new Intent(Intent.ACTION_SEND).setType("audio/mpeg")).size());
        assertEquals(1, found(new Intent(Intent.ACTION_SEND_MULTIPLE).setType("image/png")).size());
        assertEquals(
                0, found(new Intent(Intent.ACTION_SEND_MULTIPLE).setType("text/plain")).size());
    }

    @Test
    public void theSystemReadsPermissionsAndTakesNoDeviceAway() throws Exception {
        android.content.pm.PackageInfo info =
                app.getPackageManager()
                        .getPackageInfo(
                                app.getPackageName(),
                                PackageManager.GET_PERMISSIONS
                                        | PackageManager.GET_CONFIGURATIONS
                                        | PackageManager.GET_PROVIDERS);
        List<String> asked = Arrays.asList(info.requestedPermissions);
        for (String name :
                new String[] {
                    "ACCESS_COARSE_LOCATION", "ACCESS_FINE_LOCATION", "CAMERA", "POST_NOTIFICATIONS"
                }) {
            assertTrue(name, asked.contains("android.permission." + name));
        }
        assertFalse(asked.contains("android.permission.RECORD_AUDIO"));
        for (android.content.pm.FeatureInfo feature : info.reqFeatures) {
            assertEquals(
                    feature.name, 0, feature.flags & android.content.pm.FeatureInfo.FLAG_REQUIRED);
        }
        assertFalse(info.providers[0].exported);
        assertTrue(info.providers[0].grantUriPermissions);
    }

    @Test
    public void shortcutsAndNamesComeOutOfTheResources() throws Exception {
        Resources resources = app.getResources();
        int id = resources.getIdentifier("shortcuts", "xml", app.getPackageName());
        XmlResourceParser parser = resources.getXml(id);
        StringBuilder seen = new StringBuilder();
        for (int event = parser.next();
                event != XmlResourceParser.END_DOCUMENT;
                event = parser.next()) {
            if (event == XmlResourceParser.START_TAG && "shortcut".equals(parser.getName())) {
                String space = "http://schemas.android.com/apk/res/android";
                seen.append(
                                resources.getString(
                                        parser.getAttributeResourceValue(
                                                space, "shortcutShortLabel", 0)))
                        .append('|');
                seen.append(
                                resources.getString(
                                        parser.getAttributeResourceValue(
                                                space, "shortcutLongLabel", 0)))
                        .append('|');
            }
            if (event == XmlResourceParser.START_TAG && "intent".equals(parser.getName())) {
                seen.append(
                                parser.getAttributeValue(
                                        "http://schemas.android.com/apk/res/android", "data"))
                        .append('\n');
            }
        }
        assertEquals(
                "Nearest pier|Nearest pier|"
                        + TestSite.ORIGIN
                        + "/tickets/\nFar|The far island|"
                        + TestSite.ORIGIN
                        + "/?far\n",
                seen.toString());
        int name = resources.getIdentifier("name", "string", app.getPackageName());
        assertEquals("Saltmarsh Ferry", resources.getString(name));
        android.content.res.Configuration german =
                new android.content.res.Configuration(resources.getConfiguration());
        german.setLocale(Locale.GERMANY);
        assertEquals("Salzwiesen-Fähre", app.createConfigurationContext(german).getString(name));
    }

    @Test
    public void theActivityOpensWhatItIsAskedForAlsoWhileItRuns() {
        ActivityController<PageActivity> controller =
                Robolectric.buildActivity(PageActivity.class, view(TestSite.ORIGIN + "/tickets/"))
                        .setup();
        WebView pages = null;
        android.view.ViewGroup root =
                (android.view.ViewGroup)
                        ((android.view.ViewGroup)
                                        controller.get().findViewById(android.R.id.content))
                                .getChildAt(0);
        for (int i = 0; i < root.getChildCount(); i++) {
            pages = root.getChildAt(i) instanceof WebView ? (WebView) root.getChildAt(i) : pages;
        }
        assertEquals(TestSite.ORIGIN + "/tickets/", shadowOf(pages).getLastLoadedUrl());
        controller.newIntent(view("saltmarsh-ferry://fares"));
        assertEquals(TestSite.ORIGIN + "/fares", shadowOf(pages).getLastLoadedUrl());
        controller.newIntent(new Intent(Intent.ACTION_MAIN));
        assertEquals(
                "the launcher leaves the page alone",
                TestSite.ORIGIN + "/fares",
                shadowOf(pages).getLastLoadedUrl());
        assertTrue(Build.VERSION.SDK_INT >= 24);
    }
}
