package jollyhull.shell;

import android.content.Context;
import android.net.ConnectivityManager;
import android.net.Network;
import android.os.Handler;
import android.os.Looper;
import android.util.Log;

/** Tells, on the main thread, when the device is connected again. */
final class NetworkWatch extends ConnectivityManager.NetworkCallback {
    private final ConnectivityManager connectivity;
    private final Handler main = new Handler(Looper.getMainLooper());
    private final Runnable connected;
    private boolean running;

    NetworkWatch(Context context, Runnable connected) {
        this.connectivity = of(context);
        this.connected = connected;
    }

    static boolean isConnected(Context context) {
        ConnectivityManager connectivity = of(context);
        return connectivity != null && connectivity.getActiveNetwork() != null;
    }

    private static ConnectivityManager of(Context context) {
        return (ConnectivityManager) context.getSystemService(Context.CONNECTIVITY_SERVICE);
    }

    void start() {
        if (!running && connectivity != null) {
            try {
                connectivity.registerDefaultNetworkCallback(this);
                running = true;
            } catch (RuntimeException e) {
                // Some devices let an app watch only so often, or not at all: the retry button is
                // still there.
                Log.w("hull", "Network not watched", e);
            }
        }
    }

    void stop() {
        if (running) {
            running = false;
            main.removeCallbacks(connected);
            try {
                connectivity.unregisterNetworkCallback(this);
            } catch (RuntimeException e) {
                Log.w("hull", "Network callback already gone", e);
            }
        }
    }

    @Override
    public void onAvailable(Network network) {
        main.post(connected);
    }
}
