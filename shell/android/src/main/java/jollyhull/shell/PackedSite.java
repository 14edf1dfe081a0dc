package jollyhull.shell;

import android.content.res.AssetFileDescriptor;
import android.content.res.AssetManager;
import android.net.Uri;
import android.webkit.WebResourceResponse;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.SequenceInputStream;
import java.nio.charset.Charset;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The packed pages as a web host: answers requests to its https origin from the package, so that
 * modules, fetch, service workers and everything else that wants a secure context work as they do
 * on a server.
 */
final class PackedSite implements Answer.Files {
    private static final Charset UTF_8 = Charset.forName("UTF-8");
    private static final Charset LATIN_1 = Charset.forName("ISO-8859-1");

    /** Bytes in which a page's doctype is looked for. */
    private static final int HEAD = 2048;

    /**
     * What may precede it: a byte-order mark, white space, comments (HTML, "the initial insertion
     * mode").
     */
    private static final Pattern DOCTYPE =
            Pattern.compile(
                    "^(?:\\xef\\xbb\\xbf)?(?:\\s|<!--.*?-->)*+<!doctype[^>]*>",
                    Pattern.CASE_INSENSITIVE | Pattern.DOTALL);

    private static final String UNKNOWN_TYPE = "application/octet-stream";

    private final AssetManager assets;
    private final ShellSettings settings;

    PackedSite(AssetManager assets, ShellSettings settings) {
        this.assets = assets;
        this.settings = settings;
    }

    /** The answer to a request, or null where the network has to give it. */
    WebResourceResponse answer(String method, Uri url, Map<String, String> headers) {
        String path = url.getPath();
        if (!isOurs(url) || path == null) {
            return null;
        }
        String accept = header(headers, "Accept");
        boolean page = accept != null && accept.contains("text/html");
        Answer answer = Answer.of(settings, this, method, path, page);
        if (answer == Answer.NETWORK) {
            return null;
        }
        if (answer == Answer.SLASH || answer == Answer.BARE) {
            return redirect(
                    answer == Answer.SLASH
                            ? "location.pathname + '/'"
                            : "location.pathname.slice(0, -1)");
        }
        if (answer.path == null) {
            return answer.status == 405
                    ? plain(405, "Method Not Allowed", "")
                    : plain(404, "Not Found", "");
        }
        try {
            Map<String, String> fields =
                    settings.headersOf(path.substring(settings.packedBase.length()));
            return file(answer.path, header(headers, "Range"), answer.status, fields, page);
        } catch (IOException e) {
            return plain(500, "Internal Error", "");
        }
    }

    /** Whether a URL is one that this host answers first. */
    boolean isOurs(Uri url) {
        return settings.packs()
                && settings.packedOrigin.equalsIgnoreCase(
                        url.getScheme() + "://" + url.getAuthority());
    }

    @Override
    public boolean has(String path) {
        try {
            assets.open(ShellSettings.SITE + "/" + path).close();
            return true;
        } catch (IOException e) {
            return false;
        }
    }

    /**
     * @param page whether a page is asked for: what a script fetches to put it into one stays as it
     *     is packed
     */
    private WebResourceResponse file(
            String name, String rangeHeader, int status, Map<String, String> fields, boolean page)
            throws IOException {
        String asset = ShellSettings.SITE + "/" + name;
        InputStream in = assets.open(asset, AssetManager.ACCESS_STREAMING);
        long length = length(asset, in);
        Map<String, String> headers = new LinkedHashMap<String, String>();
        headers.put("Accept-Ranges", "bytes");
        headers.put("Cache-Control", "no-cache");
        headers.putAll(fields);
        String type = typeOf(name);
        ByteRange range;
        try {
            range = status == 200 ? ByteRange.parse(rangeHeader, length) : null;
        } catch (ByteRange.Unsatisfiable e) {
            in.close();
            WebResourceResponse refused = plain(416, "Range Not Satisfiable", "");
            headers.put("Content-Range", "bytes */" + length);
            refused.setResponseHeaders(headers);
            return refused;
        }
        if (range == null) {
            boolean begins = page && type.equals("text/html") && !settings.beginning().isEmpty();
            InputStream body = begins ? begun(in) : in;
            return response(type, status, status == 200 ? "OK" : "Not Found", headers, body);
        }
        // The engine reads the range out of the stream by itself, going by the request: it skips to
        // the first byte,
        // and would skip twice in a stream that starts there. What it wants from here is the
        // answer's head.
        headers.put("Content-Range", "bytes " + range.first + "-" + range.last + "/" + length);
        return response(type, 206, "Partial Content", headers, in);
    }

    /**
     * A page that begins with the shell's scripts, so that its own scripts find what those give it.
     */
    private InputStream begun(InputStream in) throws IOException {
        byte[] head = new byte[HEAD];
        int filled = 0;
        for (int count = in.read(head); count > 0; count = in.read(head, filled, HEAD - filled)) {
            filled += count;
        }
        // Behind the doctype: before it the page would be laid out by the rules of old browsers.
        Matcher doctype = DOCTYPE.matcher(new String(head, 0, filled, LATIN_1));
        int at = doctype.find() ? doctype.end() : 0;
        String script =
                "<script>" + settings.beginning() + ";document.currentScript.remove()</script>";
        ByteArrayOutputStream start = new ByteArrayOutputStream();
        start.write(head, 0, at);
        start.write(script.getBytes(UTF_8));
        start.write(head, at, filled - at);
        return new SequenceInputStream(new ByteArrayInputStream(start.toByteArray()), in);
    }

    /**
     * The length of an asset: told at once for a stored one, counted by the stream for a compressed
     * one.
     */
    private long length(String asset, InputStream in) throws IOException {
        try {
            AssetFileDescriptor descriptor = assets.openFd(asset);
            try {
                return descriptor.getLength();
            } finally {
                descriptor.close();
            }
        } catch (IOException e) {
            return in.available();
        }
    }

    private String typeOf(String name) {
        String type = settings.types.get(Answer.extension(name));
        return type == null ? UNKNOWN_TYPE : type;
    }

    /**
     * Sends the page on to the same address with another path. The platform refuses answers of
     * status 3xx from here, so it is a page that moves on by itself.
     */
    private static WebResourceResponse redirect(String path) {
        String html =
                "<!doctype html><meta charset=utf-8><title></title><script>"
                        + "location.replace("
                        + path
                        + " + location.search + location.hash)</script>";
        return plain(200, "OK", html);
    }

    static WebResourceResponse plain(int status, String reason, String html) {
        return fresh("text/html", status, reason, new ByteArrayInputStream(html.getBytes(UTF_8)));
    }

    /** An answer that is not kept. */
    static WebResourceResponse fresh(String type, int status, String reason, InputStream body) {
        Map<String, String> headers = new LinkedHashMap<String, String>();
        headers.put("Cache-Control", "no-store");
        return response(type, status, reason, headers, body);
    }

    private static WebResourceResponse response(
            String type, int status, String reason, Map<String, String> headers, InputStream body) {
        boolean text = type.startsWith("text/") || type.endsWith("json") || type.endsWith("xml");
        return new WebResourceResponse(type, text ? "utf-8" : null, status, reason, headers, body);
    }

    private static String header(Map<String, String> headers, String name) {
        if (headers != null) {
            for (Map.Entry<String, String> entry : headers.entrySet()) {
                if (name.equalsIgnoreCase(entry.getKey())) {
                    return entry.getValue();
                }
            }
        }
        return null;
    }
}
