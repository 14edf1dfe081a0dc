package jollyhull.shell;

import android.content.Context;
import android.util.Log;

import java.io.File;
import java.io.IOException;

/**
 * Lets packed pages be those of the installed package at the first start after an update. A service
 * worker that was registered by the version before answers from what it keeps of that version,
 * until its successor has taken over. So the registrations are removed before the engine starts:
 * the pages come from the package, and register their worker again. What workers and pages keep
 * (caches, databases) stays.
 */
final class FreshPages {
    private static final String MARK = "pages-updated";

    /**
     * Where the engine keeps registrations and the scripts of workers; its caches lie beside these,
     * and are the app's.
     */
    private static final String WORKERS = "Service Worker";

    private static final String[] REGISTRATIONS = {"Database", "ScriptCache"};

    private FreshPages() {}

    /** Has to run before the first web view is made. */
    static void prepare(Context context, ShellSettings settings) {
        // The package is a new file after each update.
        prepare(context, settings, new File(context.getPackageCodePath()).lastModified());
    }

    static void prepare(Context context, ShellSettings settings, long updated) {
        if (settings.packedOrigin == null) {
            return;
        }
        // Of the mark only its time is looked at: reading a file would hold up every start.
        File mark = new File(context.getNoBackupFilesDir(), MARK);
        long known = mark.lastModified();
        if (updated != 0 && updated == known) {
            return;
        }
        removeRegistrations(context.getDir("webview", Context.MODE_PRIVATE));
        try {
            if (known == 0 && !mark.createNewFile()) {
                Log.w("hull", "No time of the last update: " + mark);
            }
        } catch (IOException e) {
            Log.w("hull", "Last update not noted", e);
        }
        if (!mark.setLastModified(updated)) {
            Log.w("hull", "Last update not noted: " + mark);
        }
    }

    /** In the engine's folder itself, or in that of a profile. */
    private static void removeRegistrations(File engine) {
        removeIn(new File(engine, WORKERS));
        File[] profiles = engine.listFiles();
        if (profiles != null) {
            for (File profile : profiles) {
                removeIn(new File(profile, WORKERS));
            }
        }
    }

    private static void removeIn(File workers) {
        for (String name : REGISTRATIONS) {
            delete(new File(workers, name));
        }
    }

    static void delete(File file) {
        File[] inside = file.listFiles();
        if (inside != null) {
            for (File one : inside) {
                delete(one);
            }
        }
        if (file.exists() && !file.delete()) {
            // One that stays is a worker that stays: the pages are then as old as they were before.
            Log.w("hull", "Not deleted: " + file);
        }
    }
}
