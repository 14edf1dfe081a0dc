package jollyhull.shell;

import android.app.Activity;
import android.content.ActivityNotFoundException;
import android.content.ComponentName;
import android.content.Context;
import android.content.Intent;
import android.content.ServiceConnection;
import android.net.Uri;
import android.os.Bundle;
import android.os.Handler;
import android.os.IBinder;
import android.os.Looper;
import android.util.Log;
import android.util.SparseArray;
import android.widget.FrameLayout;
import android.widget.Toast;

import java.util.ArrayList;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The start of an app whose pages run in the user's browser, full screen, with its storage and
 * sign-ins. Where no installed browser can, a custom tab shows them, the app's own web view, or any
 * browser, as the package says.
 */
public class BrowserActivity extends Activity implements ServiceConnection, TabsProtocol.Watcher {
    /**
     * A browser that does not answer is not waited for any longer. One that has to be started first
     * takes seconds on a slow device; the start picture stays meanwhile.
     */
    static final long LIMIT_MS = 9000;

    private static final int FADE_MS = 200;

    private static final String STARTED = "started";

    /** A status that {@code web.errors} is about, in what a browser says of a page. */
    private static final Pattern STATUS = Pattern.compile("\\b(404|410|5\\d\\d)\\b");

    private final Handler handler = new Handler(Looper.getMainLooper());
    private final Runnable tooLate =
            new Runnable() {
                @Override
                public void run() {
                    fallBack();
                }
            };
    private ShellSettings settings;
    private OutsideLinks links;
    private Browsers browsers;
    private Uri url;

    /** Whether something is shared that goes to the page in a request's body. */
    private boolean posted;

    private boolean bound;
    private TabsProtocol.Session session;
    private boolean started;

    /** Whether the browser has shown a page: what fails later is between the two of them. */
    private volatile boolean loaded;

    /** What the first page failed by; null where it did not. */
    private Trouble failure;

    private TroubleView trouble;

    /** Null where it would not help that the network came back. */
    private NetworkWatch network;

    @Override
    protected void onCreate(Bundle state) {
        super.onCreate(state);
        if (state != null && state.getBoolean(STARTED)) {
            // The browser was left: so is the app.
            finish();
            return;
        }
        if (isInOthersTask()) {
            return;
        }
        settings = readSettings();
        links =
                new OutsideLinks(
                        this,
                        settings,
                        new OutsideLinks.Inside() {
                            @Override
                            public void openInside(String inside) {
                                // No page calls here: the browser has them.
                                throw new AssertionError(inside);
                            }
                        });
        posted = Arrival.isShared(getIntent(), settings) && settings.share.isPost;
        if (posted) {
            // The browser reads the files itself.
            url = Uri.parse(settings.share.action);
        } else {
            Arrival arrival = Arrival.of(getIntent(), settings, links, getContentResolver());
            if (arrival.outside != null) {
                links.openInBrowser(arrival.outside);
                finish();
                return;
            }
            url = Uri.parse(arrival.url == null ? settings.start : arrival.url);
        }
        browsers = Browsers.find(getPackageManager());
        if (browsers.trusted == null) {
            fallBack();
            return;
        }
        Intent service = new Intent(TabsProtocol.ACTION).setPackage(browsers.trusted);
        try {
            bound =
                    bindService(
                            service, this, Context.BIND_AUTO_CREATE | Context.BIND_WAIVE_PRIORITY);
        } catch (SecurityException e) {
            bound = false;
        }
        if (bound) {
            handler.postDelayed(tooLate, LIMIT_MS);
        } else {
            fallBack();
        }
    }

    /**
     * Another app may open a link in its own task: the app starts again in one of its own, as it
     * would from its icon.
     */
    private boolean isInOthersTask() {
        Intent intent = getIntent();
        if (isTaskRoot() || (intent.getFlags() & Intent.FLAG_ACTIVITY_NEW_TASK) != 0) {
            return false;
        }
        Intent own =
                new Intent(intent)
                        .setClass(this, getClass())
                        .addFlags(Intent.FLAG_ACTIVITY_NEW_TASK);
        try {
            startActivity(own);
        } catch (SecurityException e) {
            // What is shared cannot be handed on: it is opened here.
            Log.w("hull", "The app stays in the task of the app that opened it", e);
            return false;
        }
        finish();
        return true;
    }

    ShellSettings readSettings() {
        return ShellSettings.of(this);
    }

