package jollyhull.shell;

import android.app.Activity;
import android.window.OnBackInvokedCallback;
import android.window.OnBackInvokedDispatcher;

/** The back gesture of API 33 and later: registered only while there is a page to go back to. */
final class BackCallback implements OnBackInvokedCallback {
    private final Activity activity;
    private final Runnable goBack;
    private boolean registered;

    BackCallback(Activity activity, Runnable goBack) {
        this.activity = activity;
        this.goBack = goBack;
    }

    /** While nothing is registered the system leaves the app, with its own animation. */
    void update(boolean canGoBack) {
        if (canGoBack == registered) {
            return;
        }
        OnBackInvokedDispatcher dispatcher = activity.getOnBackInvokedDispatcher();
        if (canGoBack) {
            dispatcher.registerOnBackInvokedCallback(
                    OnBackInvokedDispatcher.PRIORITY_DEFAULT, this);
        } else {
            dispatcher.unregisterOnBackInvokedCallback(this);
        }
        registered = canGoBack;
    }

    boolean isRegistered() {
        return registered;
    }

    @Override
    public void onBackInvoked() {
        goBack.run();
    }
}
