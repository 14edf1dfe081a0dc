package jollyhull.shell;

import android.app.Activity;
import android.content.res.AssetManager;
import android.net.Uri;
import android.view.View;
import android.view.ViewGroup;
import android.webkit.WebResourceResponse;
import android.widget.FrameLayout;

import org.json.JSONArray;
import org.json.JSONObject;
import org.robolectric.RuntimeEnvironment;

import java.util.Collections;
import java.util.HashMap;
import java.util.Map;

/** Settings and requests for tests; the pages stand in src/test/site. */
final class TestSite {
    static final String ORIGIN = "https://example.saltmarsh.ferry.invalid";

    private TestSite() {}

    /** A file of what all shells do alike. */
    static String vectors(String name) throws java.io.IOException {
        return new String(
                java.nio.file.Files.readAllBytes(java.nio.file.Paths.get("../vectors/" + name)),
                java.nio.charset.StandardCharsets.UTF_8);
    }

    static AssetManager assets() {
        return RuntimeEnvironment.getApplication().getAssets();
    }

    static JSONObject rule(String hostname, String pathname) throws Exception {
        return new JSONObject()
                .put("protocol", "https")
                .put("hostname", hostname)
                .put("port", "")
                .put("pathname", pathname)
                .put("search", ".*");
    }

    static JSONObject json(String base, boolean network) throws Exception {
        JSONObject types =
                new JSONObject()
                        .put("html", "text/html")
                        .put("js", "text/javascript")
                        .put("mp4", "video/mp4")
                        .put("webmanifest", "application/manifest+json");
        return new JSONObject()
                .put("name", "Saltmarsh Ferry")
                .put("start", ORIGIN + base + "?from=app")
                .put(
                        "packed",
                        new JSONObject()
                                .put("origin", ORIGIN)
                                .put("base", base)
                                .put("network", network))
                .put(
                        "inside",
                        new JSONArray().put(rule("example\\.saltmarsh\\.ferry\\.invalid", "/.*")))
                .put("display", "standalone")
                .put("themeColor", "#0b4f6c")
                .put("backgroundColor", "#f4f1ea")
                .put("types", types)
                .put("script", "hullKept");
    }

    static ShellSettings settings(String base, boolean network) throws Exception {
        return parse(json(base, network).toString());
    }

    static ShellSettings parse(String json) throws Exception {
        return ShellSettings.parse(json, new Words(assets()));
    }

    /** Addresses that leave an app, where none comes back. */
    static OutsideLinks links(Activity activity, ShellSettings settings) {
        return new OutsideLinks(
                activity,
                settings,
                url -> {
                    throw new AssertionError(url);
                });
    }

    static WebResourceResponse get(PackedSite site, String path) {
        return site.answer("GET", Uri.parse(ORIGIN + path), Collections.<String, String>emptyMap());
    }

    static WebResourceResponse get(PackedSite site, String path, String header, String value) {
        Map<String, String> headers = new HashMap<>();
        headers.put(header, value);
        return site.answer("GET", Uri.parse(ORIGIN + path), headers);
    }

    static String body(WebResourceResponse response) throws Exception {
        return ShellSettings.readText(response.getData());
    }

    /** What an activity of the shell shows: everything is in one frame. */
    static FrameLayout root(Activity activity) {
        return (FrameLayout)
                ((ViewGroup) activity.findViewById(android.R.id.content)).getChildAt(0);
    }

    /** The first view of a type in a frame; null where there is none. */
    static <T extends View> T find(FrameLayout root, Class<T> type) {
        for (int i = 0; i < root.getChildCount(); i++) {
            if (type.isInstance(root.getChildAt(i))) {
                return type.cast(root.getChildAt(i));
            }
        }
        return null;
    }
}
