package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;

import android.app.Application;
import android.content.Intent;
import android.net.Uri;
import android.webkit.WebResourceResponse;

import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;

import java.util.Collections;

/** What holds for every app that the shell is packed with, whatever its pages are. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 33, maxSdk = 33)
public class PackagedAppTest {
    private final Application app = RuntimeEnvironment.getApplication();
    private final ShellSettings settings = ShellSettings.of(app);

    @Test
    public void theLauncherHasAWindowToOpen() {
        Intent launch = app.getPackageManager().getLaunchIntentForPackage(app.getPackageName());
        assertNotNull(launch);
        assertTrue(
                launch.getComponent().getClassName(),
                launch.getComponent().getClassName().startsWith("jollyhull.shell."));
    }

    @Test
    public void itsStartIsOneOfItsOwnPages() {
        OutsideLinks links =
                new OutsideLinks(
                        Robolectric.buildActivity(android.app.Activity.class).get(),
                        settings,
                        url -> {});
        assertTrue(settings.start, links.isOwnPage(Uri.parse(settings.start)));
        assertFalse(links.isOwnPage(Uri.parse("javascript:alert(1)")));
        assertFalse(links.isOwnPage(Uri.parse(settings.start.replace("://", "://user@"))));
    }

    @Test
    public void aPackedStartAnswers() {
        PackedSite site = new PackedSite(app.getAssets(), settings);
        WebResourceResponse answer =
                site.answer(
                        "GET",
                        Uri.parse(settings.start),
                        Collections.singletonMap("Accept", "text/html"));
        if (settings.packs()) {
            assertEquals(200, answer.getStatusCode());
            assertEquals("text/html", answer.getMimeType());
        } else {
            assertNull(answer);
        }
    }

    @Test
    public void itHasWordsForEverythingThatCanGoWrong() {
        for (Trouble trouble : Trouble.values()) {
            assertFalse(
                    settings.word(trouble.title),
                    settings.word(trouble.title).equals(trouble.title));
            assertTrue(
                    trouble.text,
                    trouble.text.isEmpty() || !settings.word(trouble.text).equals(trouble.text));
        }
    }
}
