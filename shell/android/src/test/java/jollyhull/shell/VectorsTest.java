package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.junit.Assert.fail;

import android.net.Uri;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;

/** What all shells do alike, as data: byte ranges, and which addresses belong to the app. */
@RunWith(RobolectricTestRunner.class)
public class VectorsTest {
    private static JSONObject vectors(String name) throws IOException, JSONException {
        return new JSONObject(TestSite.vectors(name));
    }

    private static List<JSONObject> rows(JSONObject from, String key) throws JSONException {
        JSONArray list = from.getJSONArray(key);
        List<JSONObject> rows = new ArrayList<JSONObject>();
        for (int i = 0; i < list.length(); i++) {
            rows.add(list.getJSONObject(i));
        }
        return rows;
    }

    private static List<Uri> addresses(JSONObject from, String key) throws JSONException {
        JSONArray list = from.getJSONArray(key);
        List<Uri> addresses = new ArrayList<Uri>();
        for (int i = 0; i < list.length(); i++) {
            addresses.add(Uri.parse(list.getString(i)));
        }
        return addresses;
    }

    @Test
    public void readsRanges() throws Exception {
        for (JSONObject one : rows(vectors("ranges.json"), "ranges")) {
            String header = one.getString("header");
            Object wanted = one.get("range");
            ByteRange range;
            try {
                range = ByteRange.parse(header, one.getLong("length"));
            } catch (ByteRange.Unsatisfiable e) {
                assertEquals(header, "unsatisfiable", wanted);
                continue;
            }
            if (wanted.equals("whole")) {
                assertNull(header, range);
            } else if (wanted instanceof JSONArray) {
                assertNotNull(header, range);
                assertEquals(header, ((JSONArray) wanted).getLong(0), range.first);
                assertEquals(header, ((JSONArray) wanted).getLong(1), range.last);
            } else {
                fail(header + " can be satisfied");
            }
        }
    }

    @Test
    public void tellsItsOwnAddresses() throws Exception {
        for (JSONObject one : rows(vectors("addresses.json"), "rules")) {
            UrlRule rule = new UrlRule(one.getJSONObject("compiled"));
            for (Uri url : addresses(one, "inside")) {
                assertTrue(url.toString(), rule.matches(url));
            }
            for (Uri url : addresses(one, "outside")) {
                assertFalse(url.toString(), rule.matches(url));
            }
        }
    }

    @Test
    public void readsItsSettings() throws Exception {
        for (JSONObject one : rows(vectors("settings.json"), "apps")) {
            ShellSettings settings = TestSite.parse(one.getJSONObject("settings").toString());
            JSONObject window = one.getJSONObject("window");
            assertEquals(window.getBoolean("fullscreen"), settings.fullscreen);
            assertEquals(window.getBoolean("minimal"), settings.minimal);
            assertEquals(window.getBoolean("covers"), settings.covers());
            assertEquals(window.getBoolean("keepScreenOn"), settings.keepScreenOn);
            assertEquals(window.getBoolean("secure"), settings.secure);
            assertEquals(window.getBoolean("pullToRefresh"), settings.pullToRefresh);
            JSONObject colors = one.getJSONObject("colors");
            hasColors(colors.getJSONArray("light"), settings.light);
            hasColors(colors.getJSONArray("dark"), settings.dark);
            JSONObject reasons = one.getJSONObject("reasons");
            assertEquals(reasons.length(), settings.permissions.size());
            for (String name : names(reasons)) {
                assertEquals(reasons.getString(name), settings.permissions.get(name).reason);
            }
            JSONObject types = one.getJSONObject("types");
            for (String ending : names(types)) {
                assertEquals(types.getString(ending), settings.types.get(ending));
            }
            JSONObject headers = one.getJSONObject("headers");
            for (String path : names(headers)) {
                JSONObject fields = headers.getJSONObject(path);
                java.util.Map<String, String> found = settings.headersOf(path);
                assertEquals(path, fields.length(), found.size());
                for (String name : names(fields)) {
                    assertEquals(path, fields.getString(name), found.get(name));
                }
            }
            String offline = one.isNull("offline") ? null : one.getString("offline");
            assertEquals(offline, settings.offlinePage);
        }
    }

    private static void hasColors(JSONArray wanted, Colors colors) throws JSONException {
        assertEquals(wanted.getString(0), String.format("#%06x", colors.theme & 0xffffff));
        assertEquals(wanted.getString(1), String.format("#%06x", colors.background & 0xffffff));
    }

    private static List<String> names(JSONObject from) {
        List<String> names = new ArrayList<String>();
        for (java.util.Iterator<String> keys = from.keys(); keys.hasNext(); ) {
            names.add(keys.next());
        }
        return names;
    }

    @Test
    public void opensLinks() throws Exception {
        for (JSONObject one : rows(vectors("addresses.json"), "links")) {
            LinkRule rule = new LinkRule(one);
            for (Uri url : addresses(one, "opens")) {
                assertTrue(url.toString(), rule.isAbout(url) && rule.allows(url));
            }
            for (Uri url : addresses(one, "leaves")) {
                assertTrue(url.toString(), rule.isAbout(url));
                assertFalse(url.toString(), rule.allows(url));
            }
        }
    }
}
