package jollyhull.shell;

import android.graphics.Bitmap;
import android.net.Uri;
import android.net.http.SslError;
import android.webkit.HttpAuthHandler;
import android.webkit.RenderProcessGoneDetail;
import android.webkit.SslErrorHandler;
import android.webkit.WebResourceError;
import android.webkit.WebResourceRequest;
import android.webkit.WebResourceResponse;
import android.webkit.WebView;
import android.webkit.WebViewClient;
import org.json.JSONObject;

/** Where each address goes, what answers it, and what is shown when nothing does. */
final class PageClient extends WebViewClient {
    /** What the activity does about pages that load or fail. */
    interface Host {
        void historyChanged();

        void pageFailed(String url, String why);

        void pageShown();

        void rendererGone();

        /** Something of the page asked for can be seen. */
        void pageVisible();

        void signIn(String host, HttpAuthHandler handler);

        /** What more runs in a page of the app's own; empty where nothing does. */
        String pageBegins();
    }

    private final PackedSite site;
    private final OutsideLinks links;
    private final ShellSettings settings;
    private final Host host;
    /** The main-frame address that was asked for last. */
    private String askedUrl;
    /** The main-frame address that failed last and has not been tried again, else null. */
    private String failedUrl;

    PageClient(PackedSite site, OutsideLinks links, ShellSettings settings, Host host) {
        this.site = site;
        this.links = links;
        this.settings = settings;
        this.host = host;
    }

    /** Takes note that a page is asked for by the shell itself: the first one, or one that failed, again. */
    void asks(String url) {
        askedUrl = url;
        failedUrl = null;
    }

    @Override
    public boolean shouldOverrideUrlLoading(WebView view, WebResourceRequest request) {
        Uri url = request.getUrl();
        String scheme = OutsideLinks.schemeOf(url);
        boolean web = scheme.equals("https") || scheme.equals("http");
        if (!request.isForMainFrame()) {
            // A frame may show any web page, but an app is opened only by the user's own touch.
            if (web || links.staysInside(url)) {
                return false;
            }
            if (request.hasGesture()) {
                links.open(url);
            }
            return true;
        }
        if (links.staysInside(url)) {
            asks(url.toString());
            return false;
        }
        if (web || request.hasGesture() || request.isRedirect()) {
            links.open(url);
        }
        return true;
    }

    @Override
    public WebResourceResponse shouldInterceptRequest(WebView view, WebResourceRequest request) {
        return site.answer(request.getMethod(), request.getUrl(), request.getRequestHeaders());
    }

    @Override
    public void doUpdateVisitedHistory(WebView view, String url, boolean isReload) {
        host.historyChanged();
    }

    @Override
    public void onPageStarted(WebView view, String url, Bitmap favicon) {
        if (failedUrl != null && !failedUrl.equals(url)) {
            failedUrl = null;
        }
        prepare(view, url);
    }

    private void prepare(WebView view, String url) {
        String more = host.pageBegins();
        Uri page = Uri.parse(url);
        if ((settings.script + more).isEmpty() || !links.isOwnPage(page)) {
            return;
        }
        // The page before may still be on screen, and be anyone's: the page that runs this is asked who it is. No page can
        // change what its location says, and a blob: or data: document does not begin so.
        String own = JSONObject.quote(OutsideLinks.originOf(page) + "/");
        view.evaluateJavascript(
                "if (location.href.lastIndexOf(" + own + ", 0) === 0) { " + settings.script + ";" + more + " }", null);
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
            fail(request.getUrl().toString(), error.getErrorCode() == ERROR_FAILED_SSL_HANDSHAKE);
        }
    }

    /** A certificate that does not hold is never clicked through. */
    @Override
    public void onReceivedSslError(WebView view, SslErrorHandler handler, SslError error) {
        handler.cancel();
        // Parts of a page fail by themselves; only the page that was asked for is answered with the shell's own.
        if (error.getUrl().equals(askedUrl) || error.getUrl().equals(view.getUrl())) {
            fail(error.getUrl(), true);
        }
    }

    private void fail(String url, boolean unsafe) {
        failedUrl = url;
        host.pageFailed(url, unsafe ? "unsafe" : "offline");
    }

    /** A page that a server answers with an error is the page's to show, unless the app wants the shell to. */
    @Override
    public void onReceivedHttpError(WebView view, WebResourceRequest request, WebResourceResponse response) {
        if (!request.isForMainFrame()) {
            return;
        }
        int status = response.getStatusCode();
        boolean missing = status == 404 || status == 410;
        if (missing ? settings.answersNotFound : status >= 500 && settings.answersServer) {
            failedUrl = request.getUrl().toString();
            host.pageFailed(failedUrl, missing ? "notFound" : "server");
        }
    }

    @Override
    public void onPageCommitVisible(WebView view, String url) {
        // The page before may still have been there when this one was begun.
        prepare(view, url);
        host.pageVisible();
    }

    @Override
    public void onReceivedHttpAuthRequest(WebView view, HttpAuthHandler handler, String server, String realm) {
        host.signIn(server, handler);
    }

    @Override
    public boolean onRenderProcessGone(WebView view, RenderProcessGoneDetail detail) {
        host.rendererGone();
        return true;
    }
}
