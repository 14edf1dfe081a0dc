package jollyhull.shell;

import android.app.Activity;
import android.app.Notification;
import android.app.NotificationChannel;
import android.app.NotificationManager;
import android.app.PendingIntent;
import android.content.Context;
import android.content.Intent;
import android.content.res.Resources;
import android.graphics.Bitmap;
import android.graphics.BitmapFactory;
import android.graphics.drawable.Icon;
import android.media.MediaMetadata;
import android.media.session.MediaSession;
import android.media.session.PlaybackState;
import android.os.Build;
import android.util.Base64;
import android.util.Log;
import android.webkit.WebView;

import org.json.JSONArray;
import org.json.JSONObject;

/**
 * What pages play, told to the system: it goes on while another app is on screen, with controls on
 * the lock screen and of headphones (Media Session, W3C). A script (settings.port) says what is
 * played; {@link PlayService} keeps the app alive meanwhile.
 */
final class Playback {
    private static final String CHANNEL = "media";

    /**
     * The standard's names of actions, and the system's. Two more are always there: play, pause.
     */
    private static final Object[][] ACTIONS = {
        {"previoustrack", PlaybackState.ACTION_SKIP_TO_PREVIOUS},
        {"nexttrack", PlaybackState.ACTION_SKIP_TO_NEXT},
        {"seekbackward", PlaybackState.ACTION_REWIND},
        {"seekforward", PlaybackState.ACTION_FAST_FORWARD},
        {"seekto", PlaybackState.ACTION_SEEK_TO},
        {"stop", PlaybackState.ACTION_STOP},
    };

    /** Whose pages play; null where nothing does. One window plays at a time. */
    static Playback current;

    private final Activity activity;
    private final ShellSettings settings;
    private final WebView pages;

    /** Null while nothing is played. */
    private MediaSession session;

    private JSONObject what = new JSONObject();
    private Bitmap picture;

    Playback(Activity activity, ShellSettings settings, WebView pages) {
        this.activity = activity;
        this.settings = settings;
        this.pages = pages;
    }

    boolean isPlaying() {
        return session != null && what.optString("state").equals("playing");
    }

    /** A page says what it plays: {@code state} is playing, paused or none. */
    void said(JSONObject what) {
        if (what.optString("state").equals("none")) {
            end();
            return;
        }
        this.what = what;
        if (session == null) {
            begin();
        }
        tell();
        if (PlayService.running != null) {
            PlayService.running.show();
        } else if (isPlaying()) {
            start();
        }
    }

    private void begin() {
        if (current != null) {
            current.end();
        }
        current = this;
        session = new MediaSession(activity, "hull");
        session.setCallback(
                new MediaSession.Callback() {
                    @Override
                    public void onPlay() {
                        act("play", -1);
                    }

                    @Override
                    public void onPause() {
                        act("pause", -1);
                    }

                    @Override
                    public void onStop() {
                        act("stop", -1);
                    }

                    @Override
                    public void onSkipToNext() {
                        act("nexttrack", -1);
                    }

                    @Override
                    public void onSkipToPrevious() {
                        act("previoustrack", -1);
                    }

                    @Override
                    public void onFastForward() {
                        act("seekforward", -1);
                    }

                    @Override
                    public void onRewind() {
                        act("seekbackward", -1);
                    }

                    @Override
                    public void onSeekTo(long ms) {
                        act("seekto", ms / 1000.0);
                    }
                });
        setButtons();
        session.setActive(true);
    }

    /** Before API 26 a session says that it takes the keys of headphones; later ones always do. */
    @SuppressWarnings("deprecation")
    private void setButtons() {
        session.setFlags(
                MediaSession.FLAG_HANDLES_MEDIA_BUTTONS
                        | MediaSession.FLAG_HANDLES_TRANSPORT_CONTROLS);
    }

    /**
     * The user wants something of what is played.
     *
     * @param action as the standard calls it
     * @param seconds where to, for {@code seekto}
     */
    void act(String action, double seconds) {
        pages.evaluateJavascript(
                "window.hullMedia && hullMedia.act('" + action + "', " + seconds + ")", null);
    }

    private boolean hasAction(String name) {
        JSONArray actions = what.optJSONArray("actions");
        for (int i = 0; actions != null && i < actions.length(); i++) {
            if (name.equals(actions.optString(i))) {
                return true;
            }
        }
        return false;
    }

    private static long ms(double seconds) {
        return Double.isNaN(seconds) ? -1 : Math.round(seconds * 1000);
    }

