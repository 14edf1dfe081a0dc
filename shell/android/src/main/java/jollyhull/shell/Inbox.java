package jollyhull.shell;

import android.content.Context;
import android.util.Base64;
import android.util.Log;

import java.io.File;
import java.io.FileOutputStream;
import java.io.IOException;
import java.io.OutputStream;

/**
 * A file that a page hands over slice by slice, into the cache: only the page can read its blobs.
 * On the engine's threads.
 */
final class Inbox {
    /**
     * Bytes that a page hands over at once: small enough for any device, a multiple of 3 for
     * Base64.
     */
    static final int SLICE = 192 * 1024;

    private final Context context;
    private File file;
    private OutputStream out;

    Inbox(Context context) {
        this.context = context;
    }

    private OutputStream out() throws IOException {
        if (out == null) {
            file = Saves.room(context);
            out = new FileOutputStream(file);
        }
        return out;
    }

    /** Takes one slice, as a {@code data:} address. */
    synchronized void take(String data) throws IOException {
        // Of an empty slice some engines say "data:".
        int comma = data.indexOf(',');
        try {
            out().write(
                            comma < 0
                                    ? new byte[0]
                                    : Base64.decode(data.substring(comma + 1), Base64.DEFAULT));
        } catch (IllegalArgumentException e) {
            throw new IOException("Not Base64", e);
        }
    }

    /** The whole file, whose owner deletes it. */
    synchronized File end() throws IOException {
        out().close();
        File whole = file;
        out = null;
        file = null;
        return whole;
    }

    /** Lets go of a file that is not whole. */
    synchronized void drop() {
        try {
            if (out != null) {
                out.close();
            }
        } catch (IOException e) {
            Log.w("hull", "Incomplete file", e);
        }
        Saves.delete(file);
        out = null;
        file = null;
    }
}
