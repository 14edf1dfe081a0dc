package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertTrue;

import android.app.Application;
import android.content.Context;

import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;

import java.io.File;
import java.io.FileOutputStream;

/**
 * What a version before has registered answers no page of the next one, and what it keeps stays.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class FreshPagesTest {
    private Application app;
    private File engine;

    @Before
    public void setUp() {
        app = RuntimeEnvironment.getApplication();
        engine = app.getDir("webview", Context.MODE_PRIVATE);
    }

    private long updated;

    private void update(long time) {
        updated = time * 1000;
    }

    private File file(String path) throws Exception {
        File file = new File(engine, path);
        assertTrue(file.getParentFile().isDirectory() || file.getParentFile().mkdirs());
        try (FileOutputStream out = new FileOutputStream(file)) {
            out.write(1);
        }
        return file;
    }

    private void start(boolean packed) throws Exception {
        FreshPages.prepare(
                app,
                TestSite.parse(
                        packed
                                ? TestSite.json("/", false).toString()
                                : TestSite.json("/", false).put("packed", null).toString()),
                updated);
    }

    @Test
    public void workersOfTheVersionBeforeAreGoneAndTheirCachesStay() throws Exception {
        update(1000);
        start(true);
        File[] gone = {
            file("Default/Service Worker/Database/000003.log"),
            file("Default/Service Worker/ScriptCache/index-dir/the-real-index"),
            file("Service Worker/Database/LOCK"),
        };
        File[] kept = {
            file("Default/Service Worker/CacheStorage/ab/index.txt"),
            file("Default/IndexedDB/https_ferry.saltmarsh.example_0.indexeddb.leveldb/LOG"),
            file("Default/Cookies"),
        };
        start(true);
        for (File one : gone) {
            assertTrue("the same version: " + one, one.exists());
        }
        update(2000);
        start(true);
        for (File one : gone) {
            assertEquals(one.toString(), false, one.exists());
        }
        for (File one : kept) {
            assertTrue(one.toString(), one.exists());
        }
        File again = file("Default/Service Worker/Database/000003.log");
        start(true);
        assertTrue("what the new version registers stays", again.exists());
    }

    @Test
    public void whereNothingTellsWhichVersionTheyAreOfTheyGoToo() throws Exception {
        update(1000);
        File registered = file("Default/Service Worker/Database/000003.log");
        start(true);
        assertFalse(
                "moved from another device, or left by a shell that kept its mark elsewhere",
                registered.exists());
    }

    @Test
    public void hostedPagesKeepTheirWorker() throws Exception {
        update(1000);
        start(false);
        File registered = file("Default/Service Worker/Database/000003.log");
        update(2000);
        start(false);
        assertTrue(registered.exists());
    }
}
