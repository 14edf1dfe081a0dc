package jollyhull.shell;

import android.app.Activity;
import android.content.ActivityNotFoundException;
import android.content.ContentResolver;
import android.content.Context;
import android.content.Intent;
import android.net.Uri;
import android.os.Bundle;
import android.provider.DocumentsContract;
import android.util.Log;
import android.widget.Toast;

import java.io.File;
import java.io.FileInputStream;
import java.io.FileOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;

/**
 * Saves a file of a page's where the user says. It waits in the cache meanwhile, so that it is
 * still there where the system ended the app behind its own dialog; nothing is copied on the main
 * thread, and nothing is held in memory.
 */
final class Saves {
    /** Where the bytes of a file come from. */
    interface Source {
        InputStream open() throws IOException;
    }

    private static final String FOLDER = "saves";
    private static final String FILE = "save.file";
    private static final int BUFFER = 64 * 1024;

    private final Activity activity;
    private final ShellSettings settings;
    private final Dialogs dialogs;

    /** What waits for the user to say where; null where nothing does. */
    private File waiting;

    Saves(Activity activity, ShellSettings settings, Dialogs dialogs) {
        this.activity = activity;
        this.settings = settings;
        this.dialogs = dialogs;
    }

    /** A new file to wait in. */
    static File room(Context context) throws IOException {
        File folder = new File(context.getCacheDir(), FOLDER);
        folder.mkdirs();
        return File.createTempFile("save", null, folder);
    }

    void save(final Source source, final String type, final String name) {
        Background.run(
                new Runnable() {
                    @Override
                    public void run() {
                        try {
                            final File file = room(activity);
                            copy(source.open(), new FileOutputStream(file));
                            activity.runOnUiThread(
                                    new Runnable() {
                                        @Override
                                        public void run() {
                                            ask(file, type, name);
                                        }
                                    });
                        } catch (IOException | RuntimeException e) {
                            failed(e);
                        }
                    }
                });
    }

    /** Asks where a file that is in the cache already is to be. */
    void ask(File file, String type, String name) {
        discard();
        waiting = file;
        Intent intent =
                new Intent(Intent.ACTION_CREATE_DOCUMENT)
                        .addCategory(Intent.CATEGORY_OPENABLE)
                        .setType(type == null || type.isEmpty() ? "application/octet-stream" : type)
                        .putExtra(Intent.EXTRA_TITLE, name);
        try {
            activity.startActivityForResult(intent, RequestCodes.SAVE);
        } catch (ActivityNotFoundException e) {
            discard();
            failed(e);
        }
    }

    /** Where the user wants it. */
    void onResult(int result, Intent data) {
        final File file = waiting;
        waiting = null;
        final Uri to = result == Activity.RESULT_OK && data != null ? data.getData() : null;
        final ContentResolver content = activity.getContentResolver();
        Background.run(
                new Runnable() {
                    @Override
                    public void run() {
                        if (to != null) {
                            write(content, file, to);
                        }
                        delete(file);
                    }
                });
    }

    private void write(ContentResolver content, File file, Uri to) {
        try {
            if (file == null || !file.exists()) {
                throw new IOException("File is gone");
            }
            OutputStream out = content.openOutputStream(to);
            if (out == null) {
                throw new IOException("Document not writable");
            }
            copy(new FileInputStream(file), out);
            saved(to);
        } catch (IOException | RuntimeException e) {
            remove(content, to);
            failed(e);
        }
    }

    /** An empty document would pass for what was to be saved. */
    private static void remove(ContentResolver content, Uri document) {
        try {
            DocumentsContract.deleteDocument(content, document);
        } catch (IOException | RuntimeException e) {
            Log.w("hull", "Empty document not deleted", e);
        }
    }

    private void saved(final Uri document) {
        activity.runOnUiThread(
                new Runnable() {
                    @Override
                    public void run() {
                        Opening.offer(activity, settings, dialogs, document);
                    }
                });
    }

    void failed(Exception why) {
        Log.w("hull", "File not saved", why);
        activity.runOnUiThread(
                new Runnable() {
                    @Override
                    public void run() {
                        say("notSaved");
                    }
                });
    }

    void say(String word) {
        Toast.makeText(activity, settings.word(word), Toast.LENGTH_SHORT).show();
    }

    static void copy(InputStream in, OutputStream out) throws IOException {
        try {
            byte[] buffer = new byte[BUFFER];
            for (int count = in.read(buffer); count >= 0; count = in.read(buffer)) {
                out.write(buffer, 0, count);
            }
        } finally {
            try {
                in.close();
            } finally {
                // What a provider could not write it says here at the latest.
                out.close();
            }
        }
    }

    /** Lets go of a file in the cache; null for none. */
    static void delete(File file) {
        if (file != null && !file.delete()) {
            Log.w("hull", "Not deleted: " + file);
        }
    }

    private void discard() {
        delete(waiting);
        waiting = null;
    }

    void keep(Bundle state) {
        if (waiting != null) {
            state.putString(FILE, waiting.getPath());
        }
    }

    void restore(Bundle state) {
        String path = state == null ? null : state.getString(FILE);
        waiting = path == null ? null : new File(path);
    }
}
