package jollyhull.shell;

import android.app.Notification;
import android.app.Service;
import android.content.Intent;
import android.content.pm.ServiceInfo;
import android.os.Build;
import android.os.IBinder;
import android.util.Log;

/**
 * Keeps the app alive while its pages play, and holds their controls. It has nothing to show
 * without a page: what is started by itself ends at once.
 */
public class PlayService extends Service {
    private static final int ID = 1;

    /** Null while none runs. */
    static PlayService running;

    @Override
    public IBinder onBind(Intent intent) {
        return null;
    }

    @Override
    public int onStartCommand(Intent intent, int flags, int startId) {
        running = this;
        show();
        String action = intent == null ? null : intent.getAction();
        if (action != null && Playback.current != null) {
            Playback.current.act(action, -1);
        }
        return START_NOT_STICKY;
    }

    /** Shows what is played now; what is paused can be swiped away. */
    void show() {
        Playback playback = Playback.current;
        // The system wants something shown by a service that it was asked for, even where the page
        // has ended meanwhile.
        Notification shown =
                playback == null
                        ? Playback.builder(this).setSmallIcon(getApplicationInfo().icon).build()
                        : playback.notification();
        try {
            if (Build.VERSION.SDK_INT >= 29) {
                startForeground(ID, shown, ServiceInfo.FOREGROUND_SERVICE_TYPE_MEDIA_PLAYBACK);
            } else {
                startForeground(ID, shown);
            }
        } catch (IllegalStateException e) {
            // Going on was asked for while another app is on screen, in a way that the system does
            // not take for the user's (API 31).
            Log.w("hull", "The system keeps what is played in the background", e);
        }
        if (playback == null) {
            end();
        } else if (!playback.isPlaying()) {
            stopForeground(STOP_FOREGROUND_DETACH);
        }
    }

    void end() {
        running = null;
        stopForeground(STOP_FOREGROUND_REMOVE);
        stopSelf();
    }

    /** The app was swiped away: its pages are gone with it. */
    @Override
    public void onTaskRemoved(Intent root) {
        end();
    }

    @Override
    public void onDestroy() {
        if (running == this) {
            running = null;
        }
    }
}
