package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertTrue;

import android.os.LocaleList;

import org.junit.After;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.annotation.Config;

import java.util.HashSet;
import java.util.Locale;
import java.util.Set;

/**
 * What the shell says, in the language of who reads it: the packed table's, else the platform's,
 * else in English.
 */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class WordsTest {
    private final LocaleList before = LocaleList.getDefault();

    @After
    public void putBack() {
        LocaleList.setDefault(before);
    }

    private static String say(String key, String... languages) {
        Locale[] locales = new Locale[languages.length];
        for (int i = 0; i < languages.length; i++) {
            locales[i] = Locale.forLanguageTag(languages[i]);
        }
        LocaleList.setDefault(new LocaleList(locales));
        return new Words(TestSite.assets()).text(key);
    }

    @Test
    public void theUsersLanguageCounts() {
        assertEquals("Try again", say("retry", "en-GB"));
        assertEquals("Noch einmal versuchen", say("retry", "de-AT"));
        assertEquals("إعادة المحاولة", say("retry", "ar-EG"));
        assertEquals("the first that there is", "Réessayer", say("retry", "br", "fr-FR", "de"));
        assertEquals("Try again", say("retry", "br"));
        assertEquals("Prøv igjen", say("retry", "nn-NO"));
        assertEquals("Coba lagi", say("retry", "id-ID"));
        assertEquals("重试", say("retry", "zh-Hans-CN"));
        assertEquals("再試一次", say("retry", "zh-TW"));
        assertEquals("再試一次", say("retry", "zh-Hant-HK"));
        assertEquals("nowhere", say("nowhere", "de"));
    }

    @Test
    public void thePlatformsOwnWordsAreTakenWhereItHasThem() {
        for (String key :
                new String[] {
                    "allow",
                    "cancel",
                    "chooseFile",
                    "leave",
                    "noApp",
                    "ok",
                    "password",
                    "signIn",
                    "stay"
                }) {
            String table = new Words("\t" + key + "\n\tFALLBACK\n").text(key);
            assertFalse(key + ": " + table, table.equals("FALLBACK") || table.equals(key));
        }
        assertEquals(
                "what an app says otherwise comes first",
                "Ahoy",
                new Words("\tok\n\tOK\nen\tAhoy\n").text("ok"));
    }

    @Test
    public void aTableThatIsBrokenLeavesItsKeys() {
        for (String table : new String[] {"", "\n", "\tretry", "\tretry\n\t", "de\nretry"}) {
            assertEquals("retry", new Words(table).text("retry"));
        }
    }

    @Test
    public void noLanguageLeavesAGap() {
        Set<String> texts = new HashSet<>();
        for (String language :
                new String[] {
                    "ar", "cs", "da", "de", "el", "es", "fi", "fr", "hu", "id", "it", "ja", "ko",
                    "nb", "nl", "pl", "pt", "ro", "ru", "sv", "tr", "uk", "zh", "zh-Hant"
                }) {
            for (Trouble trouble : Trouble.values()) {
                String title = say(trouble.title, language);
                assertFalse(
                        language + " " + trouble, title.equals(trouble.title) || title.isEmpty());
                assertTrue(
                        language + " " + trouble,
                        trouble.text.isEmpty() || say(trouble.text, language).length() > 5);
            }
            texts.add(say("offlineTitle", language));
        }
        assertTrue("languages of their own: " + texts, texts.size() >= 20);
    }
}
