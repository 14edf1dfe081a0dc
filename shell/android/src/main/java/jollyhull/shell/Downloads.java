package jollyhull.shell;

import android.app.Activity;
import android.app.DownloadManager;
import android.content.ActivityNotFoundException;
import android.content.Context;
import android.content.Intent;
import android.net.Uri;
import android.os.Build;
import android.os.Environment;
import android.util.Base64;
import android.webkit.CookieManager;
import android.webkit.DownloadListener;
import android.webkit.JavascriptInterface;
import android.webkit.MimeTypeMap;
import android.webkit.URLUtil;
import android.webkit.ValueCallback;
import android.webkit.WebResourceResponse;
import android.webkit.WebView;
import android.widget.Toast;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UnsupportedEncodingException;
import java.net.URLDecoder;
import java.util.Collections;
import java.util.Locale;
import java.util.UUID;
import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

/**
 * What pages hand out to keep. Files of the network go through the system's download manager; packed files, {@code data:}
 * and {@code blob:} are saved where the user says.
 */
final class Downloads implements DownloadListener {
    static final int CODE = 4600;
    /** Name under which pages find the receiver of a blob; only the token of a running download opens it. */
    static final String BRIDGE = "hullDownload";
    private static final int MAX_BYTES = 96 * 1024 * 1024;
    /** The end of a longer name is kept: it tells the kind of file. */
    private static final int MAX_NAME = 120;

    private final Activity activity;
    private final ShellSettings settings;
    private final PackedSite site;
    private final WebView pages;
    private byte[] pending;
    private String token = "";
    /** What the blob that is waited for is to be called; empty where its page did not say. */
    private String tokenName = "";

    Downloads(Activity activity, ShellSettings settings, PackedSite site, WebView pages) {
        this.activity = activity;
        this.settings = settings;
        this.site = site;
        this.pages = pages;
    }

    void install() {
        pages.setDownloadListener(this);
        pages.addJavascriptInterface(this, BRIDGE);
    }

    @Override
    public void onDownloadStart(
            final String url, final String agent, String disposition, final String type, long length) {
        final boolean isNamed = disposition != null && disposition.toLowerCase(Locale.ROOT).contains("filename");
        final String guessed = URLUtil.guessFileName(url, disposition, type);
        // Only the page knows what the link says (settings.script).
        pages.evaluateJavascript(
                "window.hullKept ? hullKept.name(" + JSONObject.quote(url.startsWith("data:") ? "data:" : url) + ") : ''",
                new ValueCallback<String>() {
                    @Override
                    public void onReceiveValue(String answer) {
                        start(url, agent, type, guessed, isNamed ? "" : nameIn(answer));
                    }
                });
    }

    /** A name that a page gives, as JSON: a name alone, and no path. */
    static String nameIn(String answer) {
        try {
            JSONArray list = new JSONArray("[" + answer + "]");
            String name = list.isNull(0) ? "" : list.getString(0).replaceAll("[\\\\/:\\p{Cntrl}]+", "_").trim();
            return name.substring(Math.max(0, name.length() - MAX_NAME));
        } catch (JSONException e) {
            return "";
        }
    }

    private void start(String url, String agent, String type, String guessed, String named) {
        Uri address = Uri.parse(url);
        String scheme = OutsideLinks.schemeOf(address);
        String name = named.isEmpty() ? guessed : named;
        if (scheme.equals("data")) {
            saveData(url, named);
        } else if (scheme.equals("blob")) {
            fetchBlob(url, named);
        } else if (scheme.equals("https") || scheme.equals("http")) {
            WebResourceResponse packed =
                    site.answer("GET", address, Collections.<String, String>emptyMap());
            if (packed != null && packed.getStatusCode() == 200) {
                try {
                    save(readAll(packed.getData()), packed.getMimeType(), name);
                } catch (IOException e) {
                    say("notSaved");
                }
            } else {
                download(address, agent, type, name);
            }
        }
    }

    /**
     * The download manager sends its headers along to wherever it is redirected. So redirects are gone before, each with
     * the cookies of its own host, and what is downloaded is where they end.
     */
    private void download(final Uri url, final String agent, final String type, final String name) {
        if (CookieManager.getInstance().getCookie(url.toString()) == null) {
            enqueue(url, agent, type, name);
            return;
        }
        new Thread(new Runnable() {
            @Override
            public void run() {
                final String end = Redirects.follow(url.toString(), agent);
                activity.runOnUiThread(new Runnable() {
                    @Override
                    public void run() {
                        if (end == null) {
                            say("notSaved");
                        } else {
                            enqueue(Uri.parse(end), agent, type, name);
                        }
                    }
                });
            }
        }, "hull-redirects").start();
    }

