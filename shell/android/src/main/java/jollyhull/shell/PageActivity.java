package jollyhull.shell;

import android.app.Activity;
import android.content.Intent;
import android.content.pm.ApplicationInfo;
import android.content.res.Configuration;
import android.net.Uri;
import android.os.Build;
import android.os.Bundle;
import android.os.Message;
import android.os.Parcel;
import android.os.SystemClock;
import android.util.Log;
import android.view.ContextMenu;
import android.view.KeyEvent;
import android.view.View;
import android.view.ViewGroup;
import android.view.ViewGroup.LayoutParams;
import android.view.WindowManager;
import android.webkit.ClientCertRequest;
import android.webkit.CookieManager;
import android.webkit.HttpAuthHandler;
import android.webkit.ValueCallback;
import android.webkit.WebChromeClient;
import android.webkit.WebSettings;
import android.webkit.WebView;
import android.widget.FrameLayout;

/** The one activity: the web app's pages, full window, with nothing of a browser around them. */
public class PageActivity extends Activity
        implements PageClient.Host, PageChrome.Host, Windows.Host, BarInsets.Listener {
    private static final String HISTORY = "history";

    /** The page to open again where there is no history to go by. */
    private static final String PLACE = "place";

    /** When the engine's process ended last, in milliseconds since the device started. */
    private static final String GONE = "gone";

    private static final int MAX_HISTORY_BYTES = 256 * 1024;

    /** Where the engine's process ends twice in this time, opening the page again is no help. */
    private static final long GONE_AGAIN_MS = 60_000;

    /**
     * From this version on the engine keeps pages that reach the edges clear of the keyboard, and
     * tells them of all bars.
     */
    private static final int EDGES_SINCE = 136;

    private ShellSettings settings;
    private BarInsets insets;
    private FrameLayout root;

    /** Null where the device has no engine that works. */
    private WebView pages;

    private PackedSite site;
    private PageClient client;

    /** Null until something went wrong. */
    private TroubleView trouble;

    private NetworkWatch network;
    private OutsideLinks links;
    private Dialogs dialogs;
    private PageDialogs pageDialogs;
    private AskFlow flow;
    private FileChooser chooser;
    private Saves saves;
    private Downloads downloads;
    private PageServices services;

    /** Null where the settings say that there are none. */
    private Notices notices;

    /** Null where nothing is played while the app is not on screen. */
    private Playback playback;

    private StartHold hold;
    private SlowBar slow;
    private PageChrome chrome;

    /** Null unless the app wants a bar of its own. */
    private PageBar bar;

    /** Whose page is on screen; null while it is one of the app's own. */
    private AddressBar address;

    private Windows windows;
    private FullScreen full;

    /** Null before API 33. */
    private BackCallback back;

    /** The page that could not be loaded while the app's own offline page is shown. */
    private String wanted;

    private boolean isNight;
    private boolean isStarted;

    /** Whether the engine's process ended, so that the view cannot be used any more. */
    private boolean isGone;

    private long goneAt = -GONE_AGAIN_MS;

    @Override
    protected void onCreate(Bundle state) {
        super.onCreate(state);
        settings = readSettings();
        isNight = Colors.isNight(this);
        insets = BarInsets.frame(this, settings);
        root = insets.root();
        setContentView(root);
        BarInsets.install(getWindow(), settings.fullscreen);
        if (settings.keepScreenOn) {
            getWindow().addFlags(WindowManager.LayoutParams.FLAG_KEEP_SCREEN_ON);
        }
        if (settings.secure) {
            getWindow().addFlags(WindowManager.LayoutParams.FLAG_SECURE);
        }
        dialogs = new Dialogs(this);
        network =
                new NetworkWatch(
                        this,
                        new Runnable() {
                            @Override
                            public void run() {
                                if (pages != null && (shows(Trouble.OFFLINE) || isOfflinePage())) {
                                    retry();
                                }
                            }
                        });
        if (state != null) {
            goneAt = state.getLong(GONE, goneAt);
        }
        try {
            FreshPages.prepare(this, settings);
            pages = makePages();
        } catch (RuntimeException | LinkageError e) {
            // No engine is installed, or it is turned off, or it is being updated right now.
            Log.e("hull", "No web view", e);
            showTrouble(Trouble.NO_ENGINE);
            return;
        }
        build(state);
        begin(state);
    }

    /** What belongs to the pages' view. */
    private void build(Bundle state) {
        site = new PackedSite(getAssets(), settings);
        links = new OutsideLinks(this, settings, this);
        windows = new Windows(this, settings, site, links, this);
        full = new FullScreen(this, settings);
        client = new PageClient(site, links, settings, this);
        pageDialogs = new PageDialogs(this, settings, dialogs);
        flow = new AskFlow(this, settings, dialogs);
        chooser = new FileChooser(this, settings, flow);
        saves = new Saves(this, settings, dialogs);
        saves.restore(state);
        downloads = new Downloads(this, site, saves);
        services = new PageServices(this, settings, flow, pages);
        if (settings.notifies()) {
            notices = new Notices(this, settings, flow, pages);
        }
        if (settings.plays()) {
            playback = new Playback(this, settings, pages);
        }
        chrome = new PageChrome(pages, settings, links, flow, pageDialogs, this);
        root.addView(pages, belowBars());
        slow = new SlowBar(this, settings.now(this).theme);
        root.addView(slow, belowBars());
        buildBar();
        if (state == null) {
            hold = StartHold.install(root);
        }
        if (Build.VERSION.SDK_INT >= 33) {
            back =
                    new BackCallback(
                            this,
                            new Runnable() {
                                @Override
                                public void run() {
                                    goBack();
                                }
                            });
        }
        insets.follow(settings.covers() && PageView.engineVersion() >= EDGES_SINCE, this);
        configure();
        EngineSupport engine = EngineSupport.of(engineLoader());
        engine.allow(pages.getSettings(), settings.passkeys);
        openPort(engine);
        // Before any script of a page's own, with all that opens to the app's own pages alone.
        engine.runAtStart(pages, beginning(), settings.origins);
        if (settings.packs()) {
            WorkerClient.install(site);
        }
    }

    /** Gives pages a way to the shell: the engine's, else one that a token opens. */
    private void openPort(EngineSupport engine) {
        PagePort port = new PagePort(this, settings, services);
        if (settings.notifies()) {
            port.give(notices);
        }
        if (settings.plays()) {
            port.give(playback);
        }
        if (settings.port != null && engine.listen(pages, PagePort.NAME, settings.origins, port)) {
            return;
        }
        pages.addJavascriptInterface(services, PageServices.BRIDGE);
        if (settings.notifies()) {
            pages.addJavascriptInterface(notices, Notices.BRIDGE);
        }
    }

    private void begin(Bundle state) {
        Bundle history = state == null ? null : state.getBundle(HISTORY);
        if (state == null) {
            arrive(getIntent(), true);
        } else if (history == null || pages.restoreState(history) == null) {
            // What the app was started with has been done already: a share must not be sent twice.
            String place = state.getString(PLACE);
            load(place == null ? settings.start : place);
        }
    }

    private final Runnable again =
            new Runnable() {
                @Override
                public void run() {
                    retry();
                }
            };

    private void buildBar() {
        if (!settings.hasBar()) {
            return;
        }
        if (bar != null) {
            root.removeView(bar);
        }
        bar =
                new PageBar(
                        this,
                        settings,
                        new Runnable() {
                            @Override
                            public void run() {
                                goBack();
                            }
                        },
                        again);
        root.addView(
                bar,
                new FrameLayout.LayoutParams(
                        LayoutParams.MATCH_PARENT, Pixels.of(this, PageBar.HEIGHT_DP)));
        bar.update(false, settings.name);
        place();
    }

    /** In pixels. */
    private int barHeight() {
        return settings.hasBar() && bar != null ? Pixels.of(this, PageBar.HEIGHT_DP) : 0;
    }

    /** All of the window, but for the bars above the pages. */
    private FrameLayout.LayoutParams belowBars() {
        FrameLayout.LayoutParams room =
                new FrameLayout.LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT);
        room.topMargin =
                barHeight()
                        + (address == null
                                ? 0
                                : Pixels.of(this, AddressBar.HEIGHT_DP) + insets.edges()[1]);
        return room;
    }

    /** Puts everything where the bars leave room for it. */
    private void place() {
        for (View view : new View[] {pages, trouble, slow}) {
            if (view != null) {
                FrameLayout.LayoutParams room = belowBars();
                if (view == slow) {
                    room.height = Pixels.of(this, SlowBar.HEIGHT_DP);
                }
                view.setLayoutParams(room);
            }
        }
        if (address != null) {
            FrameLayout.LayoutParams room =
                    new FrameLayout.LayoutParams(
                            LayoutParams.MATCH_PARENT,
                            Pixels.of(this, AddressBar.HEIGHT_DP) + insets.edges()[1]);
            room.topMargin = barHeight();
            address.setPadding(insets.edges()[0], insets.edges()[1], insets.edges()[2], 0);
            address.setLayoutParams(room);
        }
        if (windows != null && windows.seen() != null) {
            windows.seen().keepClearOf(insets.edges());
        }
    }

    /** Who cannot see, and who has a keyboard, must not get at what is covered. */
    private void coverPages() {
        boolean hasWindow = windows != null && windows.seen() != null;
        boolean isCovered = hasWindow || (trouble != null && trouble.shown() != null);
        for (View view : new View[] {pages, settings.hasBar() ? bar : null, address}) {
            if (view instanceof ViewGroup) {
                boolean hides = isCovered && (view == pages || hasWindow);
                view.setImportantForAccessibility(
                        hides
                                ? View.IMPORTANT_FOR_ACCESSIBILITY_NO_HIDE_DESCENDANTS
                                : View.IMPORTANT_FOR_ACCESSIBILITY_AUTO);
                ((ViewGroup) view)
                        .setDescendantFocusability(
                                hides
                                        ? ViewGroup.FOCUS_BLOCK_DESCENDANTS
                                        : ViewGroup.FOCUS_BEFORE_DESCENDANTS);
                if (view == pages) {
                    view.setFocusable(!hides);
                }
            }
        }
    }

    private boolean shows(Trouble why) {
        return trouble != null && trouble.shown() == why;
    }

    private void showTrouble(Trouble why) {
        if (trouble == null) {
            trouble = new TroubleView(this, settings, again);
            root.addView(
                    trouble,
                    pages == null ? root.getChildCount() : root.indexOfChild(pages) + 1,
                    belowBars());
        }
        trouble.show(why);
        coverPages();
    }

    private void hideTrouble() {
        if (trouble != null) {
            trouble.hide();
            coverPages();
        }
    }

    /**
     * Opens what an intent means: a link, a shared text, an entry of the icon's menu; else the
     * start page.
     */
    private void arrive(Intent intent, boolean isStart) {
        if (settings.notifies()
                && notices.touched(
                        intent,
                        new ValueCallback<String>() {
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
        windows.close();
        if (settings.takesShares() && arrival.form != null) {
            client.give(arrival.files);
            client.asks(arrival.url);
            pages.loadDataWithBaseURL(settings.base, arrival.form, "text/html", "utf-8", null);
        } else if (settings.takesShares() && arrival.post != null) {
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
        if (pages != null && !isGone) {
            arrive(intent, false);
        }
    }

    ShellSettings readSettings() {
        return ShellSettings.of(this);
    }

    /** Where the engine's own classes are; null where that is not known. */
    ClassLoader engineLoader() {
        return EngineSupport.loader();
    }

    WebView makePages() {
        return settings.pulls() ? new PageView(this) : new WebView(this);
    }

    private void configure() {
        boolean debuggable = (getApplicationInfo().flags & ApplicationInfo.FLAG_DEBUGGABLE) != 0;
        WebView.setWebContentsDebuggingEnabled(debuggable);
        configure(pages);
        pages.setWebViewClient(client);
        if (settings.pulls()) {
            ((PageView) pages).setPull(new PullReload(root, settings.now(this), again));
        }
        registerForContextMenu(pages);
    }

    /** Settings of the pages' view and of windows that they open. */
    @Override
    public void configure(WebView window) {
        WebSettings web = window.getSettings();
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
        CookieManager.getInstance().setAcceptThirdPartyCookies(window, settings.foreignCookies);
        window.setBackgroundColor(settings.now(this).background);
        window.setWebChromeClient(chrome);
        downloads.install(window);
    }

    /**
     * Light and dark, and the size of text, change while a page is on screen: it keeps what was
     * typed into it.
     */
    @Override
    public void onConfigurationChanged(Configuration changed) {
        super.onConfigurationChanged(changed);
        if (Colors.isNight(this) != isNight) {
            isNight = !isNight;
            // The theme tells pages which scheme counts: it is read again for the one that counts
            // now.
            setTheme(getApplicationInfo().theme);
            getTheme().applyStyle(getApplicationInfo().theme, true);
            Colors colors = settings.now(this);
            insets.paint(colors);
            BarInsets.paintSymbols(getWindow(), colors);
            rebuildTrouble();
            if (pages != null) {
                buildBar();
                historyChanged();
                pages.setBackgroundColor(colors.background);
                // Any change of its settings makes the engine look at the theme again as well.
                pages.getSettings().setTextZoom(pages.getSettings().getTextZoom() + 1);
            }
        }
        if (pages != null) {
            pages.getSettings().setTextZoom(Math.round(100 * changed.fontScale));
        }
    }

    private void rebuildTrouble() {
        if (trouble != null) {
            Trouble why = trouble.shown();
            root.removeView(trouble);
            trouble = null;
            if (why != null) {
                showTrouble(why);
            }
        }
    }

    /**
     * Where pages reach the edges, and the engine tells them of the cutout alone, they learn of the
     * rest by these.
     */
    @Override
    public void covered(int[] edges) {
        place();
        if (client != null && client.place() != null) {
            client.runInOwnPage(pages, client.place(), edgesScript());
        }
    }

    private String edgesScript() {
        if (!settings.covers()) {
            return "";
        }
        float density = getResources().getDisplayMetrics().density;
        String[] names = {"left", "top", "right", "bottom"};
        StringBuilder script = new StringBuilder();
        for (int i = 0; i < names.length; i++) {
            script.append("document.documentElement.style.setProperty('--hull-edge-")
                    .append(names[i])
                    .append("', '")
                    .append(Math.round(insets.edges()[i] / density))
                    .append("px');");
        }
        return script.toString();
    }

    private boolean isOfflinePage() {
        return settings.offlinePage != null && settings.offlinePage.equals(pages.getUrl());
    }

    private void retry() {
        if (pages == null || isGone) {
            recreate();
            return;
        }
        if (isOfflinePage() && wanted != null) {
            // Back to where it failed, so that the offline page is not left behind it.
            if (wanted.equals(PageHistory.before(pages))) {
                client.asks(wanted);
                pages.goBack();
            } else {
                load(wanted);
            }
            return;
        }
        if (trouble != null) {
            trouble.trying();
        }
        if (shows(Trouble.SIGN_IN)) {
            // No page came of it that could be loaded again.
            load(client.asked() == null ? settings.start : client.asked());
            return;
        }
        client.asks(pages.getUrl());
        pages.reload();
    }

    /**
     * The page was the answer to a form: what was entered is sent again only where the user wants
     * it.
     */
    @Override
    public void sendAgain(final Message no, final Message yes) {
        final Trouble before = trouble == null ? null : trouble.shown();
        pageDialogs.sendAgain(
                new Runnable() {
                    @Override
                    public void run() {
                        yes.sendToTarget();
                    }
                },
                new Runnable() {
                    @Override
                    public void run() {
                        no.sendToTarget();
                        if (before != null) {
                            showTrouble(before);
                        }
                    }
                });
    }

    @Override
    public void chooseCertificate(ClientCertRequest request) {
        Certificates.choose(this, request);
    }

    @Override
    public boolean chooseFiles(
            ValueCallback<Uri[]> answer, WebChromeClient.FileChooserParams params) {
        chooser.choose(answer, params);
        return true;
    }

    @Override
    public boolean openWindow(WebView opener, boolean isPopup, Message result) {
        windows.open(isPopup, result);
        return true;
    }

    @Override
    public void closeWindow(WebView window) {
        windows.closeOf(window);
    }

    @Override
    public void cover(Popup window) {
        window.keepClearOf(insets.edges());
        window.addTo(root);
    }

    @Override
    public void windowChanged() {
        coverPages();
        historyChanged();
    }

    @Override
    public void openInside(String url) {
        load(url);
    }

    /** Another page is on screen: of one that is not the app's own it is said whose it is. */
    @Override
    public void pageAt(String url, boolean outside) {
        if (outside) {
            endPlayback();
        }
        if (!outside && address != null) {
            root.removeView(address);
            address = null;
            place();
        } else if (outside) {
            if (address == null) {
                address =
                        new AddressBar(
                                this,
                                settings,
                                new Runnable() {
                                    @Override
                                    public void run() {
                                        leaveOutside();
                                    }
                                });
                root.addView(address);
                place();
            }
            address.show(url);
        }
    }

    /** Back to the last of the app's own pages. */
    private void leaveOutside() {
        int steps =
                PageHistory.stepsBack(
                        pages,
                        new PageHistory.Passing() {
                            @Override
                            public boolean passes(String url) {
                                return !links.isOwnPage(Uri.parse(url));
                            }
                        });
        client.asks(null);
        if (steps > 0) {
            pages.goBackOrForward(-steps);
        } else {
            load(settings.start);
        }
    }

    @Override
    public void showFull(View view, WebChromeClient.CustomViewCallback callback) {
        full.show(view, callback);
        historyChanged();
    }

    @Override
    public void hideFull() {
        full.hide();
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
        return beginning() + ";" + edgesScript();
    }

    /** The shell's scripts, with all that opens to the app's own pages alone. */
    private String beginning() {
        String scripts = settings.beginning() + ";" + opening();
        return settings.port == null
                ? scripts
                : "("
                        + settings.port
                        + ")('"
                        + (settings.notifies() ? notices.state() : "")
                        + "');"
                        + scripts;
    }

    /** What opens the shell's receivers to a page. */
    private String opening() {
        String opening = services.opening();
        return settings.notifies() ? notices.opening() + ";" + opening : opening;
    }

    @Override
    public void pageVisible() {
        release();
    }

    private void release() {
        if (hold != null) {
            hold.release();
        }
    }

    @Override
    public void signIn(WebView view, String host, String realm, HttpAuthHandler handler) {
        pageDialogs.signIn(host, handler);
    }

    @Override
    public void onCreateContextMenu(ContextMenu menu, View view, ContextMenu.ContextMenuInfo info) {
        LinkMenu.fill(
                this,
                settings,
                pages,
                menu,
                new LinkMenu.Keeper() {
                    @Override
                    public void keep(String url) {
                        downloads.keep(pages, url);
                    }
                });
    }

    /**
     * For who has keys: find in the page, load it again, go back. Before the page, which would
     * swallow them.
     */
    @Override
    @SuppressWarnings("deprecation")
    public boolean dispatchKeyEvent(KeyEvent event) {
        boolean isDown = event.getAction() == KeyEvent.ACTION_DOWN && event.getRepeatCount() == 0;
        int code = event.getKeyCode();
        boolean control = event.hasModifiers(KeyEvent.META_CTRL_ON);
        if (pages == null || !isDown) {
            return super.dispatchKeyEvent(event);
        }
        if (control && code == KeyEvent.KEYCODE_F) {
            (windows.seen() == null ? pages : windows.seen().window).showFindDialog(null, true);
            return true;
        }
        if (control && code == KeyEvent.KEYCODE_R) {
            retry();
            return true;
        }
        if (event.hasModifiers(KeyEvent.META_ALT_ON) && code == KeyEvent.KEYCODE_DPAD_LEFT) {
            if (windows.seen() != null || canGoBack()) {
                goBack();
            }
            return true;
        }
        return super.dispatchKeyEvent(event);
    }

    @Override
    public void onRequestPermissionsResult(int code, String[] names, int[] results) {
        if (flow != null) {
            flow.onResult(code);
        }
    }

    @Override
    protected void onActivityResult(int code, int result, Intent data) {
        if (pages == null) {
            return;
        }
        if (code == RequestCodes.FILES) {
            chooser.onResult(result, data);
        } else if (code == RequestCodes.SAVE) {
            saves.onResult(result, data);
        }
    }

    private final PageHistory.Passing offline =
            new PageHistory.Passing() {
                @Override
                public boolean passes(String url) {
                    return url.equals(settings.offlinePage) || url.equals(wanted);
                }
            };

    private boolean canGoBack() {
        return pages != null
                && !isGone
                && (isOfflinePage()
                        ? PageHistory.stepsBack(pages, offline) > 0
                        : pages.canGoBack());
    }

    /** Goes back a page; leaves the app where there is none. */
    private void goBack() {
        Popup window = windows == null ? null : windows.seen();
        if (full != null && full.isShown()) {
            hideFull();
        } else if (window != null) {
            if (window.window.canGoBack()) {
                window.window.goBack();
            } else {
                windows.close();
            }
        } else if (!canGoBack()) {
            finish();
        } else {
            client.asks(null);
            hideTrouble();
            if (isOfflinePage()) {
                // Not to the page that could not be loaded: it would only lead here again.
                pages.goBackOrForward(-PageHistory.stepsBack(pages, offline));
            } else {
                pages.goBack();
            }
        }
    }

    /** The back key before API 33, and wherever no callback is registered. */
    @Override
    public void onBackPressed() {
        goBack();
    }

    @Override
    public void historyChanged() {
        boolean can = canGoBack();
        if (back != null) {
            back.update(can || full.isShown() || windows.seen() != null);
        }
        if (settings.hasBar() && bar != null) {
            String title = pages.getTitle();
            bar.update(can, title == null || title.isEmpty() ? settings.name : title);
        }
    }

    @Override
    public void pageFailed(String url, Trouble why) {
        release();
        if (why == Trouble.OFFLINE
                && settings.offlinePage != null
                && !settings.offlinePage.equals(url)) {
            wanted = url;
            load(settings.offlinePage);
            return;
        }
        showTrouble(why);
    }

    @Override
    public void pageShown() {
        hideTrouble();
    }

    /**
     * The engine's own process ended: a dead view cannot be used again. The page is opened again as
     * soon as it can be seen; where that is no help, the shell says so.
     */
    @Override
    public void rendererGone() {
        if (isGone) {
            return;
        }
        isGone = true;
        endPlayback();
        release();
        long now = SystemClock.elapsedRealtime();
        boolean isAgain = now - goneAt < GONE_AGAIN_MS;
        goneAt = now;
        full.hide();
        windows.closeAll();
        root.removeView(pages);
        if (isAgain) {
            showTrouble(Trouble.STOPPED);
        } else if (isStarted) {
            recreate();
        }
    }

    private void endPlayback() {
        if (settings.plays()) {
            playback.end();
        }
    }

    @Override
    protected void onSaveInstanceState(Bundle state) {
        super.onSaveInstanceState(state);
        state.putLong(GONE, goneAt);
        if (pages == null) {
            return;
        }
        saves.keep(state);
        String place = client.place();
        if (place != null && links.isOwnPage(Uri.parse(place))) {
            state.putString(PLACE, place);
        }
        if (isGone) {
            return;
        }
        Bundle history = new Bundle();
        pages.saveState(history);
        // A state that is too large for the system would end the app; a very long history is let go
        // instead.
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
        isStarted = true;
        network.start();
        if (isGone && !shows(Trouble.STOPPED)) {
            recreate();
        } else if (pages != null && !isGone) {
            pages.onResume();
        }
    }

    @Override
    protected void onStop() {
        isStarted = false;
        network.stop();
        if (pages != null && !isGone) {
            CookieManager.getInstance().flush();
            if (!settings.plays() || !playback.isPlaying()) {
                pages.onPause();
            }
        }
        super.onStop();
    }

    @Override
    protected void onDestroy() {
        if (pages != null) {
            endPlayback();
            flow.close();
            dialogs.close(true);
            windows.closeAll();
            root.removeView(pages);
            pages.destroy();
        }
        super.onDestroy();
    }
}
