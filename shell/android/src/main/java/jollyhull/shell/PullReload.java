package jollyhull.shell;

import android.view.MotionEvent;
import android.view.View;
import android.webkit.WebView;

/** Reloads a page when it is pulled down from its very top. Only where the app asks for it. */
final class PullReload implements View.OnTouchListener {
    private static final int PULL_DP = 140;

    private final WebView pages;
    private float from = -1;

    PullReload(WebView pages) {
        this.pages = pages;
    }

    @Override
    public boolean onTouch(View view, MotionEvent event) {
        int action = event.getActionMasked();
        if (action == MotionEvent.ACTION_DOWN) {
            from = pages.getScrollY() == 0 ? event.getY() : -1;
        } else if (action == MotionEvent.ACTION_POINTER_DOWN || pages.getScrollY() > 0) {
            from = -1;
        } else if (action == MotionEvent.ACTION_UP && from >= 0) {
            float far = PULL_DP * pages.getResources().getDisplayMetrics().density;
            if (event.getY() - from > far) {
                pages.reload();
            }
            from = -1;
        }
        return false;
    }
}
