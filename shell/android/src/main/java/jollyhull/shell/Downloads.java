package jollyhull.shell;

import android.app.Activity;
import android.app.DownloadManager;
import android.content.Context;
import android.net.Uri;
import android.os.Build;
import android.os.Environment;
import android.webkit.CookieManager;
import android.webkit.DownloadListener;
import android.webkit.JavascriptInterface;
import android.webkit.MimeTypeMap;
import android.webkit.URLUtil;
import android.webkit.ValueCallback;
import android.webkit.WebResourceResponse;
import android.webkit.WebView;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.io.File;
import java.io.IOException;
import java.io.InputStream;
import java.util.Collections;
import java.util.Locale;
import java.util.Map;
import java.util.UUID;
import java.util.WeakHashMap;

/**
 * What pages hand out to keep. Files of the network go through the system's download manager;
 * packed files, {@code data:} and {@code blob:} are saved where the user says.
 */
final class Downloads {
    /**
     * Name under which pages find the receiver of a blob; only the token of a running download
     * opens it.
     */
    static final String BRIDGE = "hullDownload";

    /** The end of a longer name is kept: it tells the kind of file. */
    private static final int MAX_NAME = 120;

    private final Activity activity;
    private final PackedSite site;
    private final Saves saves;
    private final Map<WebView, Receiver> receivers = new WeakHashMap<WebView, Receiver>();

    Downloads(Activity activity, PackedSite site, Saves saves) {
        this.activity = activity;
        this.site = site;
        this.saves = saves;
    }

    /** Takes what a window's pages hand out. */
    void install(final WebView window) {
        Receiver receiver = new Receiver();
        receivers.put(window, receiver);
        window.addJavascriptInterface(receiver, BRIDGE);
        window.setDownloadListener(
                new DownloadListener() {
                    @Override
                    public void onDownloadStart(
                            String url,
                            String agent,
                            String disposition,
                            String type,
                            long length) {
                        begin(window, url, agent, disposition, type);
                    }
                });
    }

    /** Keeps what a page shows, such as a picture. */
    void keep(WebView window, String url) {
        begin(window, url, window.getSettings().getUserAgentString(), null, null);
    }

    private void begin(
            final WebView window,
            final String url,
            final String agent,
            String disposition,
            final String type) {
        final boolean isNamed =
                disposition != null && disposition.toLowerCase(Locale.ROOT).contains("filename");
        final String guessed = URLUtil.guessFileName(url, disposition, type);
        // Only the page knows what the link says (settings.script).
        window.evaluateJavascript(
                "window.hullKept ? hullKept.name("
                        + JSONObject.quote(url.startsWith("data:") ? "data:" : url)
                        + ") : ''",
                new ValueCallback<String>() {
                    @Override
                    public void onReceiveValue(String answer) {
                        start(window, url, agent, type, guessed, isNamed ? "" : nameIn(answer));
                    }
                });
    }

    /** A name that a page gives, as JSON: a name alone, and no path. */
    static String nameIn(String answer) {
        try {
            JSONArray list = new JSONArray("[" + answer + "]");
            String name =
                    list.isNull(0)
                            ? ""
                            : list.getString(0).replaceAll("[\\\\/:\\p{Cntrl}]+", "_").trim();
            return name.substring(Math.max(0, name.length() - MAX_NAME));
        } catch (JSONException e) {
            // A page that has changed what answers: it is asked for no name then.
            return "";
        }
    }

    private void start(
            WebView window, String url, String agent, String type, String guessed, String named) {
        final Uri address = Uri.parse(url);
        String scheme = OutsideLinks.schemeOf(address);
        String name = named.isEmpty() ? guessed : named;
        if (scheme.equals("data")) {
            saveData(url, named);
        } else if (scheme.equals("blob")) {
            receivers.get(window).fetch(window, url, named);
        } else if (BaseClient.isWeb(address)) {
            final WebResourceResponse packed = packed(address);
            if (packed != null && packed.getStatusCode() == 200) {
                saves.save(
                        new Saves.Source() {
                            @Override
                            public InputStream open() {
                                return packed.getData();
                            }
                        },
                        packed.getMimeType(),
                        name);
            } else {
                download(address, agent, type, name);
            }
        }
    }

    private WebResourceResponse packed(Uri address) {
        return site.answer("GET", address, Collections.<String, String>emptyMap());
    }

    /**
     * The download manager sends its headers along to wherever it is redirected. So redirects are
     * gone before, each with the cookies of its own host, and what is downloaded is where they end.
     */
    private void download(final Uri url, final String agent, final String type, final String name) {
        if (CookieManager.getInstance().getCookie(url.toString()) == null) {
            enqueue(url, agent, type, name);
            return;
        }
        new Thread(
                        new Runnable() {
                            @Override
                            public void run() {
                                final String end = Redirects.follow(url.toString(), agent);
                                activity.runOnUiThread(
                                        new Runnable() {
                                            @Override
                                            public void run() {
                                                if (end == null) {
                                                    saves.say("notSaved");
                                                } else {
                                                    enqueue(Uri.parse(end), agent, type, name);
                                                }
                                            }
                                        });
                            }
                        },
                        "hull-redirects")
                .start();
    }