    private void enqueue(Uri url, String agent, String type, String name) {
        DownloadManager.Request request = new DownloadManager.Request(url)
                .setTitle(name)
                .setMimeType(type)
                .setNotificationVisibility(DownloadManager.Request.VISIBILITY_VISIBLE_NOTIFY_COMPLETED);
        String cookies = CookieManager.getInstance().getCookie(url.toString());
        if (cookies != null) {
            request.addRequestHeader("Cookie", cookies);
        }
        if (agent != null) {
            request.addRequestHeader("User-Agent", agent);
        }
        // From API 29 on the public folder needs no permission; before, the app's own one does not.
        if (Build.VERSION.SDK_INT >= 29) {
            request.setDestinationInExternalPublicDir(Environment.DIRECTORY_DOWNLOADS, name);
        } else {
            request.setDestinationInExternalFilesDir(activity, Environment.DIRECTORY_DOWNLOADS, name);
        }
        DownloadManager manager = (DownloadManager) activity.getSystemService(Context.DOWNLOAD_SERVICE);
        try {
            manager.enqueue(request);
            say("downloading");
        } catch (IllegalArgumentException | SecurityException e) {
            // The download manager is turned off on this device.
            say("notSaved");
        }
    }

    /** {@code data:[type][;base64],…} (RFC 2397). */
    private void saveData(String url, String name) {
        int comma = url.indexOf(',');
        if (comma < 0 || url.length() > MAX_BYTES) {
            say("notSaved");
            return;
        }
        String head = url.substring("data:".length(), comma);
        boolean isBase64 = head.endsWith(";base64");
        String type = head.split(";")[0];
        try {
            String text = URLDecoder.decode(url.substring(comma + 1).replace("+", "%2B"), "UTF-8");
            byte[] bytes = isBase64 ? Base64.decode(text, Base64.DEFAULT) : text.getBytes("UTF-8");
            save(bytes, type.isEmpty() ? "text/plain" : type, name.isEmpty() ? nameFor(type) : name);
        } catch (IllegalArgumentException | UnsupportedEncodingException e) {
            say("notSaved");
        }
    }

    private static String nameFor(String type) {
        String ending = MimeTypeMap.getSingleton().getExtensionFromMimeType(type);
        return "download" + (ending == null ? "" : "." + ending);
    }

    /** Only the page can read its blob: it is asked to, and hands it over with a token that is good once. */
    private void fetchBlob(String url, String name) {
        token = UUID.randomUUID().toString();
        tokenName = name;
        pages.evaluateJavascript(
                "fetch(" + JSONObject.quote(url) + ").then((answer) => answer.blob()).then((blob) => {"
                        + " const reader = new FileReader();"
                        + " reader.onload = () => " + BRIDGE + ".take('" + token + "', String(reader.result));"
                        + " reader.readAsDataURL(blob); })"
                        + ".catch(() => " + BRIDGE + ".take('" + token + "', ''))",
                null);
    }

    /** Called by the page, on a thread of the engine's. */
    @JavascriptInterface
    public void take(final String given, final String data) {
        activity.runOnUiThread(new Runnable() {
            @Override
            public void run() {
                if (token.isEmpty() || !token.equals(given)) {
                    return;
                }
                token = "";
                if (data.startsWith("data:")) {
                    saveData(data, tokenName);
                } else {
                    say("notSaved");
                }
            }
        });
    }

    private void save(byte[] bytes, String type, String name) {
        pending = bytes;
        Intent intent = new Intent(Intent.ACTION_CREATE_DOCUMENT)
                .addCategory(Intent.CATEGORY_OPENABLE)
                .setType(type)
                .putExtra(Intent.EXTRA_TITLE, name);
        try {
            activity.startActivityForResult(intent, CODE);
        } catch (ActivityNotFoundException e) {
            pending = null;
            say("notSaved");
        }
    }

    /** Where the user wants it. */
    void onResult(int result, Intent data) {
        byte[] bytes = pending;
        pending = null;
        if (bytes == null || result != Activity.RESULT_OK || data == null || data.getData() == null) {
            return;
        }
        try {
            OutputStream out = activity.getContentResolver().openOutputStream(data.getData());
            if (out == null) {
                throw new IOException("no stream");
            }
            try {
                out.write(bytes);
            } finally {
                out.close();
            }
            say("saved");
        } catch (IOException e) {
            say("notSaved");
        }
    }

    static byte[] readAll(InputStream in) throws IOException {
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        byte[] buffer = new byte[8192];
        try {
            for (int count = in.read(buffer); count >= 0; count = in.read(buffer)) {
                if (out.size() + count > MAX_BYTES) {
                    throw new IOException("too large");
                }
                out.write(buffer, 0, count);
            }
        } finally {
            in.close();
        }
        return out.toByteArray();
    }

    private void say(String word) {
        Toast.makeText(activity, settings.word(word), Toast.LENGTH_SHORT).show();
    }
}
