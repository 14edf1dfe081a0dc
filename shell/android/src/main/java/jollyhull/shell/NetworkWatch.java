package jollyhull.shell;

import android.content.Context;
import android.net.ConnectivityManager;
import android.net.Network;
import android.os.Handler;
import android.os.Looper;

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
            running = true;
            connectivity.registerDefaultNetworkCallback(this);
        }
    }

    void stop() {
        if (running) {
            running = false;
            main.removeCallbacks(connected);
            connectivity.unregisterNetworkCallback(this);
        }
    }

    @Override
    public void onAvailable(Network network) {
        main.post(connected);
    }
}
