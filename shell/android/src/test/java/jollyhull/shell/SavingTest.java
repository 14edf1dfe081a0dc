package jollyhull.shell;

import static org.junit.Assert.assertArrayEquals;
import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Activity;
import android.content.ContentResolver;
import android.content.Intent;
import android.net.Uri;
import android.os.Bundle;
import android.os.Looper;
import android.webkit.WebView;

import org.json.JSONObject;
import org.junit.After;
import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.android.controller.ActivityController;
import org.robolectric.annotation.Config;
import org.robolectric.shadows.ShadowAlertDialog;
import org.robolectric.shadows.ShadowToast;

import java.io.ByteArrayOutputStream;
import java.io.File;
import java.io.FileInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.util.Arrays;
import java.util.Collections;
import java.util.concurrent.Executor;

/**
 * Files between pages and the device: as large as they may be, through the end of the process, and
 * never an empty document.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24, shadows = FakeWorkers.class)
public class SavingTest {
    private static final Uri TARGET = Uri.parse("content://documents/1");
    private final Executor before = Background.executor;
    private ActivityController<PageActivity> controller;
    private WebView pages;

    @Before
    public void open() {
        Background.executor = Runnable::run;
        controller = Robolectric.buildActivity(PageActivity.class).setup();
        look();
    }

    @After
    public void putBack() {
        Background.executor = before;
    }

    private void look() {
        pages = TestSite.find(TestSite.root(controller.get()), WebView.class);
    }

    private static void idle() {
        shadowOf(Looper.getMainLooper()).idle();
    }

    private void download(String url, String type) {
        shadowOf(pages).getDownloadListener().onDownloadStart(url, null, null, type, 5);
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue("\"\"");
        idle();
    }

    private ContentResolver content() {
        return RuntimeEnvironment.getApplication().getContentResolver();
    }

    private void answer(Uri where) {
        controller
                .get()
                .onActivityResult(
                        RequestCodes.SAVE,
                        where == null ? Activity.RESULT_CANCELED : Activity.RESULT_OK,
                        new Intent().setData(where));
        idle();
    }

    private File[] waiting() {
        File[] files = new File(controller.get().getCacheDir(), "saves").listFiles();
        return files == null ? new File[0] : files;
    }

    @Test
    public void isSavedThoughTheProcessEndedBehindTheDialog() throws Exception {
        download("data:text/csv,a%2Cb", "text/csv");
        assertEquals(1, waiting().length);
        Bundle state = new Bundle();
        controller.saveInstanceState(state);
        controller = Robolectric.buildActivity(PageActivity.class).setup(state);
        look();
        ByteArrayOutputStream written = new ByteArrayOutputStream();
        shadowOf(content()).registerOutputStream(TARGET, written);
        answer(TARGET);
        assertEquals("a,b", written.toString("UTF-8"));
        assertEquals("nothing is left in the cache", 0, waiting().length);
    }

    @Test
    public void whereNothingIsLeftToSaveTheUserReadsIt() {
        shadowOf(content()).registerOutputStream(TARGET, new ByteArrayOutputStream());
        answer(TARGET);
        assertEquals("It could not be saved.", ShadowToast.getTextOfLatestToast());
        download("data:text/csv,a", "text/csv");
        answer(null);
        assertEquals("who changes their mind leaves nothing behind", 0, waiting().length);
    }

    @Test
    public void aDiskThatIsFullIsNoEndOfTheApp() {
        download("data:text/csv,a", "text/csv");
        shadowOf(content())
                .registerOutputStream(
                        TARGET,
                        new OutputStream() {
                            @Override
                            public void write(int value) throws IOException {
                                throw new IOException("full");
                            }
                        });
        answer(TARGET);
        assertEquals("It could not be saved.", ShadowToast.getTextOfLatestToast());
        download("data:text/csv,a", "text/csv");
        shadowOf(content())
                .registerOutputStreamSupplier(
                        TARGET,
                        () -> {
                            throw new IllegalStateException("a provider that is broken");
                        });
        answer(TARGET);
        assertEquals("It could not be saved.", ShadowToast.getTextOfLatestToast());
    }

    @Test
    public void whatWasSavedCanBeOpened() {
        download("data:application/pdf,x", "application/pdf");
        shadowOf(content()).registerOutputStream(TARGET, new ByteArrayOutputStream());
        answer(TARGET);
        ShadowAlertDialog.getLatestAlertDialog()
                .getButton(android.content.DialogInterface.BUTTON_POSITIVE)
                .performClick();
        idle();
        shadowOf(controller.get()).getNextStartedActivityForResult();
        Intent view = shadowOf(controller.get()).getNextStartedActivity();
        while (view != null && !Intent.ACTION_VIEW.equals(view.getAction())) {
            view = shadowOf(controller.get()).getNextStartedActivity();
        }
        assertEquals(TARGET, view.getData());
        assertTrue((view.getFlags() & Intent.FLAG_GRANT_READ_URI_PERMISSION) != 0);
    }

    /** Zeros that tell how many of them were read. */
    private static final class Zeros extends InputStream {
        private long left;
        private long read;

        Zeros(long length) {
            left = length;
        }

        @Override
        public int read() {
            if (left == 0) {
                return -1;
            }
            left--;
            read++;
            return 0;
        }

        @Override
        public int read(byte[] into, int offset, int length) {
            if (left == 0) {
                return -1;
            }
            int count = (int) Math.min(left, length);
            Arrays.fill(into, offset, offset + count, (byte) 0);
            left -= count;
            read += count;
            return count;
        }
    }

    private static final int LARGE = 200 * 1024 * 1024;

    @Test
    @Config(minSdk = 33, maxSdk = 33)
    public void sharedFilesAreNotReadUntilThePageAsksAndThenBitByBit() throws Exception {
        Uri film = Uri.parse("content://films/1.mp4");
        Zeros zeros = new Zeros(LARGE);
        shadowOf(content()).registerInputStream(film, zeros);
        ShareTarget target =
                new ShareTarget(
                        new JSONObject()
                                .put("action", TestSite.ORIGIN + "/shared")
                                .put("method", "POST")
                                .put("multipart", true)
                                .put(
                                        "files",
                                        new org.json.JSONArray()
                                                .put(
                                                        new JSONObject()
                                                                .put("name", "film")
                                                                .put(
                                                                        "accept",
                                                                        new org.json.JSONArray()
                                                                                .put("*/*")))));
        SharedFiles files =
                new SharedFiles(content(), target, Collections.singletonList(film), "video/mp4");
        String form = files.form(Collections.<String[]>emptyList());
        assertEquals("on the main thread nothing is read", 0, zeros.read);
        assertTrue("the page does not hold it", form.length() < 4096);
        String path = form.replaceAll("(?s).*fetch\\(\"([^\"]+)\"\\).*", "$1").replace("\\/", "/");
        InputStream body = files.answer(Uri.parse(TestSite.ORIGIN + path + "0")).getData();
        assertEquals(0, body.read());
        assertTrue("only what the engine takes: " + zeros.read, zeros.read <= 64 * 1024);
    }

    @Test
    @Config(minSdk = 33, maxSdk = 33)
    public void aLargeBlobGoesThroughInSlices() throws Exception {
        Inbox inbox = new Inbox(controller.get());
        byte[] slice = new byte[Inbox.SLICE];
        Arrays.fill(slice, (byte) 7);
        String sent =
                "data:video/mp4;base64,"
                        + android.util.Base64.encodeToString(slice, android.util.Base64.NO_WRAP);
        long whole = 0;
        while (whole < LARGE) {
            inbox.take(sent);
            whole += slice.length;
        }
        File file = inbox.end();
        assertEquals(whole, file.length());
        byte[] head = new byte[Inbox.SLICE + 1];
        try (FileInputStream in = new FileInputStream(file)) {
            assertEquals(head.length, in.read(head));
        }
        assertEquals(7, head[Inbox.SLICE]);
        assertTrue(file.delete());
    }

    @Test
    public void addressesThatHoldTheirDataAreReadAsTheyAreWritten() throws Exception {
        String[][] cases = {
            {"data:,a%20b", "a b"},
            {"data:text/plain;charset=utf-8,gr%C3%BC%C3%9Fe", "grüße"},
            {"data:text/plain,grüße ⛴", "grüße ⛴"},
            {"data:text/plain;base64,RmVycnk=", "Ferry"},
            {"data:text/plain;base64,RmVy%63nk%3D", "Ferry"},
            {"data:text/plain,100%", "100%"},
            {"data:text/plain,%zz+", "%zz+"},
        };
        for (String[] one : cases) {
            ByteArrayOutputStream out = new ByteArrayOutputStream();
            Saves.copy(DataUrl.of(one[0]).open(), out);
            assertEquals(one[0], one[1], out.toString("UTF-8"));
        }
        assertNull(DataUrl.of("data:nothing"));
        assertNull(DataUrl.of("https://a,b"));
    }

    @Test
    public void aBlobThatThePageCannotReadIsSaid() {
        shadowOf(pages)
                .getDownloadListener()
                .onDownloadStart("blob:" + TestSite.ORIGIN + "/7", null, null, "text/csv", 5);
        shadowOf(pages).getLastEvaluatedJavascriptCallback().onReceiveValue("\"\"");
        String script = shadowOf(pages).getLastEvaluatedJavascript();
        assertTrue(
                "one that a policy keeps from fetching is kept by the page's script",
                script.contains("hullKept.blob("));
        String token = script.replaceAll("(?s).*end\\('([0-9a-f-]{36})'.*", "$1");
        Downloads.Receiver receiver =
                (Downloads.Receiver) shadowOf(pages).getJavascriptInterface(Downloads.BRIDGE);
        assertFalse(
                "not Base64",
                receiver.take(token, "data:text/csv;base64,!")
                        && receiver.take(token, "data:;base64,====="));
        receiver.end(token, "");
        idle();
        assertEquals("It could not be saved.", ShadowToast.getTextOfLatestToast());
        assertArrayEquals(new File[0], waiting());
    }
}
