package jollyhull.shell;

import android.app.Activity;
import android.content.ActivityNotFoundException;
import android.content.Intent;
import android.net.Uri;
import android.widget.Toast;
import java.net.URISyntaxException;
import java.util.Arrays;
import java.util.HashSet;
import java.util.Locale;
import java.util.Set;

/** Addresses that leave the app: web pages to the browser, mail, telephone and the like to their apps. */
final class OutsideLinks {
    /** Schemes that the page itself deals with. */
    private static final Set<String> IN_PAGE =
            new HashSet<String>(Arrays.asList("about", "blob", "data", "javascript"));
    /** Schemes that reach into the device and never leave a page. */
    private static final Set<String> REFUSED =
            new HashSet<String>(Arrays.asList("file", "content", "filesystem", "android.resource", "jar"));

    private final Activity activity;
    private final ShellSettings settings;

    OutsideLinks(Activity activity, ShellSettings settings) {
        this.activity = activity;
        this.settings = settings;
    }

    static String schemeOf(Uri url) {
        return url.getScheme() == null ? "" : url.getScheme().toLowerCase(Locale.ROOT);
    }

    /** Whether a main-frame address is one of the app's own. */
    boolean staysInside(Uri url) {
        String scheme = schemeOf(url);
        if (IN_PAGE.contains(scheme)) {
            return true;
        }
        for (UrlRule rule : settings.inside) {
            if (rule.matches(url)) {
                return true;
            }
        }
        return false;
    }

    /** Hands an address to whatever app opens it; says so where there is none. */
    void open(Uri url) {
        String scheme = schemeOf(url);
        if (REFUSED.contains(scheme)) {
            return;
        }
        if ("intent".equals(scheme)) {
            openIntent(url);
            return;
        }
        if (!start(new Intent(Intent.ACTION_VIEW, url))) {
            sayNoApp();
        }
    }

    /** Hands an address to a browser, also where this app would be chosen for it. */
    void openInBrowser(Uri url) {
        Intent intent = new Intent(Intent.ACTION_VIEW, url);
        Intent browser = new Intent(Intent.ACTION_VIEW, Uri.parse("https://")).addCategory(Intent.CATEGORY_BROWSABLE);
        intent.setSelector(browser);
        if (!start(intent)) {
            sayNoApp();
        }
    }

    /** An address that names an app by itself: only what a browser would allow, never a component or a grant. */
    private void openIntent(Uri url) {
        Intent intent;
        try {
            intent = Intent.parseUri(url.toString(), Intent.URI_INTENT_SCHEME);
        } catch (URISyntaxException e) {
            return;
        }
        String fallback = intent.getStringExtra("browser_fallback_url");
        intent.setComponent(null);
        intent.setSelector(null);
        intent.setClipData(null);
        intent.setFlags(0);
        if (intent.getData() != null && REFUSED.contains(schemeOf(intent.getData()))) {
            return;
        }
        if (start(intent)) {
            return;
        }
        if (fallback != null && fallback.startsWith("https://")) {
            open(Uri.parse(fallback));
        } else {
            sayNoApp();
        }
    }

    private boolean start(Intent intent) {
        intent.addCategory(Intent.CATEGORY_BROWSABLE);
        intent.addFlags(Intent.FLAG_ACTIVITY_NEW_TASK);
        try {
            activity.startActivity(intent);
            return true;
        } catch (ActivityNotFoundException | SecurityException e) {
            return false;
        }
    }

    private void sayNoApp() {
        Toast.makeText(activity, settings.word("noApp"), Toast.LENGTH_LONG).show();
    }
}
