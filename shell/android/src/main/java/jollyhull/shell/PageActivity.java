package jollyhull.shell;

import android.app.Activity;
import android.content.Intent;
import android.content.pm.ApplicationInfo;
import android.graphics.Color;
import android.net.Uri;
import android.os.Build;
import android.os.Bundle;
import android.os.Message;
import android.os.Parcel;
import android.view.KeyEvent;
import android.view.View;
import android.view.ViewGroup;
import android.view.ViewGroup.LayoutParams;
import android.view.WindowManager;
import android.webkit.CookieManager;
import android.webkit.HttpAuthHandler;
import android.webkit.RenderProcessGoneDetail;
import android.webkit.ValueCallback;
import android.webkit.WebChromeClient;
import android.webkit.WebResourceRequest;
import android.webkit.WebSettings;
import android.webkit.WebView;
import android.webkit.WebViewClient;
import android.widget.FrameLayout;

/** The one activity: the web app's pages, full window, with nothing of a browser around them. */
public class PageActivity extends Activity implements PageClient.Host, PageChrome.Host {
    private static final String HISTORY = "history";
    private static final int MAX_HISTORY_BYTES = 256 * 1024;

    private ShellSettings settings;
    private FrameLayout root;
    private WebView pages;
    private PageClient client;
    private TroubleView trouble;
    private NetworkWatch network;
    private OutsideLinks links;
    private AskFlow flow;
    private PageDialogs dialogs;
    private FileChooser chooser;
    private Downloads downloads;
    /** Null where the settings say that there are none. */
    private Notices notices;
    private StartHold hold;
    private SlowBar slow;
    private PageChrome chrome;
    /** Null unless the app wants a bar of its own. */
    private PageBar bar;
    /** A window that a page opened over itself; null where there is none. */
    private Popup popup;
    /** What a page shows in full screen; null where it does not. */
    private View full;
    private WebChromeClient.CustomViewCallback fullCallback;
    /** Null before API 33. */
    private BackCallback back;
    /** The page that could not be loaded while the app's own offline page is shown. */
    private String wanted;

