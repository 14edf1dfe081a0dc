package jollyhull.shell;

import android.app.Activity;
import android.content.ActivityNotFoundException;
import android.content.Intent;
import android.content.pm.ResolveInfo;
import android.net.Uri;
import android.os.Bundle;
import android.widget.Toast;

import java.net.URISyntaxException;
import java.util.Arrays;
import java.util.HashSet;
import java.util.Locale;
import java.util.Set;

/**
 * Addresses that leave the app: web pages to the browser, mail, telephone and the like to their
 * apps.
 */
final class OutsideLinks {
    /** Schemes that the page itself deals with. */
    private static final Set<String> IN_PAGE =
            new HashSet<String>(Arrays.asList("about", "blob", "data", "javascript"));

    /** Schemes that reach into the device and never leave a page. */
    private static final Set<String> REFUSED =
            new HashSet<String>(
                    Arrays.asList("file", "content", "filesystem", "android.resource", "jar"));

    /** Opens one of the app's own pages, which another app's address led back to. */
    interface Inside {
        void openInside(String url);
    }

    private final Activity activity;
    private final ShellSettings settings;
    private final Inside inside;

    OutsideLinks(Activity activity, ShellSettings settings, Inside inside) {
        this.activity = activity;
        this.settings = settings;
        this.inside = inside;
    }

    static String schemeOf(Uri url) {
        return url.getScheme() == null ? "" : url.getScheme().toLowerCase(Locale.ROOT);
    }

    /**
     * Whether an address is that of one of the app's own pages: what another app, a notification or
     * a new window asks for is loaded only where it is. Addresses that readers take differently are
     * nobody's.
     */
    boolean isOwnPage(Uri url) {
        String scheme = schemeOf(url);
        if (!(scheme.equals("https") || scheme.equals("http")) || !isPlain(url)) {
            return false;
        }
        for (UrlRule rule : settings.inside) {
            if (rule.matches(url)) {
                return true;
            }
        }
        return false;
    }

    /**
     * Whether every reader finds the same host in an address: before API 28 the framework takes for
     * the host what the engine takes for a path behind a backslash, and a name before an @ looks
     * like a host to people.
     */
    private static boolean isPlain(Uri url) {
        String text = url.toString();
        for (int i = 0; i < text.length(); i++) {
            char letter = text.charAt(i);
            if (letter <= ' ' || letter == '\\' || letter == 0x7f) {
                return false;
            }
        }
        return url.getHost() != null
                && !url.getHost().isEmpty()
                && url.getEncodedUserInfo() == null;
    }

    /**
     * Whether a navigation that a page itself began stays in the view: an own page, or what the
     * page made itself.
     */
    boolean staysInside(Uri url) {
        return IN_PAGE.contains(schemeOf(url)) || isOwnPage(url);
    }

    /** Scheme, host and port of an address, as scripts know it (HTML Standard, "origin"). */
    static String originOf(Uri url) {
        int port = url.getPort();
        boolean usual =
                port == -1
                        || (port == 443 && schemeOf(url).equals("https"))
                        || (port == 80 && schemeOf(url).equals("http"));
        String host = url.getHost() == null ? "" : url.getHost().toLowerCase(Locale.ROOT);
        return schemeOf(url) + "://" + host + (usual ? "" : ":" + port);
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
        if (signsIn(url)) {
            openTab(url);
        } else if (!start(new Intent(Intent.ACTION_VIEW, url))) {
            sayNoApp(activity, settings);
        }
    }

    /** A page for a browser, also where this app would be chosen for it. */
    private static Intent inBrowser(Uri url) {
        Intent intent = new Intent(Intent.ACTION_VIEW, url);
        Intent browser =
                new Intent(Intent.ACTION_VIEW, Uri.parse("https://"))
                        .addCategory(Intent.CATEGORY_BROWSABLE);
        intent.setSelector(browser);
        return intent;
    }

    /** Hands an address to a browser, also where this app would be chosen for it. */
    void openInBrowser(Uri url) {
        if (!start(inBrowser(url))) {
            sayNoApp(activity, settings);
        }
    }

    /**
     * Whether an address asks somebody else to sign the user in, and the answer comes back to this
     * app by the system.
     */
    boolean signsIn(Uri url) {
        Uri answer = SignIn.answerOf(url);
        return answer != null && !isOwnPage(url) && SignIn.leadsHere(activity, answer);
    }

    /** Shows an address in a tab of the user's browser over the app, or in the browser itself. */
    private void openTab(Uri url) {
        Bundle session = new Bundle();
        session.putBinder(TabsProtocol.EXTRA_SESSION, null);
        Intent tab =
                inBrowser(url)
                        .putExtras(session)
                        .putExtra(TabsProtocol.EXTRA_TOOLBAR_COLOR, settings.now(activity).theme);
        try {
            activity.startActivity(tab);
        } catch (ActivityNotFoundException | SecurityException e) {
            openInBrowser(url);
        }
    }

    /**
     * An address that names an app by itself: only what a browser would allow, never a component or
     * a grant.
     */
    private void openIntent(Uri url) {
        Intent intent;
        try {
            intent = Intent.parseUri(url.toString(), Intent.URI_INTENT_SCHEME);
        } catch (URISyntaxException | RuntimeException e) {
            // Not an intent, or one with a number that is none.
            return;
        }
        String fallback = Extras.text(intent, "browser_fallback_url");
        String wanted = intent.getPackage();
        intent.setComponent(null);
        intent.setSelector(null);
        intent.setClipData(null);
        intent.setFlags(0);
        intent.replaceExtras((Bundle) null);
        if (intent.getData() != null && REFUSED.contains(schemeOf(intent.getData()))) {
            return;
        }
        // A page that wants another of the app's pages links to it; what comes in here is for other
        // apps alone.
        if (!reachesThisApp(intent) && start(intent)) {
            return;
        }
        Uri other = fallback == null ? null : Uri.parse(fallback);
        if (other != null && isOwnPage(other)) {
            inside.openInside(fallback);
        } else if (other != null && schemeOf(other).equals("https")) {
            open(other);
        } else if (wanted == null
                || wanted.equals(activity.getPackageName())
                || !start(
                        new Intent(
                                Intent.ACTION_VIEW,
                                Uri.parse("market://details?id=" + Uri.encode(wanted))))) {
            sayNoApp(activity, settings);
        }
    }

    private boolean reachesThisApp(Intent intent) {
        String own = activity.getPackageName();
        if (own.equals(intent.getPackage())) {
            return true;
        }
        for (ResolveInfo found : activity.getPackageManager().queryIntentActivities(intent, 0)) {
            if (found.activityInfo != null && own.equals(found.activityInfo.packageName)) {
                return true;
            }
        }
        return false;
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

    /** Nothing on the device does what was asked for. */
    static void sayNoApp(Activity activity, ShellSettings settings) {
        Toast.makeText(activity, settings.word("noApp"), Toast.LENGTH_LONG).show();
    }
}
