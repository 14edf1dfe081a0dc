package jollyhull.shell;

import android.net.Uri;
import java.util.Locale;
import java.util.regex.Pattern;
import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

/** Which links of one host open in the app. What a rule leaves out stays out, whatever else matches. */
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
        String path = url.getEncodedPath() == null || url.getEncodedPath().isEmpty() ? "/" : url.getEncodedPath();
        boolean allowed = false;
        for (int i = 0; i < rules.length(); i++) {
            JSONObject rule = rules.optJSONObject(i);
            if (matches(rule.optString("pattern"), path)) {
                if (!rule.optBoolean("allow")) {
                    return false;
                }
                allowed = true;
            }
        }
        return allowed;
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
