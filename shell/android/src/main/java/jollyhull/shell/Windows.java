package jollyhull.shell;

import android.app.Activity;
import android.net.Uri;
import android.os.Message;
import android.webkit.WebView;

/** Windows that pages open over themselves: one that is seen, and one that shows nothing yet. */
final class Windows {
    /** What the activity does for windows. */
    interface Host extends BaseClient.Host, OutsideLinks.Inside {
        /** Gives a window the settings that the app's own has. */
        void configure(WebView window);

        /** A window is seen, or none any more. */
        void windowChanged();

        /** Puts a window over everything, clear of what covers the edges. */
        void cover(Popup window);
    }

    private final Activity activity;
    private final ShellSettings settings;
    private final PackedSite site;
    private final OutsideLinks links;
    private final Host host;

    /** Null where there is none. */
    private Popup seen;

    /** A window that was opened for a link; null where there is none. */
    private Popup unseen;

    Windows(
            Activity activity,
            ShellSettings settings,
            PackedSite site,
            OutsideLinks links,
            Host host) {
        this.activity = activity;
        this.settings = settings;
        this.site = site;
        this.links = links;
        this.host = host;
    }

    /** The window that is seen; null where there is none. */
    Popup seen() {
        return seen;
    }

    /**
     * A sign-in gets a window over the page, which it can answer; what is only a link to a new
     * window does not.
     */
    void open(boolean isPopup, Message result) {
        Popup opened = new Popup(activity, settings, site, links, isPopup, host, this);
        host.configure(opened.window);
        if (isPopup) {
            show(opened);
        } else {
            drop(unseen);
            unseen = opened;
        }
        opened.give(result);
    }

    void show(Popup opened) {
        if (opened == unseen) {
            unseen = null;
        }
        if (seen != opened) {
            close();
        }
        seen = opened;
        host.cover(opened);
        opened.window.requestFocus();
        host.windowChanged();
    }

    /** Only the address is wanted: an own page opens here, any other in the browser. */
    void openLink(Popup opened, Uri url) {
        if (links.isOwnPage(url)) {
            host.openInside(url.toString());
        } else {
            links.open(url);
        }
        drop(opened);
    }

    void drop(Popup opened) {
        if (opened == null) {
            return;
        }
        if (opened == seen) {
            close();
        } else if (opened == unseen) {
            unseen = null;
            opened.close();
        }
    }

    void closeOf(WebView window) {
        for (Popup one : new Popup[] {seen, unseen}) {
            if (one != null && one.window == window) {
                drop(one);
            }
        }
    }

    /** Closes the window that is seen. */
    void close() {
        if (seen != null) {
            Popup closed = seen;
            seen = null;
            closed.close();
            host.windowChanged();
        }
    }

    void closeAll() {
        close();
        drop(unseen);
    }
}
