package jollyhull.shell;

import android.net.Uri;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.util.Iterator;
import java.util.Locale;
import java.util.regex.Pattern;

/**
 * Which links of one host open in the app. What a rule leaves out stays out, whatever else matches.
 */
final class LinkRule {
    private final String host;
    private final JSONArray rules;

    LinkRule(JSONObject json) throws JSONException {
        host = json.getString("host");
        rules = json.getJSONArray("rules");
    }

    boolean isAbout(Uri url) {
        String given = url.getHost() == null ? "" : url.getHost().toLowerCase(Locale.ROOT);
        return host.startsWith("*.") ? given.endsWith(host.substring(1)) : given.equals(host);
    }

    boolean allows(Uri url) {
        boolean allowed = false;
        for (int i = 0; i < rules.length(); i++) {
            JSONObject rule = rules.optJSONObject(i);
            if (isAbout(rule, url)) {
                if (!rule.optBoolean("allow")) {
                    return false;
                }
                allowed = true;
            }
        }
        return allowed;
    }

    private static boolean isAbout(JSONObject rule, Uri url) {
        String path = url.getPath() == null || url.getPath().isEmpty() ? "/" : url.getPath();
        if (!matches(rule.optString("pattern"), path)) {
            return false;
        }
        if (rule.has("fragment") && !matchesText(rule.optString("fragment"), url.getFragment())) {
            return false;
        }
        JSONObject query = rule.optJSONObject("query");
        if (query == null) {
            return true;
        }
        for (Iterator<String> names = query.keys(); names.hasNext(); ) {
            String name = names.next();
            if (!url.isHierarchical()
                    || !matchesText(query.optString(name), url.getQueryParameter(name))) {
                return false;
            }
        }
        return true;
    }

    /** A text that has to be there; alone, {@code *} stands for any that is not empty. */
    private static boolean matchesText(String pattern, String text) {
        return text != null && ("*".equals(pattern) ? !text.isEmpty() : matches(pattern, text));
    }

    /** {@code *} stands for any run of characters. */
    static boolean matches(String pattern, String path) {
        StringBuilder expression = new StringBuilder();
        String[] parts = pattern.split("\\*", -1);
        for (int i = 0; i < parts.length; i++) {
            expression.append(i == 0 ? "" : ".*").append(Pattern.quote(parts[i]));
        }
        return Pattern.compile(expression.toString(), Pattern.DOTALL).matcher(path).matches();
    }
}
