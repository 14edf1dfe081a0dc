package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;

import android.net.Uri;
import android.webkit.WebResourceResponse;

import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.annotation.Config;

import java.util.Collections;

/** The packed pages as a web host, on the framework's own asset manager. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class PackedSiteTest {
    private PackedSite site;

    @Before
    public void pack() throws Exception {
        site = new PackedSite(TestSite.assets(), TestSite.settings("/", false));
    }

    @Test
    public void servesPagesScriptsAndDeepPathsWithTheirTypes() throws Exception {
        WebResourceResponse start = TestSite.get(site, "/?from=app");
        assertEquals(200, start.getStatusCode());
        assertEquals("text/html", start.getMimeType());
        assertEquals("utf-8", start.getEncoding());
        assertTrue(TestSite.body(start).contains("Timetable"));
        assertEquals("text/javascript", TestSite.get(site, "/js/app.js").getMimeType());
        assertEquals(
                "application/manifest+json",
                TestSite.get(site, "/manifest.webmanifest").getMimeType());
        assertTrue(TestSite.body(TestSite.get(site, "/islands/")).contains("Islands"));
        assertTrue(TestSite.body(TestSite.get(site, "/tickets")).contains("Tickets"));
        assertTrue(TestSite.body(TestSite.get(site, "/caf%C3%A9.html")).contains("Caf"));
    }

    @Test
    public void sendsAFolderWithoutItsSlashOnToTheSlash() throws Exception {
        String html = TestSite.body(TestSite.get(site, "/islands?day=1"));
        assertTrue(html, html.contains("location.replace(location.pathname + '/'"));
    }

    /**
     * The engine skips to the first byte of the range that it asked for, and reads as many as it
     * has.
     */
    private static String asTheEngineReads(WebResourceResponse response, int first, int last)
            throws Exception {
        assertEquals(first, response.getData().skip(first));
        byte[] bytes = new byte[last - first + 1];
        assertEquals(bytes.length, response.getData().read(bytes));
        return new String(bytes, "UTF-8");
    }

    @Test
    public void answersRangesForMedia() throws Exception {
        WebResourceResponse part = TestSite.get(site, "/crossing.mp4", "range", "bytes=2-5");
        assertEquals(206, part.getStatusCode());
        assertEquals("bytes 2-5/10", part.getResponseHeaders().get("Content-Range"));
        assertEquals("2345", asTheEngineReads(part, 2, 5));
        WebResourceResponse tail = TestSite.get(site, "/crossing.mp4", "Range", "bytes=-3");
        assertEquals("bytes 7-9/10", tail.getResponseHeaders().get("Content-Range"));
        assertEquals("789", asTheEngineReads(tail, 7, 9));
        WebResourceResponse outside = TestSite.get(site, "/crossing.mp4", "Range", "bytes=10-");
        assertEquals(416, outside.getStatusCode());
        assertEquals("bytes */10", outside.getResponseHeaders().get("Content-Range"));
        WebResourceResponse whole = TestSite.get(site, "/crossing.mp4");
        assertEquals("bytes", whole.getResponseHeaders().get("Accept-Ranges"));
        assertEquals(10, whole.getData().available());
    }

    @Test
    public void answersAMissingPageWithTheAppsOwnAndAMissingFileWithNothing() throws Exception {
        WebResourceResponse page = TestSite.get(site, "/nowhere", "Accept", "text/html,*/*");
        assertEquals(404, page.getStatusCode());
        assertTrue(TestSite.body(page).contains("does not call here"));
        WebResourceResponse file = TestSite.get(site, "/nowhere.js", "Accept", "*/*");
        assertEquals(404, file.getStatusCode());
        assertEquals("", TestSite.body(file));
    }

    @Test
    public void neverLeavesTheFolderOrTheOrigin() {
        assertEquals(404, TestSite.get(site, "/%2e%2e/hull/shell.json").getStatusCode());
        assertEquals(404, TestSite.get(site, "/js/../../hull/shell.json").getStatusCode());
        assertNull(
                site.answer(
                        "GET",
                        Uri.parse("https://other.example/"),
                        Collections.<String, String>emptyMap()));
        assertNull(
                site.answer(
                        "GET",
                        Uri.parse("http://example.saltmarsh.ferry.invalid/"),
                        Collections.<String, String>emptyMap()));
    }

    @Test
    public void takesNothingButReading() {
        Uri url = Uri.parse(TestSite.ORIGIN + "/index.html");
        assertEquals(
                405,
                site.answer("POST", url, Collections.<String, String>emptyMap()).getStatusCode());
    }

    @Test
    public void leavesToTheNetworkWhatAHostedAppDoesNotPack() throws Exception {
        PackedSite hosted = new PackedSite(TestSite.assets(), TestSite.settings("/", true));
        assertNotNull(TestSite.get(hosted, "/index.html"));
        assertNull(TestSite.get(hosted, "/api/sailings"));
        assertNull(
                hosted.answer(
                        "POST",
                        Uri.parse(TestSite.ORIGIN + "/index.html"),
                        Collections.<String, String>emptyMap()));
    }

    @Test
    public void servesUnderASubPath() throws Exception {
        PackedSite sub = new PackedSite(TestSite.assets(), TestSite.settings("/app/", false));
        assertTrue(TestSite.body(TestSite.get(sub, "/app/")).contains("Timetable"));
        assertTrue(TestSite.body(TestSite.get(sub, "/app")).contains("location.replace"));
        assertNull(TestSite.get(sub, "/index.html"));
    }
}