    @Override
    public void onServiceConnected(ComponentName name, IBinder service) {
        if (started || failure != null) {
            return;
        }
        session = new TabsProtocol.Session(this, this, browsers.trusted);
        TabsProtocol.warmUp(service);
        if (!TabsProtocol.newSession(service, session)) {
            fallBack();
            return;
        }
        TabsProtocol.validate(service, session, originOf(url));
        if (!posted) {
            TabsProtocol.mayLaunch(service, session, url);
        }
        launch(browsers.takesSplash && giveSplash(service));
    }

    private boolean giveSplash(IBinder service) {
        Uri picture = SplashFile.write(this);
        if (picture == null) {
            return false;
        }
        return grant(picture) && TabsProtocol.giveSplash(service, session, picture);
    }

    /** Lets the browser read something; false where this app may not read it itself any more. */
    private boolean grant(Uri what) {
        try {
            grantUriPermission(browsers.trusted, what, Intent.FLAG_GRANT_READ_URI_PERMISSION);
            return true;
        } catch (SecurityException e) {
            Log.w("hull", "The browser cannot be given " + what, e);
            return false;
        }
    }

    @Override
    public void onServiceDisconnected(ComponentName name) {
        fallBack();
    }

    private static Uri originOf(Uri url) {
        return new Uri.Builder()
                .scheme(url.getScheme())
                .encodedAuthority(url.getEncodedAuthority())
                .build();
    }

    private Intent tab(String browser, IBinder session) {
        Bundle extras = new Bundle();
        extras.putBinder(TabsProtocol.EXTRA_SESSION, session);
        return new Intent(Intent.ACTION_VIEW, url)
                .setPackage(browser)
                .putExtras(extras)
                .putExtras(colors(settings.light))
                .putExtras(darkColors());
    }

    private static Bundle colors(Colors of) {
        Bundle bundle = new Bundle();
        bundle.putInt(TabsProtocol.EXTRA_TOOLBAR_COLOR, of.theme);
        bundle.putInt(TabsProtocol.EXTRA_NAVIGATION_COLOR, of.background);
        return bundle;
    }

    /** What goes with the colours above, by the scheme that it counts in. */
    private Bundle darkColors() {
        SparseArray<Bundle> schemes = new SparseArray<Bundle>();
        schemes.put(TabsProtocol.SCHEME_DARK, colors(settings.dark));
        Bundle holder = new Bundle();
        holder.putSparseParcelableArray(TabsProtocol.EXTRA_SCHEME_COLORS, schemes);
        return holder;
    }

    private void launch(boolean hasSplash) {
        Intent intent =
                tab(browsers.trusted, session)
                        .putExtra(TabsProtocol.EXTRA_TRUSTED, true)
                        .putExtra(TabsProtocol.EXTRA_ORIENTATION, settings.browserOrientation)
                        .putStringArrayListExtra(
                                TabsProtocol.EXTRA_ORIGINS,
                                new ArrayList<String>(settings.browserOrigins));
        if (settings.fullscreen) {
            Bundle display = new Bundle();
            display.putInt(TabsProtocol.DISPLAY_ID, TabsProtocol.DISPLAY_IMMERSIVE);
            display.putBoolean(TabsProtocol.DISPLAY_STICKY, false);
            display.putInt(TabsProtocol.DISPLAY_CUTOUT, 0);
            intent.putExtra(TabsProtocol.EXTRA_DISPLAY, display);
        }
        if (hasSplash) {
            Bundle splash = new Bundle();
            splash.putString(TabsProtocol.SPLASH_VERSION, TabsProtocol.SPLASH);
            splash.putInt(TabsProtocol.SPLASH_FADE, FADE_MS);
            splash.putInt(TabsProtocol.SPLASH_GROUND, settings.now(this).background);
            splash.putInt(TabsProtocol.SPLASH_SCALE, TabsProtocol.SCALE_CENTER);
            intent.putExtra(TabsProtocol.EXTRA_SPLASH, splash);
        }
        if (posted) {
            Shared shared = Shared.of(getIntent());
            for (Uri file : shared.files) {
                grant(file);
            }
            intent.putExtra(TabsProtocol.EXTRA_SHARE_DATA, shared.forBrowser())
                    .putExtra(TabsProtocol.EXTRA_SHARE_TARGET, settings.share.forBrowser());
        }
        open(intent);
    }

