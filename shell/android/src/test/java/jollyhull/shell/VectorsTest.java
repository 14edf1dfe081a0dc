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
