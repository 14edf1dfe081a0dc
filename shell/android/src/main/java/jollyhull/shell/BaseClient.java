package jollyhull.shell;

import android.net.Uri;
import android.net.http.SslError;
import android.os.Message;
import android.webkit.ClientCertRequest;
import android.webkit.HttpAuthHandler;
import android.webkit.RenderProcessGoneDetail;
import android.webkit.SslErrorHandler;
import android.webkit.WebResourceRequest;
import android.webkit.WebResourceResponse;
import android.webkit.WebView;
import android.webkit.WebViewClient;

import org.json.JSONObject;

/**
 * What every window of pages has in common: packed pages answer, sign-in is asked for, and nothing
 * unsafe is clicked through.
 */
abstract class BaseClient extends WebViewClient {
    /** What the activity does for pages, in whichever window they are. */
    interface Host {
        void signIn(WebView view, String host, String realm, HttpAuthHandler handler);

        /** The page on screen was the answer to a form, and is asked for again. */
        void sendAgain(Message no, Message yes);

        void chooseCertificate(ClientCertRequest request);

        /** What runs in a page of the app's own that begins. */
        String pageBegins();
    }

    final OutsideLinks links;
    final ShellSettings settings;
    private final PackedSite site;
    private final Host host;

    /** Read on the engine's thread. */
    private volatile SharedFiles files;

    BaseClient(PackedSite site, OutsideLinks links, ShellSettings settings, Host host) {
        this.site = site;
        this.links = links;
        this.settings = settings;
        this.host = host;
    }

    static boolean isWeb(Uri url) {
        String scheme = OutsideLinks.schemeOf(url);
        return scheme.equals("https") || scheme.equals("http");
    }

    /**
     * Where a navigation goes that is no business of the app's window: any web page stays where it
     * is, and an app is opened only by the user's own touch.
     *
     * @return whether the engine lets go of it
     */
    final boolean leaves(WebResourceRequest request) {
        Uri url = request.getUrl();
        boolean leaves = !isWeb(url) && !links.staysInside(url);
        if (leaves && request.hasGesture()) {
            links.open(url);
        }
        return leaves;
    }

    /** Files that another app shares, until the next arrive; null for none. */
    void give(SharedFiles files) {
        this.files = files;
    }

    @Override
    public WebResourceResponse shouldInterceptRequest(WebView view, WebResourceRequest request) {
        SharedFiles files = settings.takesShares() ? this.files : null;
        WebResourceResponse shared =
                files == null || !links.isOwnPage(request.getUrl())
                        ? null
                        : files.answer(request.getUrl());
        return shared == null
                ? site.answer(request.getMethod(), request.getUrl(), request.getRequestHeaders())
                : shared;
    }

    /** A certificate that does not hold is never clicked through. */
    @Override
    public void onReceivedSslError(WebView view, SslErrorHandler handler, SslError error) {
        handler.cancel();
    }

    @Override
    public void onReceivedHttpAuthRequest(
            WebView view, HttpAuthHandler handler, String server, String realm) {
        host.signIn(view, server, realm, handler);
    }

    @Override
    public void onReceivedClientCertRequest(WebView view, ClientCertRequest request) {
        host.chooseCertificate(request);
    }

    @Override
    public void onFormResubmission(WebView view, Message no, Message yes) {
        host.sendAgain(no, yes);
    }

    /** Runs the shell's scripts in a page that begins, if it is one of the app's own. */
    final void prepare(WebView view, String url) {
        runInOwnPage(view, url, host.pageBegins());
    }

    /** Runs a script in the page of an address, if that is one of the app's own. */
    final void runInOwnPage(WebView view, String url, String script) {
        Uri page = Uri.parse(url);
        if (!links.isOwnPage(page)) {
            return;
        }
        // The page before may still be on screen, and be anyone's: the page that runs this is asked
        // who it is. No page can change what its location says, and a blob: or data: document does
        // not begin so.
        String own = JSONObject.quote(OutsideLinks.originOf(page) + "/");
        view.evaluateJavascript(
                "if (location.href.lastIndexOf(" + own + ", 0) === 0) { " + script + " }", null);
    }

    /** The engine's own process ended, which else would end the app. */
    @Override
    public final boolean onRenderProcessGone(WebView view, RenderProcessGoneDetail detail) {
        gone(view);
        return true;
    }

    abstract void gone(WebView view);
}
