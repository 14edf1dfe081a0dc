package jollyhull.shell;

import android.app.Activity;
import android.graphics.Bitmap;
import android.net.Uri;
import android.os.Message;
import android.view.Gravity;
import android.view.View;
import android.view.ViewGroup;
import android.view.ViewGroup.LayoutParams;
import android.webkit.HttpAuthHandler;
import android.webkit.RenderProcessGoneDetail;
import android.webkit.WebChromeClient;
import android.webkit.WebResourceRequest;
import android.webkit.WebView;
import android.webkit.WebViewClient;
import android.widget.LinearLayout;
import android.widget.TextView;

/** A window that a page opened over itself, such as a sign-in: with the address that it shows, since it may be anyone's. */
final class Popup extends LinearLayout {
    private static final int BAR_DP = 48;

    final WebView window;
    private final TextView address;

    Popup(final Activity activity, ShellSettings settings, WebChromeClient chrome, final OutsideLinks links, final PageDialogs dialogs, final Runnable onClose) {
        super(activity);
        setOrientation(VERTICAL);
        setBackgroundColor(settings.backgroundColor);
        int ink = Colors.inkOn(settings.themeColor);
        int height = Pixels.of(activity, BAR_DP);
        LinearLayout bar = new LinearLayout(activity);
        bar.setBackgroundColor(settings.themeColor);
        bar.setGravity(Gravity.CENTER_VERTICAL);
        address = label(activity, ink);
        TextView close = label(activity, ink);
        close.setText("\u2715");
        close.setContentDescription(settings.word("cancel"));
        close.setGravity(Gravity.CENTER);
        close.setMinWidth(height);
        close.setOnClickListener(new OnClickListener() {
            @Override
            public void onClick(View view) {
                onClose.run();
            }
        });
        bar.addView(close, new LayoutParams(height, height));
        bar.addView(address, new LayoutParams(0, LayoutParams.WRAP_CONTENT, 1));
        addView(bar, new LayoutParams(LayoutParams.MATCH_PARENT, height));

        window = new WebView(activity);
        window.setWebChromeClient(chrome);
        window.setWebViewClient(new WebViewClient() {
            @Override
            public boolean shouldOverrideUrlLoading(WebView view, WebResourceRequest request) {
                String scheme = OutsideLinks.schemeOf(request.getUrl());
                if (scheme.equals("https") || scheme.equals("about") || scheme.equals("blob")) {
                    return false;
                }
                if (request.hasGesture()) {
                    links.open(request.getUrl());
                }
                return true;
            }

            @Override
            public void onReceivedHttpAuthRequest(WebView view, HttpAuthHandler handler, String server, String realm) {
                dialogs.signIn(server, handler);
            }

            @Override
            public void onPageStarted(WebView view, String url, Bitmap favicon) {
                showAddress(url);
            }

            /** The engine's own process ended, which else would end the app. */
            @Override
            public boolean onRenderProcessGone(WebView view, RenderProcessGoneDetail detail) {
                onClose.run();
                return true;
            }
        });
        addView(window, new LayoutParams(LayoutParams.MATCH_PARENT, 0, 1));
    }

    private static TextView label(Activity activity, int ink) {
        TextView view = new TextView(activity);
        view.setTextSize(16);
        view.setSingleLine();
        view.setTextColor(ink);
        return view;
    }

    private void showAddress(String url) {
        String host = Uri.parse(url).getHost();
        address.setText(host == null ? "" : host);
    }

    String shownAddress() {
        return address.getText().toString();
    }

    /** Hands the window to the page that asked for it. */
    void give(Message result) {
        ((WebView.WebViewTransport) result.obj).setWebView(window);
        result.sendToTarget();
    }

    void close() {
        ViewGroup parent = (ViewGroup) getParent();
        if (parent != null) {
            parent.removeView(this);
        }
        removeView(window);
        window.destroy();
    }
}
