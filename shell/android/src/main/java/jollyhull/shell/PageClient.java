package jollyhull.shell;

import android.graphics.Bitmap;
import android.net.Uri;
import android.net.http.SslError;
import android.webkit.SslErrorHandler;
import android.webkit.WebResourceError;
import android.webkit.WebResourceRequest;
import android.webkit.WebResourceResponse;
import android.webkit.WebView;

/** The app's own window: where each address goes, and what is shown when nothing answers. */
final class PageClient extends BaseClient {
    /** What the activity does about pages that load or fail. */
    interface Host extends BaseClient.Host {
        void historyChanged();

        void pageFailed(String url, Trouble why);

        void pageShown();

        void rendererGone();

        /** Something of the page asked for can be seen. */
        void pageVisible();

        /** Another page is on screen; {@code outside} where it is not one of the app's own. */
        void pageAt(String url, boolean outside);
    }

    private final Host host;

    /** The main-frame address that was asked for last. */
    private String askedUrl;

    /** The main-frame address that failed last and has not been tried again, else null. */
    private String failedUrl;

    /** The address of the page on screen; null before the first. */
    private String place;

    PageClient(PackedSite site, OutsideLinks links, ShellSettings settings, Host host) {
        super(site, links, settings, host);
        this.host = host;
    }

    /**
     * Takes note that a page is asked for by the shell itself: the first one, or one that failed,
     * again.
     */
    void asks(String url) {
        askedUrl = url;
        failedUrl = null;
    }

    /** The address that was asked for last; null where the history says it. */
    String asked() {
        return askedUrl;
    }

    /** The address of the page on screen; null before the first. */
    String place() {
        return place;
    }

    @Override
    public boolean shouldOverrideUrlLoading(WebView view, WebResourceRequest request) {
        Uri url = request.getUrl();
        if (!request.isForMainFrame()) {
            return leaves(request);
        }
        boolean web = isWeb(url);
        // An outside page is on screen where a form led to it, or where the start asks for a
        // sign-in. It goes on here: in
        // another app it would have lost what it has begun.
        boolean goesOn = web && (isOutside() || (place == null && request.isRedirect()));
        boolean signsIn = links.signsIn(url);
        if (!signsIn && (links.staysInside(url) || goesOn)) {
            asks(url.toString());
            return false;
        }
        if (signsIn && place == null) {
            // Nothing is behind the browser but this.
            fail(url.toString(), Trouble.SIGN_IN);
        }
        if (web || request.hasGesture() || request.isRedirect()) {
            links.open(url);
        }
        return true;
    }

    /** Whether the page on screen is not one of the app's own. */
    private boolean isOutside() {
        Uri page = place == null ? Uri.EMPTY : Uri.parse(place);
        return isWeb(page) && !links.isOwnPage(page);
    }

    /**
     * Only once a page is there: until then the one before is seen, and must not pass for the next.
     */
    private void at(String url) {
        place = url;
        host.pageAt(url, isOutside());
    }

    @Override
    public void doUpdateVisitedHistory(WebView view, String url, boolean isReload) {
        at(url);
        host.historyChanged();
    }

    @Override
    public void onPageStarted(WebView view, String url, Bitmap favicon) {
        if (failedUrl != null && !failedUrl.equals(url)) {
            failedUrl = null;
        }
        prepare(view, url);
    }

    @Override
    public void onPageFinished(WebView view, String url) {
        host.historyChanged();
        if (failedUrl == null) {
            host.pageShown();
        }
    }

    @Override
    public void onReceivedError(WebView view, WebResourceRequest request, WebResourceError error) {
        if (request.isForMainFrame()) {
            boolean unsafe = error.getErrorCode() == ERROR_FAILED_SSL_HANDSHAKE;
            fail(request.getUrl().toString(), unsafe ? Trouble.UNSAFE : Trouble.OFFLINE);
        }
    }

    @Override
    public void onReceivedSslError(WebView view, SslErrorHandler handler, SslError error) {
        super.onReceivedSslError(view, handler, error);
        // Parts of a page fail by themselves; only the page that was asked for is answered with the
        // shell's own.
        if (error.getUrl().equals(askedUrl) || error.getUrl().equals(view.getUrl())) {
            fail(error.getUrl(), Trouble.UNSAFE);
        }
    }

    private void fail(String url, Trouble why) {
        failedUrl = url;
        host.pageFailed(url, why);
    }

    /**
     * A page that a server answers with an error is the page's to show, unless the app wants the
     * shell to.
     */
    @Override
    public void onReceivedHttpError(
            WebView view, WebResourceRequest request, WebResourceResponse response) {
        Uri url = request.getUrl();
        if (!request.isForMainFrame() || !links.isOwnPage(url)) {
            return;
        }
        int status = response.getStatusCode();
        boolean missing = status == 404 || status == 410;
        if (missing ? settings.answersNotFound : status >= 500 && settings.answersServer) {
            fail(url.toString(), missing ? Trouble.NOT_FOUND : Trouble.SERVER);
        }
    }

    @Override
    public void onPageCommitVisible(WebView view, String url) {
        // The page before may still have been there when this one was begun.
        prepare(view, url);
        at(url);
        host.pageVisible();
    }

    @Override
    void gone(WebView view) {
        host.rendererGone();
    }
}
