package jollyhull.shell;

import android.app.Activity;
import android.app.Notification;
import android.app.NotificationChannel;
import android.app.NotificationManager;
import android.app.PendingIntent;
import android.content.Context;
import android.content.Intent;
import android.content.SharedPreferences;
import android.net.Uri;
import android.os.Build;
import android.webkit.JavascriptInterface;
import android.webkit.ValueCallback;
import android.webkit.WebView;

import org.json.JSONException;
import org.json.JSONObject;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.util.UUID;

/**
 * Notifications of the app's own pages. A web view has none: a script (settings.noticeScript) puts
 * the standard's names into pages (Notifications API), and what they do comes here: by {@link
 * PagePort}, or in engines without it by an object that frames of others find too, and that only
 * the token opens, which the page itself is given.
 */
final class Notices {
    static final String BRIDGE = "hullNotices";
    static final String CAPABILITY = "notifications";

    /** Which notification was touched, and on which page it was made. */
    static final String ID = "hull.notice";

    static final String PAGE = "hull.page";

    /** A value that only this installation knows: other apps can send the two above as well. */
    static final String SECRET = "hull.secret";

    /** Name under which the manifest tells the picture. */
    static final String ICON = "hull.notice";

    private final Activity activity;
    private final ShellSettings settings;
    private final AskFlow flow;
    private final WebView pages;
    private final String token = UUID.randomUUID().toString();

    Notices(Activity activity, ShellSettings settings, AskFlow flow, WebView pages) {
        this.activity = activity;
        this.settings = settings;
        this.flow = flow;
        this.pages = pages;
    }

    /** Lets a page of the app's own begin; what it asked for before waits until then. */
    String opening() {
        return "window.hullNotes && hullNotes.open('" + token + "')";
    }

    private NotificationManager manager() {
        return (NotificationManager) activity.getSystemService(Context.NOTIFICATION_SERVICE);
    }

    /**
     * {@code granted}, {@code denied} or {@code default} (Notifications API,
     * "NotificationPermission").
     */
    @JavascriptInterface
    public String state() {
        boolean granted = settings.permissions.get(CAPABILITY).suffices(activity);
        if (granted && manager().areNotificationsEnabled()) {
            return "granted";
        }
        return granted || AskFlow.isRefused(CAPABILITY) ? "denied" : "default";
    }

    private void checked(final String given, final Runnable then) {
        activity.runOnUiThread(
                new Runnable() {
                    @Override
                    public void run() {
                        if (token.equals(given)) {
                            then.run();
                        }
                    }
                });
    }

    /** The page asks, under a number; the answer goes back under the same. */
    @JavascriptInterface
    public void ask(String given, final int number) {
        checked(
                given,
                new Runnable() {
                    @Override
                    public void run() {
                        ask(
                                new AskFlow.Answer() {
                                    @Override
                                    public void answer(boolean granted) {
                                        pages.evaluateJavascript(
                                                "hullNotes.answered("
                                                        + number
                                                        + ", '"
                                                        + state()
                                                        + "')",
                                                null);
                                    }
                                });
                    }
                });
    }

    void ask(AskFlow.Answer back) {
        // Before API 33 the system has no question; what the user set there counts.
        if (settings.permissions.get(CAPABILITY).system.isEmpty()) {
            back.answer(true);
        } else {
            flow.ask(CAPABILITY, back);
        }
    }

    @JavascriptInterface
    public void show(String given, final String json) {
        checked(
                given,
                new Runnable() {
                    @Override
                    public void run() {
                        show(json);
                    }
                });
    }

    void show(String json) {
        try {
            show(new JSONObject(json));
        } catch (JSONException e) {
            // No page of the app's sends such a thing; nothing is shown.
            return;
        }
    }

    @JavascriptInterface
    public void close(String given, final String id) {
        checked(
                given,
                new Runnable() {
                    @Override
                    public void run() {
                        close(id);
                    }
                });
    }

    void close(String id) {
        manager().cancel(id, 0);
    }

    @SuppressWarnings("deprecation")
    private void show(JSONObject what) throws JSONException {
        if (!state().equals("granted")) {
            return;
        }
        String id = what.getString("id");
        boolean silent = what.optBoolean("silent");
        Notification.Builder builder;
        if (Build.VERSION.SDK_INT >= 26) {
            String channel = silent ? "pages.silent" : "pages";
            manager()
                    .createNotificationChannel(
                            new NotificationChannel(
                                    channel,
                                    settings.name,
                                    silent
                                            ? NotificationManager.IMPORTANCE_LOW
                                            : NotificationManager.IMPORTANCE_DEFAULT));
            builder = new Notification.Builder(activity, channel);
        } else {
            builder =
                    new Notification.Builder(activity)
                            .setDefaults(silent ? 0 : Notification.DEFAULT_ALL);
        }
        NoticeIcon.put(builder, activity);
        String text = what.optString("body");
        Intent touched =
                new Intent(activity, PageActivity.class)
                        .setData(Uri.fromParts(ID, id, null))
                        .putExtra(ID, id)
                        .putExtra(PAGE, pages.getUrl())
                        .putExtra(SECRET, secret());
        builder.setContentTitle(what.getString("title"))
                .setContentText(text)
                .setStyle(new Notification.BigTextStyle().bigText(text))
                .setColor(settings.now(activity).theme)
                .setAutoCancel(true)
                .setContentIntent(
                        PendingIntent.getActivity(
                                activity,
                                0,
                                touched,
                                PendingIntent.FLAG_UPDATE_CURRENT | PendingIntent.FLAG_IMMUTABLE));
        manager().notify(id, 0, builder.build());
    }

    private SharedPreferences store() {
        return activity.getSharedPreferences("hull", Context.MODE_PRIVATE);
    }

    private String secret() {
        String kept = store().getString(SECRET, null);
        if (kept != null) {
            return kept;
        }
        String made = UUID.randomUUID().toString();
        store().edit().putString(SECRET, made).apply();
        return made;
    }

    private boolean isSecret(String given) {
        String kept = store().getString(SECRET, null);
        return kept != null
                && MessageDigest.isEqual(
                        kept.getBytes(StandardCharsets.UTF_8),
                        given.getBytes(StandardCharsets.UTF_8));
    }

    /**
     * Whether an intent is a touched notification: its page gets it; where that is gone, {@code
     * otherwise} is given its address.
     */
    boolean touched(final Intent intent, final ValueCallback<String> otherwise) {
        final String id = Extras.text(intent, ID);
        final String page = Extras.text(intent, PAGE);
        String given = Extras.text(intent, SECRET);
        if (id == null || page == null || given == null || !isSecret(given)) {
            return false;
        }
        pages.evaluateJavascript(
                "!!window.hullNotes && hullNotes.touched(" + JSONObject.quote(id) + ")",
                new ValueCallback<String>() {
                    @Override
                    public void onReceiveValue(String known) {
                        if (!"true".equals(known)) {
                            otherwise.onReceiveValue(page);
                        }
                    }
                });
        return true;
    }
}
