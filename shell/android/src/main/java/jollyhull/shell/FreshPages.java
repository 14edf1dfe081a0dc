package jollyhull.shell;

import android.content.Context;
import android.content.SharedPreferences;
import android.content.pm.PackageManager;
import java.io.File;

/**
 * Lets packed pages be those of the installed package at the first start after an update. A service worker that was
 * registered by the version before answers from what it keeps of that version, until its successor has taken over. So
 * the registrations are removed before the engine starts: the pages come from the package, and register their worker
 * again. What workers and pages keep (caches, databases) stays.
 */
final class FreshPages {
    private static final String KEY = "pages.updated";
    /** Where the engine keeps registrations and the scripts of workers; its caches lie beside these, and are the app's. */
    private static final String WORKERS = "Service Worker";
    private static final String[] REGISTRATIONS = {"Database", "ScriptCache"};

    private FreshPages() {
    }

    /** Has to run before the first web view is made. */
    static void prepare(Context context, ShellSettings settings) {
        if (settings.packedOrigin == null) {
            return;
        }
        SharedPreferences kept = context.getSharedPreferences("hull", Context.MODE_PRIVATE);
        long updated = updateTime(context);
        long known = kept.getLong(KEY, 0);
        if (updated == known) {
            return;
        }
        if (known != 0) {
            removeRegistrations(context.getDir("webview", Context.MODE_PRIVATE));
        }
        kept.edit().putLong(KEY, updated).apply();
    }

    private static long updateTime(Context context) {
        try {
            return context.getPackageManager().getPackageInfo(context.getPackageName(), 0).lastUpdateTime;
        } catch (PackageManager.NameNotFoundException e) {
            // Nobody runs who is not installed.
            return 0;
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

    private static void delete(File file) {
        File[] inside = file.listFiles();
        if (inside != null) {
            for (File one : inside) {
                delete(one);
            }
        }
        // One that stays is a worker that stays: the pages are then as old as they were before.
        file.delete();
    }
}
