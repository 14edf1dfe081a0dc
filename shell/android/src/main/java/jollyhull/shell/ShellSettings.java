package jollyhull.shell;

import android.content.res.AssetManager;
import android.graphics.Color;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

/** What the packed app tells its shell: the one file {@value #ASSET}, written when the package is made. */
final class ShellSettings {
    static final String ASSET = "hull/shell.json";

    /** The folder of the packed pages, as an asset path. */
    static final String SITE = "site";

    /** Absolute URL of the first page. */
    final String start;
    /** Scheme and authority under which packed pages are served, or null where nothing is packed. */
    final String packedOrigin;
    /** Path prefix of the packed pages: starts and ends with a slash. */
    final String packedBase;
    /** Whether what is not packed may be asked of the network at the same origin. */
    final boolean packedNetwork;
    final List<UrlRule> inside;
    final boolean fullscreen;
    final int themeColor;
    final int backgroundColor;
    /** Content types by lower-case file name extension. */
    final Map<String, String> types;

    private final JSONObject words;

    private ShellSettings(JSONObject json) throws JSONException {
        start = json.getString("start");
        JSONObject packed = json.optJSONObject("packed");
        packedOrigin = packed == null ? null : packed.getString("origin");
        packedBase = packed == null ? "/" : packed.getString("base");
        packedNetwork = packed != null && packed.getBoolean("network");
        List<UrlRule> rules = new ArrayList<UrlRule>();
        JSONArray list = json.getJSONArray("inside");
        for (int i = 0; i < list.length(); i++) {
            rules.add(new UrlRule(list.getJSONObject(i)));
        }
        inside = rules;
        fullscreen = "fullscreen".equals(json.getString("display"));
        themeColor = Color.parseColor(json.getString("themeColor"));
        backgroundColor = Color.parseColor(json.getString("backgroundColor"));
        Map<String, String> table = new HashMap<String, String>();
        JSONObject typesJson = json.optJSONObject("types");
        if (typesJson != null) {
            for (Iterator<String> keys = typesJson.keys(); keys.hasNext(); ) {
                String key = keys.next();
                table.put(key, typesJson.getString(key));
            }
        }
        types = table;
        words = json.getJSONObject("words");
    }

    static ShellSettings parse(String json) throws JSONException {
        return new ShellSettings(new JSONObject(json));
    }

    /** Reads the settings of this package; a package without them cannot run. */
    static ShellSettings load(AssetManager assets) {
        try {
            InputStream in = assets.open(ASSET);
            try {
                return parse(readText(in));
            } finally {
                in.close();
            }
        } catch (IOException | JSONException e) {
            throw new IllegalStateException("The package has no readable " + ASSET, e);
        }
    }

    /** A text for the user; the key itself where it is missing, so that the gap is seen. */
    String word(String key) {
        return words.optString(key, key);
    }

    static String readText(InputStream in) throws IOException {
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        byte[] buffer = new byte[8192];
        for (int count = in.read(buffer); count >= 0; count = in.read(buffer)) {
            out.write(buffer, 0, count);
        }
        return out.toString("UTF-8");
    }
}
