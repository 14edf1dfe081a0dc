package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertTrue;

import android.app.Application;
import android.net.Uri;
import android.os.Build;

import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;

import java.io.BufferedReader;
import java.io.InputStreamReader;

/**
 * What hull says of links to the packed app, held against the framework's own parser and matcher,
 * and against the shell.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class LinkVerdictsTest {
    private final Application app = RuntimeEnvironment.getApplication();

    /**
     * Each line: whether filters take it before API 35, from 35 on, whether the shell lets it in,
     * and the address.
     */
    @Test
    public void theFrameworkTakesWhatHullSaysThatItTakes() throws Exception {
        ShellSettings packed = ShellSettings.of(app);
        BufferedReader lines =
                new BufferedReader(
                        new InputStreamReader(
                                getClass().getResourceAsStream("/link-verdicts.txt"), "UTF-8"));
        int count = 0;
        int taken = 0;
        for (String line = lines.readLine(); line != null; line = lines.readLine()) {
            String[] parts = line.split(" ", 4);
            Uri url = Uri.parse(parts[3]);
            boolean expected = "1".equals(parts[Build.VERSION.SDK_INT < 35 ? 0 : 1]);
            assertEquals(parts[3], expected, LinkFilters.match(app, url));
            if (expected) {
                assertEquals(parts[3], "1".equals(parts[2]), packed.opens(url));
                taken++;
            }
            count++;
        }
        assertTrue("only " + count + " addresses", count >= 300);
        assertTrue("only " + taken + " taken", taken >= 50 && taken <= count - 50);
    }
}
