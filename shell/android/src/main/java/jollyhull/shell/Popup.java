package jollyhull.shell;

import android.app.Activity;
import android.graphics.Bitmap;
import android.net.Uri;
import android.os.Handler;
import android.os.Looper;
import android.os.Message;
import android.view.ViewGroup;
import android.webkit.WebResourceRequest;
import android.webkit.WebView;
import android.widget.FrameLayout;
import android.widget.LinearLayout;

/**
 * A window that a page opened over itself, such as a sign-in: with the address that it shows, since
 * it may be anyone's. One that was asked for without a size is seen only where it comes to show
 * something by itself; a link in it that opens one of the app's pages opens it in the app's own
 * window, and any other in the browser.
 */
final class Popup extends LinearLayout {
    /**
     * A script that opened an empty window has this long to send it to an address before the window
     * is shown.
     */
    private static final long EMPTY_MS = 400;

    final WebView window;
    final AddressBar bar;
    private final Windows windows;

    /** Whether it was asked for as a window, and not only as a place for a link. */
    private final boolean isWindow;

    private boolean isClosed;
    private boolean hasPage;

    Popup(
            Activity activity,
            ShellSettings settings,
            PackedSite site,
            OutsideLinks links,
            boolean isWindow,
            BaseClient.Host host,
            Windows windows) {
        super(activity);
        this.windows = windows;
        this.isWindow = isWindow;
        setOrientation(VERTICAL);
        setBackgroundColor(settings.now(activity).background);
        bar =
                new AddressBar(
                        activity,
                        settings,
                        new Runnable() {
                            @Override
                            public void run() {
                                Popup.this.windows.drop(Popup.this);
                            }
                        });
        addView(
                bar,
                new LayoutParams(
                        LayoutParams.MATCH_PARENT, Pixels.of(activity, AddressBar.HEIGHT_DP)));
        window = new WebView(activity);
        window.setWebViewClient(new Client(site, links, settings, host));
        addView(window, new LayoutParams(LayoutParams.MATCH_PARENT, 0, 1));
    }

    private final class Client extends BaseClient {
        Client(PackedSite site, OutsideLinks links, ShellSettings settings, BaseClient.Host host) {
            super(site, links, settings, host);
        }

        @Override
        public boolean shouldOverrideUrlLoading(WebView view, WebResourceRequest request) {
            Uri url = request.getUrl();
            // One whose answer is a page goes on here: that page may speak to the one that opened
            // the window.
            if (request.isForMainFrame() && links.signsIn(url) && !isWeb(SignIn.answerOf(url))) {
                links.open(url);
                windows.drop(Popup.this);
                return true;
            }
            if (!request.isForMainFrame() || isSeen()) {
                return leaves(request);
            }
            if (isWeb(url)) {
                windows.openLink(Popup.this, url);
                return true;
            }
            if (links.staysInside(url)) {
                return false;
            }
            links.open(url);
            windows.drop(Popup.this);
            return true;
        }

        @Override
        public void onPageStarted(WebView view, String url, Bitmap favicon) {
            if (!hasPage) {
                bar.show(url);
            }
            prepare(view, url);
            appear(url);
        }

        @Override
        public void doUpdateVisitedHistory(WebView view, String url, boolean isReload) {
            // Only once a page is there: until then the one before is seen, and must not pass for
            // the next.
            hasPage = true;
            bar.show(url);
            appear(url);
        }

        @Override
        public void onPageFinished(WebView view, String url) {
            appear(url);
        }

        @Override
        public void onPageCommitVisible(WebView view, String url) {
            prepare(view, url);
            bar.show(url);
        }

        @Override
        void gone(WebView view) {
            windows.drop(Popup.this);
        }
    }

    boolean isSeen() {
        return isWindow || getParent() != null;
    }

    /** Something is shown: what a form led to at once, an empty window a moment later. */
    private void appear(String url) {
        if (isSeen() || isClosed) {
            return;
        }
        Runnable show =
                new Runnable() {
                    @Override
                    public void run() {
                        if (!isClosed && !isSeen()) {
                            windows.show(Popup.this);
                        }
                    }
                };
        if (url == null || url.isEmpty() || url.startsWith("about:")) {
            new Handler(Looper.getMainLooper()).postDelayed(show, EMPTY_MS);
        } else {
            show.run();
        }
    }

    /**
     * Room for the window in a frame that reaches the screen's edges, in pixels: left, top, right,
     * bottom.
     */
    void keepClearOf(int[] edges) {
        setPadding(edges[0], edges[1], edges[2], edges[3]);
    }

    /** Hands the window to the page that asked for it. */
    void give(Message result) {
        ((WebView.WebViewTransport) result.obj).setWebView(window);
        result.sendToTarget();
        // A window that a script writes into by itself may begin no page.
        appear("");
    }

    void addTo(FrameLayout room) {
        room.addView(
                this,
                new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT));
    }

    void close() {
        if (isClosed) {
            return;
        }
        isClosed = true;
        ViewGroup parent = (ViewGroup) getParent();
        if (parent != null) {
            parent.removeView(this);
        }
        removeView(window);
        window.destroy();
    }
}
