package jollyhull.shell;

import android.webkit.CookieManager;

import java.io.IOException;
import java.net.HttpURLConnection;
import java.net.URL;

/**
 * Where a chain of redirects ends, every hop asked with the cookies of its own host and no other's.
 */
final class Redirects {
    private static final int MOST = 10;
    private static final int PATIENCE_MS = 15_000;

    private Redirects() {}

    /** The last address; null where nothing answers, or not in the end. Not for the main thread. */
    static String follow(String start, String agent) {
        try {
            String url = start;
            for (int hop = 0; hop < MOST; hop++) {
                String next = next(url, agent, "HEAD");
                if (next == null) {
                    return url;
                }
                if (!next.startsWith("https://")
                        && !(next.startsWith("http://") && start.startsWith("http://"))) {
                    return null;
                }
                url = next;
            }
        } catch (IOException | RuntimeException e) {
            return null;
        }
        return null;
    }

    /** Where an address leads; null where it answers by itself. */
    private static String next(String url, String agent, String method) throws IOException {
        HttpURLConnection connection = (HttpURLConnection) new URL(url).openConnection();
        try {
            connection.setRequestMethod(method);
            connection.setInstanceFollowRedirects(false);
            connection.setConnectTimeout(PATIENCE_MS);
            connection.setReadTimeout(PATIENCE_MS);
            if (agent != null) {
                connection.setRequestProperty("User-Agent", agent);
            }
            String cookies = CookieManager.getInstance().getCookie(url);
            if (cookies != null) {
                connection.setRequestProperty("Cookie", cookies);
            }
            int status = connection.getResponseCode();
            if (method.equals("HEAD") && (status == 405 || status == 501 || status == 404)) {
                // Not every server knows this method; of the other the body is not read.
                return next(url, agent, "GET");
            }
            String location = connection.getHeaderField("Location");
            boolean isRedirect = status >= 300 && status < 400 && status != 304 && location != null;
            return isRedirect ? new URL(new URL(url), location).toString() : null;
        } finally {
            connection.disconnect();
        }
    }
}