    private void enqueue(Uri url, String agent, String type, String name) {
        try {
            DownloadManager.Request request =
                    new DownloadManager.Request(url)
                            .setTitle(name)
                            .setMimeType(type)
                            .setNotificationVisibility(
                                    DownloadManager.Request.VISIBILITY_VISIBLE_NOTIFY_COMPLETED);
            String cookies = CookieManager.getInstance().getCookie(url.toString());
            if (cookies != null) {
                request.addRequestHeader("Cookie", cookies);
            }
            if (agent != null) {
                request.addRequestHeader("User-Agent", agent);
            }
            // From API 29 on the public folder needs no permission; before, the app's own one does
            // not.
            if (Build.VERSION.SDK_INT >= 29) {
                request.setDestinationInExternalPublicDir(Environment.DIRECTORY_DOWNLOADS, name);
            } else {
                request.setDestinationInExternalFilesDir(
                        activity, Environment.DIRECTORY_DOWNLOADS, name);
            }
            ((DownloadManager) activity.getSystemService(Context.DOWNLOAD_SERVICE))
                    .enqueue(request);
            saves.say("downloading");
        } catch (RuntimeException e) {
            // The download manager is turned off on this device, or has no storage to write to.
            saves.failed(e);
        }
    }

    private void saveData(String url, String name) {
        final DataUrl data = DataUrl.of(url);
        if (data == null) {
            saves.say("notSaved");
            return;
        }
        saves.save(
                new Saves.Source() {
                    @Override
                    public InputStream open() {
                        return data.open();
                    }
                },
                data.type.isEmpty() ? "text/plain" : data.type,
                name.isEmpty() ? nameFor(data.type) : name);
    }

    private static String nameFor(String type) {
        String ending = MimeTypeMap.getSingleton().getExtensionFromMimeType(type);
        return "download" + (ending == null ? "" : "." + ending);
    }

    /** Takes a blob from its page. Called on threads of the engine's. */
    final class Receiver {
        private String token = "";

        /** What the blob is to be called; empty where its page did not say. */
        private String name = "";

        private Inbox inbox = new Inbox(activity);

        /**
         * The page is asked for its blob, and hands it over with a token that is good for this
         * once.
         */
        synchronized void fetch(WebView window, String url, String named) {
            inbox.drop();
            token = UUID.randomUUID().toString();
            name = named;
            String quoted = JSONObject.quote(url);
            // A page whose policy knows no blob: cannot fetch it; what it made was kept for that
            // (settings.script).
            window.evaluateJavascript(
                    "(() => { const kept = window.hullKept && hullKept.blob ? hullKept.blob("
                            + quoted
                            + ") : null;"
                            + " const end = (type) => "
                            + BRIDGE
                            + ".end('"
                            + token
                            + "', type); const send = (blob, at) => { if (at >= blob.size) {"
                            + " end(blob.type || 'application/octet-stream'); return; } const"
                            + " reader = new FileReader(); reader.onerror = () => end('');"
                            + " reader.onload = () => { if ("
                            + BRIDGE
                            + ".take('"
                            + token
                            + "', String(reader.result))) send(blob, at + "
                            + Inbox.SLICE
                            + "); };"
                            + " reader.readAsDataURL(blob.slice(at, at + "
                            + Inbox.SLICE
                            + ")); };"
                            + " (kept ? Promise.resolve(kept) : fetch("
                            + quoted
                            + ").then((answer) => answer.blob()))"
                            + ".then((blob) => send(blob, 0)).catch(() => end('')); })()",
                    null);
        }

        private boolean isOpenTo(String given) {
            return !token.isEmpty() && token.equals(given);
        }

        private void fail(IOException why) {
            token = "";
            inbox.drop();
            saves.failed(why);
        }

        /** One slice; whether more is wanted. */
        @JavascriptInterface
        public synchronized boolean take(String given, String data) {
            if (!isOpenTo(given)) {
                return false;
            }
            try {
                inbox.take(data);
                return true;
            } catch (IOException e) {
                fail(e);
                return false;
            }
        }

        /** The end of the blob; without a type where it could not be read. */
        @JavascriptInterface
        public synchronized void end(String given, final String type) {
            if (!isOpenTo(given)) {
                return;
            }
            token = "";
            try {
                if (type == null || type.isEmpty()) {
                    throw new IOException("Blob unreadable");
                }
                final File whole = inbox.end();
                final String plain = type.split(";")[0];
                final String named = name.isEmpty() ? nameFor(plain) : name;
                activity.runOnUiThread(
                        new Runnable() {
                            @Override
                            public void run() {
                                saves.ask(whole, plain, named);
                            }
                        });
            } catch (IOException e) {
                fail(e);
            }
        }
    }
}