    private void tell() {
        MediaMetadata.Builder about =
                new MediaMetadata.Builder()
                        .putString(MediaMetadata.METADATA_KEY_TITLE, title())
                        .putString(MediaMetadata.METADATA_KEY_ARTIST, what.optString("artist"))
                        .putString(MediaMetadata.METADATA_KEY_ALBUM, what.optString("album"))
                        .putLong(
                                MediaMetadata.METADATA_KEY_DURATION,
                                ms(what.optDouble("duration")));
        if (picture != null) {
            about.putBitmap(MediaMetadata.METADATA_KEY_ART, picture);
        }
        session.setMetadata(about.build());
        long can =
                PlaybackState.ACTION_PLAY
                        | PlaybackState.ACTION_PAUSE
                        | PlaybackState.ACTION_PLAY_PAUSE;
        for (Object[] row : ACTIONS) {
            can |= hasAction((String) row[0]) ? (Long) row[1] : 0;
        }
        session.setPlaybackState(
                new PlaybackState.Builder()
                        .setActions(can)
                        .setState(
                                isPlaying()
                                        ? PlaybackState.STATE_PLAYING
                                        : PlaybackState.STATE_PAUSED,
                                ms(what.optDouble("position")),
                                (float) what.optDouble("rate", 1))
                        .build());
    }

    private String title() {
        String title = what.optString("title");
        return title.isEmpty() ? settings.name : title;
    }

    /** The picture of what is played, as a {@code data:} address in Base64; empty for none. */
    void picture(final String url) {
        Background.run(
                new Runnable() {
                    @Override
                    public void run() {
                        final Bitmap read = read(url);
                        activity.runOnUiThread(
                                new Runnable() {
                                    @Override
                                    public void run() {
                                        picture = read;
                                        if (session != null) {
                                            said(what);
                                        }
                                    }
                                });
                    }
                });
    }

    private static Bitmap read(String url) {
        try {
            byte[] bytes = Base64.decode(url.substring(url.indexOf(',') + 1), Base64.DEFAULT);
            return bytes.length == 0 ? null : BitmapFactory.decodeByteArray(bytes, 0, bytes.length);
        } catch (IllegalArgumentException e) {
            Log.w("hull", "The picture of what is played cannot be read", e);
            return null;
        }
    }

    private void start() {
        Intent service = new Intent(activity, PlayService.class);
        try {
            if (Build.VERSION.SDK_INT >= 26) {
                activity.startForegroundService(service);
            } else {
                activity.startService(service);
            }
        } catch (IllegalStateException e) {
            // It began while another app was on screen (API 31): it is played as long as the system
            // lets it.
            Log.w("hull", "What is played has no controls", e);
        }
    }

    /** Nothing is played any more. */
    void end() {
        if (session == null) {
            return;
        }
        session.release();
        session = null;
        picture = null;
        current = null;
        if (PlayService.running != null) {
            PlayService.running.end();
        }
    }

    /** A notification in the channel of what is played. */
    @SuppressWarnings("deprecation")
    static Notification.Builder builder(Context context) {
        if (Build.VERSION.SDK_INT < 26) {
            return new Notification.Builder(context);
        }
        ((NotificationManager) context.getSystemService(Context.NOTIFICATION_SERVICE))
                .createNotificationChannel(
                        new NotificationChannel(
                                CHANNEL,
                                context.getApplicationInfo().loadLabel(context.getPackageManager()),
                                NotificationManager.IMPORTANCE_LOW));
        return new Notification.Builder(context, CHANNEL);
    }

    /** What the system shows of it. */
    Notification notification() {
        Notification.Builder builder = builder(activity);
        NoticeIcon.put(builder, activity);
        Notification.MediaStyle style =
                new Notification.MediaStyle().setMediaSession(session.getSessionToken());
        int before = hasAction("previoustrack") ? 1 : 0;
        if (before == 1) {
            builder.addAction(
                    button("previoustrack", "prev", android.R.drawable.ic_media_previous));
        }
        builder.addAction(
                isPlaying()
                        ? button("pause", "pause", android.R.drawable.ic_media_pause)
                        : button("play", "play", android.R.drawable.ic_media_play));
        if (hasAction("nexttrack")) {
            builder.addAction(button("nexttrack", "next", android.R.drawable.ic_media_next));
        }
        style.setShowActionsInCompactView(before);
        return builder.setStyle(style)
                .setContentTitle(title())
                .setContentText(what.optString("artist"))
                .setLargeIcon(picture)
                .setColor(settings.now(activity).theme)
                .setVisibility(Notification.VISIBILITY_PUBLIC)
                .setShowWhen(false)
                .setOngoing(isPlaying())
                .setContentIntent(
                        PendingIntent.getActivity(
                                activity,
                                0,
                                new Intent(activity, activity.getClass())
                                        .addFlags(Intent.FLAG_ACTIVITY_SINGLE_TOP),
                                PendingIntent.FLAG_IMMUTABLE))
                .build();
    }

    /**
     * @param word as the platform's name of its word for it ends
     */
    private Notification.Action button(String action, String word, int icon) {
        Resources system = Resources.getSystem();
        int id =
                system.getIdentifier(
                        "lockscreen_transport_" + word + "_description", "string", "android");
        return new Notification.Action.Builder(
                        Icon.createWithResource(system, icon),
                        id == 0 ? action : system.getString(id),
                        PendingIntent.getService(
                                activity,
                                0,
                                new Intent(activity, PlayService.class).setAction(action),
                                PendingIntent.FLAG_IMMUTABLE))
                .build();
    }
}
