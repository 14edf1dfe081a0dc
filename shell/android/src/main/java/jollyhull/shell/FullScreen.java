package jollyhull.shell;

import android.app.Activity;
import android.content.pm.ActivityInfo;
import android.graphics.Color;
import android.view.View;
import android.view.ViewGroup;
import android.view.ViewGroup.LayoutParams;
import android.webkit.WebChromeClient;
import android.widget.FrameLayout;

/**
 * What a page shows in full screen, such as a video: over everything, and turned as the user likes.
 */
final class FullScreen {
    private final Activity activity;
    private final ShellSettings settings;

    /** Null where nothing is shown so. */
    private View view;

    private WebChromeClient.CustomViewCallback callback;
    private int orientation;

    FullScreen(Activity activity, ShellSettings settings) {
        this.activity = activity;
        this.settings = settings;
    }

    boolean isShown() {
        return view != null;
    }

    void show(View shown, WebChromeClient.CustomViewCallback told) {
        if (view != null) {
            told.onCustomViewHidden();
            return;
        }
        view = shown;
        callback = told;
        view.setBackgroundColor(Color.BLACK);
        ((ViewGroup) activity.getWindow().getDecorView())
                .addView(
                        view,
                        new FrameLayout.LayoutParams(
                                LayoutParams.MATCH_PARENT, LayoutParams.MATCH_PARENT));
        BarInsets.hideBars(activity.getWindow());
        // A video may be turned, also where the app's pages may not.
        orientation = activity.getRequestedOrientation();
        activity.setRequestedOrientation(ActivityInfo.SCREEN_ORIENTATION_FULL_USER);
    }

    void hide() {
        if (view == null) {
            return;
        }
        ((ViewGroup) activity.getWindow().getDecorView()).removeView(view);
        view = null;
        callback.onCustomViewHidden();
        activity.setRequestedOrientation(orientation);
        if (!settings.fullscreen) {
            BarInsets.showBars(activity.getWindow());
        }
    }
}