    @Override
    protected void onCreate(Bundle state) {
        super.onCreate(state);
        settings = readSettings();
        root = BarInsets.frame(this, settings);
        PackedSite site = new PackedSite(getAssets(), settings);
        links = new OutsideLinks(this, settings);
        client = new PageClient(site, links, settings, this);
        FreshPages.prepare(this, settings);
        pages = new WebView(this);
        flow = new AskFlow(this, settings);
        dialogs = new PageDialogs(this, settings);
        chooser = new FileChooser(this, settings, flow);
        downloads = new Downloads(this, settings, site, pages);
        if (settings.notifies()) {
            notices = new Notices(this, settings, flow, pages);
        }
        chrome = new PageChrome(pages, links, flow, dialogs, this);
        Runnable again = new Runnable() {
            @Override
            public void run() {
                retry();
            }
        };
        if (settings.minimal) {
            bar = new PageBar(this, settings, new Runnable() {
                @Override
                public void run() {
                    goBack();
                }
            }, again);
        }
        root.addView(pages, belowBar());
        trouble = new TroubleView(this, settings, again);
        root.addView(trouble, belowBar());
        slow = new SlowBar(this, settings.themeColor);
        FrameLayout.LayoutParams line = belowBar();
        line.height = Pixels.of(this, SlowBar.HEIGHT_DP);
        root.addView(slow, line);
        if (bar != null) {
            root.addView(bar, new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, Pixels.of(this, PageBar.HEIGHT_DP)));
            bar.update(false, settings.name);
        }
        setContentView(root);
        hold = StartHold.install(root);
        if (settings.keepScreenOn) {
            getWindow().addFlags(WindowManager.LayoutParams.FLAG_KEEP_SCREEN_ON);
        }
        if (settings.secure) {
            getWindow().addFlags(WindowManager.LayoutParams.FLAG_SECURE);
        }
        BarInsets.install(getWindow(), settings.fullscreen);

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
                if (trouble.isShown("offline") || isOfflinePage()) {
                    retry();
                }
            }
        });

        configure();
        if (settings.packs()) {
            WorkerClient.install(site);
        }
        Bundle history = state == null ? null : state.getBundle(HISTORY);
        if (history == null || pages.restoreState(history) == null) {
            arrive(getIntent(), true);
        }
    }

    /** All of the window, but for the app's own bar. */
    private FrameLayout.LayoutParams belowBar() {
        FrameLayout.LayoutParams room =
                new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT);
        room.topMargin = bar == null ? 0 : Pixels.of(this, PageBar.HEIGHT_DP);
        return room;
    }

    /** Opens what an intent means: a link, a shared text, an entry of the icon's menu; else the start page. */
    private void arrive(Intent intent, boolean isStart) {
        if (settings.notifies() && notices.touched(intent, new ValueCallback<String>() {
            @Override
            public void onReceiveValue(String page) {
                load(links.isOwnPage(Uri.parse(page)) ? page : settings.start);
            }
        })) {
            return;
        }
        Arrival arrival = Arrival.of(intent, settings, links, getContentResolver());
        if (arrival.outside != null) {
            links.openInBrowser(arrival.outside);
            if (isStart) {
                finish();
            }
            return;
        }
        if (arrival.url == null) {
            if (isStart) {
                load(settings.start);
            }
            return;
        }
        closePopup();
        if (arrival.form != null) {
            client.asks(arrival.url);
            pages.loadDataWithBaseURL(settings.base, arrival.form, "text/html", "utf-8", null);
        } else if (arrival.post != null) {
            client.asks(arrival.url);
            pages.postUrl(arrival.url, arrival.post);
        } else {
            load(arrival.url);
        }
    }

    private void load(String url) {
        client.asks(url);
        pages.loadUrl(url);
    }

    @Override
    protected void onNewIntent(Intent intent) {
        super.onNewIntent(intent);
        setIntent(intent);
        arrive(intent, false);
    }

    ShellSettings readSettings() {
        return ShellSettings.load(getAssets());
    }

    private void configure() {
        boolean debuggable = (getApplicationInfo().flags & ApplicationInfo.FLAG_DEBUGGABLE) != 0;
        WebView.setWebContentsDebuggingEnabled(debuggable);
        configure(pages.getSettings());
        pages.setBackgroundColor(settings.backgroundColor);
        pages.setWebViewClient(client);
        pages.setWebChromeClient(chrome);
        downloads.install();
        if (settings.pullToRefresh) {
            pages.setOnTouchListener(new PullReload(pages));
        }
    }

    /** Settings of the pages' view and of windows that they open. */
    private void configure(WebSettings web) {
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
        web.setGeolocationEnabled(true);
        web.setSupportMultipleWindows(true);
        web.setJavaScriptCanOpenWindowsAutomatically(false);
        // The size of text that the user set in the system.
        web.setTextZoom(Math.round(100 * getResources().getConfiguration().fontScale));
    }

    private boolean isOfflinePage() {
        return settings.offlinePage != null && settings.offlinePage.equals(pages.getUrl());
    }

    private void retry() {
        if (isOfflinePage() && wanted != null) {
            load(wanted);
            return;
        }
        client.asks(pages.getUrl());
        trouble.trying();
        pages.reload();
    }

    @Override
    public boolean chooseFiles(ValueCallback<Uri[]> answer, WebChromeClient.FileChooserParams params) {
        chooser.choose(answer, params);
        return true;
    }

    /** A sign-in gets a window over the page, which it can answer; what is only a link to a new window does not. */
    @Override
    public boolean openWindow(WebView opener, boolean isPopup, Message result) {
        if (isPopup) {
            closePopup();
            popup = new Popup(this, settings, chrome, links, dialogs, new Runnable() {
                @Override
                public void run() {
                    closePopup();
                }
            });
            configure(popup.window.getSettings());
            root.addView(popup, new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT));
            popup.give(result);
            historyChanged();
            return true;
        }
        // Only the address is wanted: an own page opens here, any other in the browser.
        final WebView lookout = new WebView(this);
        lookout.setWebViewClient(new WebViewClient() {
            @Override
            public boolean shouldOverrideUrlLoading(WebView view, WebResourceRequest request) {
                if (links.isOwnPage(request.getUrl())) {
                    load(request.getUrl().toString());
                } else if (!links.staysInside(request.getUrl())) {
                    links.open(request.getUrl());
                }
                lookout.destroy();
                return true;
            }

            @Override
            public boolean onRenderProcessGone(WebView view, RenderProcessGoneDetail detail) {
                lookout.destroy();
                return true;
            }
        });
        ((WebView.WebViewTransport) result.obj).setWebView(lookout);
        result.sendToTarget();
        return true;
    }

    @Override
    public void closeWindow(WebView window) {
        if (popup != null && popup.window == window) {
            closePopup();
        }
    }

    private void closePopup() {
        if (popup != null) {
            popup.close();
            popup = null;
            historyChanged();
        }
    }

    @Override
    public void showFull(View view, WebChromeClient.CustomViewCallback callback) {
        if (full != null) {
            callback.onCustomViewHidden();
            return;
        }
        full = view;
        fullCallback = callback;
        view.setBackgroundColor(Color.BLACK);
        ((ViewGroup) getWindow().getDecorView())
                .addView(view, new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT));
        BarInsets.hideBars(getWindow());
        if (back != null) {
            back.update(true);
        }
    }

    @Override
    public void hideFull() {
        if (full == null) {
            return;
        }
        ((ViewGroup) getWindow().getDecorView()).removeView(full);
        full = null;
        fullCallback.onCustomViewHidden();
        if (!settings.fullscreen) {
            BarInsets.showBars(getWindow());
        }
        historyChanged();
    }

    @Override
    public void progress(int percent) {
        slow.progress(percent);
    }

    @Override
    public void titled() {
        historyChanged();
    }

    @Override
    public String pageBegins() {
        return settings.notifies() ? settings.noticeScript + ";" + notices.opening() : "";
    }

    @Override
    public void pageVisible() {
        hold.release();
    }

    @Override
    public void signIn(String host, HttpAuthHandler handler) {
        dialogs.signIn(host, handler);
    }

    /** Finding in the page, for who has keys: the platform's own bar for it. */
    @Override
    @SuppressWarnings("deprecation")
    public boolean onKeyShortcut(int code, KeyEvent event) {
        if (code == KeyEvent.KEYCODE_F && event.hasModifiers(KeyEvent.META_CTRL_ON)) {
            return pages.showFindDialog(null, true);
        }
        return super.onKeyShortcut(code, event);
    }

    @Override
    public void onRequestPermissionsResult(int code, String[] names, int[] results) {
        flow.onResult(code);
    }

    @Override
    protected void onActivityResult(int code, int result, Intent data) {
        if (code == FileChooser.CODE) {
            chooser.onResult(result, data);
        } else if (code == Downloads.CODE) {
            downloads.onResult(result, data);
        }
    }

    /** Goes back a page; leaves the app where there is none. */
    private void goBack() {
        if (full != null) {
            hideFull();
        } else if (popup != null) {
            if (popup.window.canGoBack()) {
                popup.window.goBack();
            } else {
                closePopup();
            }
        } else if (pages.canGoBack()) {
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
            back.update(full != null || popup != null || pages.canGoBack());
        }
        if (bar != null) {
            String title = pages.getTitle();
            bar.update(pages.canGoBack(), title == null || title.isEmpty() ? settings.name : title);
        }
    }

    @Override
    public void pageFailed(String url, String why) {
        hold.release();
        if (why.equals("offline") && settings.offlinePage != null && !settings.offlinePage.equals(url)) {
            wanted = url;
            load(settings.offlinePage);
            return;
        }
        trouble.show(why);
    }

    @Override
    public void pageShown() {
        trouble.hide();
    }

    /** The engine's own process ended: a dead view cannot be used again, so the page is opened again. */
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
        flow.close();
        closePopup();
        root.removeView(pages);
        pages.destroy();
        super.onDestroy();
    }
}
