package jollyhull.shell;

import android.content.Context;
import android.os.Build;
import android.view.MotionEvent;
import android.webkit.WebView;

/** A view of pages that tells where they were pulled beyond their upper end. */
final class PageView extends WebView {
    /** Null until it is known who wants to know. */
    private PullReload pull;

    PageView(Context context) {
        super(context);
    }

    void setPull(PullReload pull) {
        this.pull = pull;
    }

    /**
     * Called only where the page itself is at its end, and nothing in it (a list, a map) has taken
     * the movement.
     */
    @Override
    protected void onOverScrolled(int x, int y, boolean clampedX, boolean clampedY) {
        super.onOverScrolled(x, y, clampedX, clampedY);
        if (pull != null && clampedY && y == 0) {
            pull.arm();
        }
    }

    @Override
    public boolean onTouchEvent(MotionEvent event) {
        // The page first: it may call preventDefault, and then nothing is pulled.
        boolean taken = super.onTouchEvent(event);
        if (pull != null) {
            pull.onTouch(event);
        }
        return taken;
    }

    /** The engine's version, as its package has it; 0 where that is not known. */
    static int engineVersion() {
        if (Build.VERSION.SDK_INT < 26) {
            return 0;
        }
        android.content.pm.PackageInfo engine = WebView.getCurrentWebViewPackage();
        if (engine == null || engine.versionName == null) {
            return 0;
        }
        try {
            return Integer.parseInt(engine.versionName.split("\\.")[0]);
        } catch (NumberFormatException e) {
            // An engine with another kind of version: nothing is taken for granted.
            return 0;
        }
    }
}
