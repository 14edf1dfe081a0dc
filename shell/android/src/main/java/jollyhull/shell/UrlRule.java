package jollyhull.shell;

import android.net.Uri;

import org.json.JSONException;
import org.json.JSONObject;

import java.util.Locale;
import java.util.regex.Pattern;

/**
 * One address rule of the app (a WHATWG URL pattern), made into a regular expression a component at
 * packing.
 */
final class UrlRule {
    private final Pattern protocol;
    private final Pattern hostname;
    private final Pattern port;
    private final Pattern pathname;
    private final Pattern search;

    UrlRule(JSONObject json) throws JSONException {
        protocol = Pattern.compile(json.getString("protocol"));
        hostname = Pattern.compile(json.getString("hostname"));
        port = Pattern.compile(json.getString("port"));
        pathname = Pattern.compile(json.getString("pathname"));
        search = Pattern.compile(json.getString("search"));
    }

    boolean matches(Uri url) {
        String scheme = lower(url.getScheme());
        String path = url.getEncodedPath();
        return protocol.matcher(scheme).matches()
                && hostname.matcher(lower(url.getHost())).matches()
                && port.matcher(portOf(url, scheme)).matches()
                && pathname.matcher(path == null || path.isEmpty() ? "/" : path).matches()
                && search.matcher(url.getEncodedQuery() == null ? "" : url.getEncodedQuery())
                        .matches();
    }

    private static String lower(String text) {
        return text == null ? "" : text.toLowerCase(Locale.ROOT);
    }

    /** The port as a URL has it: nothing where it is the scheme's own. */
    private static String portOf(Uri url, String scheme) {
        int port = url.getPort();
        boolean usual =
                port < 0
                        || ("https".equals(scheme) && port == 443)
                        || ("http".equals(scheme) && port == 80);
        return usual ? "" : Integer.toString(port);
    }
}
