package jollyhull.shell;

import android.os.Handler;
import android.os.Looper;
import android.view.View;
import android.view.ViewTreeObserver;

/**
 * Keeps the start picture until the first page is drawn, so that nothing flashes between them; but
 * not for ever.
 */
final class StartHold implements ViewTreeObserver.OnPreDrawListener {
    /**
     * A page that takes longer is waited for on the app's own ground: stores count a slow start
     * from five seconds on.
     */
    static final long LIMIT_MS = 2000;

    private final View root;
    private boolean released;

    private StartHold(View root) {
        this.root = root;
    }

    static StartHold install(View root) {
        final StartHold hold = new StartHold(root);
        root.getViewTreeObserver().addOnPreDrawListener(hold);
        new Handler(Looper.getMainLooper())
                .postDelayed(
                        new Runnable() {
                            @Override
                            public void run() {
                                hold.release();
                            }
                        },
                        LIMIT_MS);
        return hold;
    }

    @Override
    public boolean onPreDraw() {
        return released;
    }

    boolean isReleased() {
        return released;
    }

    void release() {
        if (released) {
            return;
        }
        released = true;
        root.getViewTreeObserver().removeOnPreDrawListener(this);
        root.invalidate();
    }
}
