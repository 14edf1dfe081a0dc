package jollyhull.shell;

import android.content.Intent;
import android.net.Uri;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;

/**
 * What other apps put into intents. Anything may be there: a value of another type, or an object of
 * a class that is not known here, at which the framework throws when the first extra is read.
 */
final class Extras {
    private Extras() {}

    /** A text; null where there is none, or something else. */
    static String text(Intent intent, String key) {
        try {
            CharSequence text = intent.getCharSequenceExtra(key);
            return text == null ? null : text.toString();
        } catch (RuntimeException e) {
            return null;
        }
    }

    /** The addresses under a key, be it one or a list; what is no address is left out. */
    static List<Uri> addresses(Intent intent, String key) {
        List<Uri> found = new ArrayList<Uri>();
        try {
            Object value = intent.getExtras() == null ? null : intent.getExtras().get(key);
            List<?> all =
                    value instanceof List ? (List<?>) value : Collections.singletonList(value);
            for (Object one : all) {
                if (one instanceof Uri) {
                    found.add((Uri) one);
                }
            }
        } catch (RuntimeException e) {
            return new ArrayList<Uri>();
        }
        return found;
    }
}
