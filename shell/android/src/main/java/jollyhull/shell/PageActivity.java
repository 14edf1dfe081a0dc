package jollyhull.shell;

import android.app.Activity;
import android.content.pm.ApplicationInfo;
import android.os.Build;
import android.os.Bundle;
import android.os.Parcel;
import android.view.View;
import android.view.ViewGroup.LayoutParams;
import android.webkit.CookieManager;
import android.webkit.WebSettings;
import android.webkit.WebView;
import android.widget.FrameLayout;

/** The one activity: the web app's pages, full window, with nothing of a browser around them. */
public final class PageActivity extends Activity implements PageClient.Host {
    private static final String HISTORY = "history";
    private static final int MAX_HISTORY_BYTES = 256 * 1024;

    private ShellSettings settings;
    private FrameLayout root;
    private WebView pages;
    private PageClient client;
    private TroubleView trouble;
    private NetworkWatch network;
    /** Null before API 33. */
    private BackCallback back;

    @Override
    protected void onCreate(Bundle state) {
        super.onCreate(state);
        settings = ShellSettings.load(getAssets());
        root = new FrameLayout(this);
        root.setBackgroundColor(settings.backgroundColor);
        root.setClipToPadding(false);
        View topStrip = new View(this);
        topStrip.setBackgroundColor(settings.themeColor);
        root.addView(topStrip, new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, 0));

        PackedSite site = new PackedSite(getAssets(), settings);
        client = new PageClient(site, new OutsideLinks(this, settings), this);
        pages = new WebView(this);
        root.addView(pages, new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT));
        trouble = new TroubleView(this, settings, new Runnable() {
            @Override
            public void run() {
                retry();
            }
        });
        root.addView(trouble, new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT));
        setContentView(root);
        BarInsets.install(getWindow(), root, topStrip, settings.fullscreen);

        if (Build.VERSION.SDK_INT >= 33) {
            back = new BackCallback(this, new Runnable() {
                @Override
                public void run() {
                    goBack();
                }
            });
        }
        network = new NetworkWatch(this, new Runnable() {
            @Override
            public void run() {
                if (trouble.isShown("offline")) {
                    retry();
                }
            }
        });

        configure();
        if (settings.packedOrigin != null) {
            WorkerClient.install(site);
        }
        Bundle history = state == null ? null : state.getBundle(HISTORY);
        if (history == null || pages.restoreState(history) == null) {
            client.asks(settings.start);
            pages.loadUrl(settings.start);
        }
    }

    private void configure() {
        boolean debuggable = (getApplicationInfo().flags & ApplicationInfo.FLAG_DEBUGGABLE) != 0;
        WebView.setWebContentsDebuggingEnabled(debuggable);
        WebSettings web = pages.getSettings();
        web.setJavaScriptEnabled(true);
        web.setDomStorageEnabled(true);
        web.setDatabaseEnabled(true);
        web.setAllowFileAccess(false);
        web.setAllowContentAccess(false);
        web.setAllowFileAccessFromFileURLs(false);
        web.setAllowUniversalAccessFromFileURLs(false);
        web.setMixedContentMode(WebSettings.MIXED_CONTENT_NEVER_ALLOW);
        web.setMediaPlaybackRequiresUserGesture(true);
        web.setUseWideViewPort(true);
        web.setLoadWithOverviewMode(true);
        web.setBuiltInZoomControls(true);
        web.setDisplayZoomControls(false);
        pages.setBackgroundColor(settings.backgroundColor);
        pages.setWebViewClient(client);
        pages.setWebChromeClient(new PageChrome());
    }

    private void retry() {
        client.asks(pages.getUrl());
        trouble.trying();
        pages.reload();
    }

    /** Goes back a page; leaves the app where there is none. */
    private void goBack() {
        if (pages.canGoBack()) {
            client.asks(null);
            trouble.hide();
            pages.goBack();
        } else {
            finish();
        }
    }

    /** The back key before API 33, and wherever no callback is registered. */
    @Override
    public void onBackPressed() {
        goBack();
    }

    @Override
    public void historyChanged() {
        if (back != null) {
            back.update(pages.canGoBack());
        }
    }

    @Override
    public void pageFailed(String url, String why) {
        trouble.show(why);
    }

    @Override
    public void pageShown() {
        trouble.hide();
    }

    /** The engine's own process ended: a dead view cannot be used again, so the page is opened anew. */
    @Override
    public void rendererGone() {
        recreate();
    }

    @Override
    protected void onSaveInstanceState(Bundle state) {
        super.onSaveInstanceState(state);
        Bundle history = new Bundle();
        pages.saveState(history);
        // A state that is too large for the system would end the app; a very long history is let go instead.
        Parcel parcel = Parcel.obtain();
        try {
            parcel.writeBundle(history);
            if (parcel.dataSize() <= MAX_HISTORY_BYTES) {
                state.putBundle(HISTORY, history);
            }
        } finally {
            parcel.recycle();
        }
    }

    @Override
    protected void onStart() {
        super.onStart();
        pages.onResume();
        network.start();
    }

    @Override
    protected void onStop() {
        network.stop();
        CookieManager.getInstance().flush();
        pages.onPause();
        super.onStop();
    }

    @Override
    protected void onDestroy() {
        root.removeView(pages);
        pages.destroy();
        super.onDestroy();
    }
}
