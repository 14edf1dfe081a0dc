package jollyhull.shell;

import android.content.Intent;
import android.content.pm.PackageManager;
import android.content.pm.ResolveInfo;
import android.net.Uri;

import java.util.List;

/** Which installed browser shows the pages: the user's own if it can, else another, else none. */
final class Browsers {
    /** Package that presents verified pages by themselves; null where none is installed. */
    final String trusted;

    /** Package that shows custom tabs; null where none is installed. */
    final String tabs;

    /** Whether it takes over the start picture. */
    final boolean takesSplash;

    private Browsers(String trusted, boolean takesSplash, String tabs) {
        this.trusted = trusted;
        this.takesSplash = takesSplash;
        this.tabs = tabs;
    }

    static Browsers find(PackageManager packages) {
        Intent web =
                new Intent(Intent.ACTION_VIEW, Uri.parse("https://"))
                        .addCategory(Intent.CATEGORY_BROWSABLE);
        ResolveInfo own = packages.resolveActivity(web, PackageManager.MATCH_DEFAULT_ONLY);
        String preferred =
                own == null || own.activityInfo == null ? null : own.activityInfo.packageName;
        String trusted = null;
        boolean takesSplash = false;
        String tabs = null;
        List<ResolveInfo> services =
                packages.queryIntentServices(
                        new Intent(TabsProtocol.ACTION), PackageManager.GET_RESOLVED_FILTER);
        for (ResolveInfo service : services) {
            String name = service.serviceInfo.packageName;
            boolean isOwn = name.equals(preferred);
            if (tabs == null || isOwn) {
                tabs = name;
            }
            boolean canTrust =
                    service.filter != null && service.filter.hasCategory(TabsProtocol.TRUSTED);
            if (canTrust && (trusted == null || isOwn)) {
                trusted = name;
                takesSplash = service.filter.hasCategory(TabsProtocol.SPLASH);
            }
        }
        return new Browsers(trusted, takesSplash, tabs);
    }
}
