package jollyhull.shell;

import android.content.res.AssetManager;
import android.content.res.Resources;
import android.os.LocaleList;
import android.util.Log;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.Reader;
import java.io.StringReader;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * The shell's own words, in the user's language: from the package's table {@value #ASSET}, else the
 * platform's where it has them, else in English. The table is read when the first word is needed,
 * which most starts never do.
 *
 * <p>Its first line has the keys, each further one a language and its words, all divided by tabs.
 * An empty field is one that the platform has, or that is to be read in English.
 */
final class Words {
    static final String ASSET = "hull/words.txt";

    /**
     * The line of what is read where nothing else is there; {@code en} has only what an app says in
     * other words.
     */
    private static final String OTHERWISE = "";

    /**
     * Keys that the platform has words for, in every language that it speaks, by its names for
     * them.
     */
    private static final String[][] PLATFORM = {
        {"allow", "allow"},
        {"back", "back_button_label"},
        {"cancel", "cancel"},
        {"chooseFile", "chooseActivity"},
        {"close", "close_button_text"},
        {"copyLink", "copyUrl"},
        {"leave", "js_dialog_before_unload_positive_button"},
        {"noApp", "noApplications"},
        {"ok", "ok"},
        {"password", "lockscreen_glogin_password_hint"},
        {"settings", "global_action_settings"},
        {"share", "share"},
        {"signIn", "lockscreen_glogin_submit_button"},
        {"stay", "js_dialog_before_unload_negative_button"},
    };

    /** Older names of languages, and such as are read by who speaks another. */
    private static final String[][] ALIASES = {
        {"iw", "he"}, {"in", "id"}, {"no", "nb"}, {"nn", "nb"}
    };

    private final AssetManager assets;
    private final String given;

    /** Words of the first of the user's languages that the table has; null before the first. */
    private Map<String, String> spoken;

    /** Those that are read where neither the language nor the platform has any. */
    private Map<String, String> otherwise;

    /** The user's languages that the words above are for. */
    private LocaleList readFor;

    Words(AssetManager assets) {
        this.assets = assets;
        this.given = null;
    }

    /**
     * @param table in place of the package's
     */
    Words(String table) {
        this.assets = null;
        this.given = table;
    }

    /** A text for the user; the key itself where it is missing, so that the gap is seen. */
    synchronized String text(String key) {
        LocaleList locales = LocaleList.getDefault();
        if (!locales.equals(readFor)) {
            read(locales);
        }
        String own = spoken.get(key);
        String text = own == null ? platform(key) : own;
        String last = otherwise.get(key);
        return text != null ? text : last != null ? last : key;
    }

    private static String platform(String key) {
        for (String[] row : PLATFORM) {
            if (row[0].equals(key)) {
                int id = Resources.getSystem().getIdentifier(row[1], "string", "android");
                return id == 0 ? null : Resources.getSystem().getString(id);
            }
        }
        return null;
    }

    private void read(LocaleList locales) {
        Map<String, Map<String, String>> all = readTable();
        Map<String, String> none = Collections.emptyMap();
        otherwise = all.containsKey(OTHERWISE) ? all.get(OTHERWISE) : none;
        spoken = none;
        for (int i = 0; i < locales.size() && spoken == none; i++) {
            for (String name : namesOf(locales.get(i))) {
                if (spoken == none && all.containsKey(name)) {
                    spoken = all.get(name);
                }
            }
        }
        readFor = locales;
    }

    private Map<String, Map<String, String>> readTable() {
        Map<String, Map<String, String>> all = new HashMap<String, Map<String, String>>();
        try {
            BufferedReader lines = new BufferedReader(open());
            try {
                String first = lines.readLine();
                String[] keys = first == null ? new String[0] : first.split("\t", -1);
                for (String line = lines.readLine(); line != null; line = lines.readLine()) {
                    String[] fields = line.split("\t", -1);
                    Map<String, String> words = new HashMap<String, String>();
                    for (int i = 1; i < fields.length && i < keys.length; i++) {
                        if (!fields[i].isEmpty()) {
                            words.put(keys[i], fields[i]);
                        }
                    }
                    all.put(fields[0], words);
                }
            } finally {
                lines.close();
            }
        } catch (IOException e) {
            Log.w("hull", "The package has no readable " + ASSET, e);
        }
        return all;
    }

    /** Under which names the table may have a language: the exact one first (BCP 47). */
    private static List<String> namesOf(Locale locale) {
        List<String> names = new ArrayList<String>();
        names.add(locale.toLanguageTag());
        String language = locale.getLanguage();
        String region = locale.getCountry();
        boolean isTraditional =
                locale.getScript().equals("Hant")
                        || (locale.getScript().isEmpty()
                                && (region.equals("TW")
                                        || region.equals("HK")
                                        || region.equals("MO")));
        if (language.equals("zh") && isTraditional) {
            names.add("zh-Hant");
        }
        names.add(language);
        for (String[] alias : ALIASES) {
            if (alias[0].equals(language)) {
                names.add(alias[1]);
            }
        }
        return names;
    }

    private Reader open() throws IOException {
        return given != null
                ? new StringReader(given)
                : new InputStreamReader(assets.open(ASSET), StandardCharsets.UTF_8);
    }
}
