package jollyhull.shell;

import android.app.Activity;
import android.content.ActivityNotFoundException;
import android.content.ClipData;
import android.content.ClipboardManager;
import android.content.Context;
import android.content.Intent;
import android.net.Uri;
import android.print.PrintAttributes;
import android.print.PrintManager;
import android.util.Log;
import android.webkit.JavascriptInterface;
import android.webkit.WebView;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.io.File;
import java.io.IOException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.Map;
import java.util.UUID;

/**
 * What browsers do for pages and a web view does not: sharing, printing, reading the clipboard,
 * telling what is permitted. A script (settings.script) has the standards' names for it. What pages
 * ask for comes by {@link PagePort}; in engines without it by an object that frames of others find
 * too, and that only the token opens, which the app's own page is given.
 */
final class PageServices {
    static final String BRIDGE = "hullServices";

    private static final String DONE = "";

    /** Names of DOMExceptions (Web IDL) that a page gets instead of an answer. */
    private static final String NOT_ALLOWED = "NotAllowedError";

    private static final String DATA = "DataError";

    private final Activity activity;
    private final ShellSettings settings;
    private final AskFlow flow;
    private final WebView pages;
    private final String token = UUID.randomUUID().toString();

    /** Files on their way, by the number that the page gives each. */
    private final Map<Integer, Inbox> inboxes = new HashMap<Integer, Inbox>();

    PageServices(Activity activity, ShellSettings settings, AskFlow flow, WebView pages) {
        this.activity = activity;
        this.settings = settings;
        this.flow = flow;
        this.pages = pages;
    }

    /** Lets a page of the app's own begin; what it asked for before waits until then. */
    String opening() {
        return "window.hullKept && hullKept.open('" + token + "')";
    }

    /**
     * {@code granted}, {@code denied} or {@code prompt}; empty for what the shell does not decide
     * (Permissions, "PermissionState").
     */
    @JavascriptInterface
    public String state(String name) {
        Permission permission = settings.permissions.get(name);
        if (permission == null) {
            return settings.stateOf(name);
        }
        if (permission.system.isEmpty()) {
            return "prompt";
        }
        return permission.suffices(activity)
                ? "granted"
                : AskFlow.isRefused(name) ? "denied" : "prompt";
    }

    /** One slice of a file; whether more is wanted. */
    @JavascriptInterface
    public boolean take(String given, int number, String data) {
        return token.equals(given) && take(number, data);
    }

    boolean take(int number, String data) {
        Inbox inbox;
        synchronized (inboxes) {
            inbox = inboxes.get(number);
            if (inbox == null) {
                inbox = new Inbox(activity);
                inboxes.put(number, inbox);
            }
        }
        try {
            inbox.take(data);
            return true;
        } catch (IOException e) {
            Log.w("hull", "File not taken", e);
            inbox.drop();
            return false;
        }
    }

    /** Does something for the page, under a number; the answer goes back under the same. */
    @JavascriptInterface
    public void call(String given, final int number, final String what, final String json) {
        if (!token.equals(given)) {
            return;
        }
        activity.runOnUiThread(
                new Runnable() {
                    @Override
                    public void run() {
                        call(number, what, json);
                    }
                });
    }

    void call(int number, String what, String json) {
        try {
            serve(number, what, new JSONObject(json));
        } catch (JSONException | IOException | RuntimeException e) {
            Log.w("hull", "Failed: " + what, e);
            refuse(number, DATA);
        }
    }

    private void serve(final int number, String what, JSONObject with)
            throws JSONException, IOException {
        if (what.equals("share")) {
            share(with);
            answer(number, DONE);
        } else if (what.equals("print")) {
            print(with.optString("title"));
            answer(number, DONE);
        } else if (what.equals("clipboard")) {
            flow.ask(
                    "clipboard-read",
                    new AskFlow.Answer() {
                        @Override
                        public void answer(boolean granted) {
                            if (granted) {
                                PageServices.this.answer(number, clipboard());
                            } else {
                                refuse(number, NOT_ALLOWED);
                            }
                        }
                    });
        } else {
            refuse(number, DATA);
        }
    }

    private void answer(int number, String text) {
        pages.evaluateJavascript(
                "hullKept.answer(" + number + ", " + JSONObject.quote(text) + ")", null);
    }

    private void refuse(int number, String error) {
        pages.evaluateJavascript("hullKept.answer(" + number + ", '', '" + error + "')", null);
    }

    private void share(JSONObject what) throws JSONException, IOException {
        ArrayList<Uri> files = new ArrayList<Uri>();
        String type = null;
        JSONArray list = what.getJSONArray("files");
        for (int i = 0; i < list.length(); i++) {
            JSONObject one = list.getJSONObject(i);
            Inbox inbox;
            synchronized (inboxes) {
                inbox = inboxes.remove(one.getInt("number"));
            }
            File whole = (inbox == null ? new Inbox(activity) : inbox).end();
            files.add(ShotFiles.share(activity, whole, one.getString("name")));
            String own = one.getString("type");
            type = type == null || type.equals(own) ? own : "*/*";
        }
        String text = what.optString("text");
        String url = what.optString("url");
        Intent intent =
                new Intent(files.size() > 1 ? Intent.ACTION_SEND_MULTIPLE : Intent.ACTION_SEND)
                        .setType(
                                type == null || type.isEmpty()
                                        ? (files.isEmpty() ? "text/plain" : "*/*")
                                        : type)
                        .putExtra(Intent.EXTRA_SUBJECT, what.optString("title"))
                        .putExtra(
                                Intent.EXTRA_TEXT,
                                text.isEmpty() || url.isEmpty() ? text + url : text + "\n" + url);
        if (files.size() == 1) {
            intent.putExtra(Intent.EXTRA_STREAM, files.get(0));
        } else if (!files.isEmpty()) {
            intent.putParcelableArrayListExtra(Intent.EXTRA_STREAM, files);
        }
        if (!files.isEmpty()) {
            // The chooser hands grants on only for what is in the clip data.
            ClipData clip = ClipData.newRawUri("", files.get(0));
            for (int i = 1; i < files.size(); i++) {
                clip.addItem(new ClipData.Item(files.get(i)));
            }
            intent.setClipData(clip);
            intent.addFlags(Intent.FLAG_GRANT_READ_URI_PERMISSION);
        }
        try {
            activity.startActivity(Intent.createChooser(intent, null));
        } catch (ActivityNotFoundException e) {
            throw new IOException("No app to share with", e);
        }
    }

    private void print(String title) {
        String name = title.isEmpty() ? settings.name : title;
        PrintManager printing = (PrintManager) activity.getSystemService(Context.PRINT_SERVICE);
        printing.print(
                name,
                pages.createPrintDocumentAdapter(name),
                new PrintAttributes.Builder().build());
    }

    private String clipboard() {
        ClipboardManager clipboard =
                (ClipboardManager) activity.getSystemService(Context.CLIPBOARD_SERVICE);
        ClipData clip = clipboard.getPrimaryClip();
        CharSequence text =
                clip == null || clip.getItemCount() == 0
                        ? null
                        : clip.getItemAt(0).coerceToText(activity);
        return text == null ? "" : text.toString();
    }
}