    /** Shows the pages without a browser that can present them by themselves. */
    private void fallBack() {
        if (started || failure != null) {
            return;
        }
        if (posted && !settings.hasView()) {
            Toast.makeText(this, settings.word("notShared"), Toast.LENGTH_LONG).show();
            posted = false;
            url = Uri.parse(settings.start);
        }
        if (posted) {
            // A custom tab opens addresses, and takes nothing that is posted.
            startPages(getIntent());
        } else if (browsers.tabs != null && settings.fallsBackToTab) {
            open(tab(browsers.tabs, null));
        } else {
            startPages(new Intent(Intent.ACTION_VIEW, url));
        }
    }

    private void open(Intent intent) {
        try {
            startActivity(intent);
            // From the start picture to the same one of the browser's: nothing moves.
            overridePendingTransition(0, 0);
            started = true;
            handler.removeCallbacks(tooLate);
        } catch (ActivityNotFoundException | SecurityException e) {
            startPages(posted ? getIntent() : new Intent(Intent.ACTION_VIEW, url));
        }
    }

    private void startPages(Intent intent) {
        started = true;
        handler.removeCallbacks(tooLate);
        if (settings.hasView()) {
            startActivity(new Intent(intent).setClass(this, PageActivity.class).setPackage(null));
            overridePendingTransition(0, 0);
        } else {
            links.openInBrowser(url);
        }
        finish();
    }

    @Override
    public void pageLoaded() {
        loaded = true;
    }

    @Override
    public void pageFailed() {
        if (!loaded) {
            fail(Trouble.OFFLINE);
        }
    }

    /**
     * The words for a status are those of {@code web.errors}; of anything else the browser's own
     * answer is the better one.
     */
    @Override
    public boolean pageIsPoor(String reason) {
        Matcher status = STATUS.matcher(reason == null ? "" : reason.replaceAll("\\S+://\\S+", ""));
        Trouble why;
        if (status.find()) {
            boolean isServer = status.group(1).charAt(0) == '5';
            if (isServer ? !settings.answersServer : !settings.answersNotFound) {
                return false;
            }
            why = isServer ? Trouble.SERVER : Trouble.NOT_FOUND;
        } else if (NetworkWatch.isConnected(this)) {
            // Such as that the host is not the app's: the page is shown, below a bar with its
            // address.
            return false;
        } else {
            why = Trouble.OFFLINE;
        }
        fail(why);
        return true;
    }

    /** Comes to the front again, with the shell's own words instead of a browser's error. */
    private void fail(final Trouble why) {
        handler.post(
                new Runnable() {
                    @Override
                    public void run() {
                        if (started && failure == null && !isFinishing()) {
                            failure = why;
                            startActivity(
                                    new Intent(
                                                    BrowserActivity.this,
                                                    BrowserActivity.this.getClass())
                                            .addFlags(
                                                    Intent.FLAG_ACTIVITY_CLEAR_TOP
                                                            | Intent.FLAG_ACTIVITY_SINGLE_TOP));
                        }
                    }
                });
    }

    /** The call to the front above: the intent that the app was started with still counts. */
    @Override
    protected void onNewIntent(Intent intent) {
        super.onNewIntent(intent);
        if (failure == null || trouble != null) {
            return;
        }
        Runnable again =
                new Runnable() {
                    @Override
                    public void run() {
                        retry();
                    }
                };
        trouble = new TroubleView(this, settings, again);
        FrameLayout root = BarInsets.frame(this, settings).root();
        root.addView(trouble);
        setContentView(root);
        BarInsets.install(getWindow(), settings.fullscreen);
        trouble.show(failure);
        // A watch tells of a network that is there already: a host that is gone would be asked
        // without end.
        if (failure == Trouble.OFFLINE && !NetworkWatch.isConnected(this)) {
            network = new NetworkWatch(this, again);
            network.start();
        }
    }

    @Override
    protected void onStart() {
        super.onStart();
        if (network != null) {
            network.start();
        }
    }

    @Override
    protected void onStop() {
        if (network != null) {
            network.stop();
        }
        super.onStop();
    }

    /** Begins again: the browser, if it is still there, and the page. */
    private void retry() {
        started = false;
        recreate();
    }

    /** Coming back here means that the browser was left; unless its page failed. */
    @Override
    protected void onRestart() {
        super.onRestart();
        if (started && failure == null) {
            finish();
        }
    }

    @Override
    protected void onSaveInstanceState(Bundle state) {
        super.onSaveInstanceState(state);
        state.putBoolean(STARTED, started && failure == null);
    }

    @Override
    protected void onDestroy() {
        handler.removeCallbacks(tooLate);
        if (session != null) {
            session.close();
        }
        if (bound) {
            unbindService(this);
            bound = false;
        }
        super.onDestroy();
    }
}
