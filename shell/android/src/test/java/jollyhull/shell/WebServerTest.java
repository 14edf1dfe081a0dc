package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertTrue;
import static org.junit.Assume.assumeNotNull;

import android.net.Uri;
import android.webkit.WebResourceResponse;

import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;

import java.io.BufferedReader;
import java.io.ByteArrayOutputStream;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.security.MessageDigest;
import java.util.HashMap;
import java.util.Map;

/**
 * The packed pages answer as the same folder does behind a web server that others wrote
 * (scripts/ask-web-server.mjs).
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class WebServerTest {
    /** Each line: path, Accept, Range; then status, type, Content-Range and SHA-256 of the body. */
    private static final int FIELDS = 7;

    private static byte[] bodyOf(WebResourceResponse response, String part) throws Exception {
        InputStream in = response.getData();
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        for (int next = in.read(); next >= 0; next = in.read()) {
            out.write(next);
        }
        byte[] all = out.toByteArray();
        if (part.isEmpty()) {
            return all;
        }
        // The engine cuts the range out by itself.
        String[] ends = part.replaceAll("^bytes |/.*$", "").split("-");
        int first = Integer.parseInt(ends[0]);
        byte[] cut = new byte[Integer.parseInt(ends[1]) - first + 1];
        System.arraycopy(all, first, cut, 0, cut.length);
        return cut;
    }

    private static String sha256(byte[] bytes) throws Exception {
        StringBuilder text = new StringBuilder();
        for (byte one : MessageDigest.getInstance("SHA-256").digest(bytes)) {
            text.append(String.format("%02x", one));
        }
        return text.toString();
    }

    /** A page as it is packed: what it begins with here is the shell's. */
    private static byte[] withoutScript(String about, ShellSettings settings, byte[] body)
            throws Exception {
        String text = new String(body, "ISO-8859-1");
        String script =
                "<script>" + settings.beginning() + ";document.currentScript.remove()</script>";
        assertTrue(about, text.contains(script));
        return text.replace(script, "").getBytes("ISO-8859-1");
    }

    @Test
    public void thePackedPagesAnswerAsAServerDoes() throws Exception {
        InputStream answers = getClass().getResourceAsStream("/server-answers.txt");
        assumeNotNull(answers);
        ShellSettings settings = ShellSettings.of(RuntimeEnvironment.getApplication());
        PackedSite site = new PackedSite(TestSite.assets(), settings);
        BufferedReader lines = new BufferedReader(new InputStreamReader(answers, "UTF-8"));
        int count = 0;
        for (String line = lines.readLine(); line != null; line = lines.readLine()) {
            String[] parts = line.split("\t", FIELDS);
            String about = parts[0] + " " + parts[2];
            Map<String, String> headers = new HashMap<String, String>();
            headers.put("Accept", parts[1]);
            if (!parts[2].isEmpty()) {
                headers.put("Range", parts[2]);
            }
            Uri url = Uri.parse(settings.packedOrigin + parts[0]);
            WebResourceResponse found = site.answer("GET", url, headers);
            count++;
            int status = Integer.parseInt(parts[3]);
            if (status == 301) {
                // The platform takes no redirects from an app: a page moves on instead.
                assertEquals(about, 200, found.getStatusCode());
                assertTrue(
                        about,
                        TestSite.body(found).contains("location.replace(location.pathname + '/'"));
                continue;
            }
            assertEquals(about, status, found.getStatusCode());
            String range = found.getResponseHeaders().get("Content-Range");
            assertEquals(about, parts[5], range == null ? "" : range);
            if (status == 416) {
                continue;
            }
            // Types that the server has no name for, and the name that scripts had before RFC 9239.
            if (!parts[4].equals("application/octet-stream")) {
                String type =
                        parts[4].equals("application/javascript") ? "text/javascript" : parts[4];
                assertEquals(about, type, found.getMimeType());
            }
            byte[] body = bodyOf(found, status == 206 ? parts[5] : "");
            boolean isBegun =
                    status != 206
                            && found.getMimeType().equals("text/html")
                            && parts[1].contains("text/html");
            assertEquals(
                    about, parts[6], sha256(isBegun ? withoutScript(about, settings, body) : body));
        }
        assertTrue("only " + count + " answers", count > 50);
    }
}
