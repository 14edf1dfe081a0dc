package jollyhull.shell;

import android.content.Context;
import android.content.res.ColorStateList;
import android.view.View;
import android.widget.ProgressBar;

/** A thin bar at the top for pages that take long; quick ones never show it. */
final class SlowBar extends ProgressBar implements Runnable {
    static final long AFTER_MS = 800;
    static final int HEIGHT_DP = 3;

    private boolean waiting;

    SlowBar(Context context, int color) {
        super(context, null, android.R.attr.progressBarStyleHorizontal);
        setMax(100);
        setProgressTintList(ColorStateList.valueOf(color));
        setVisibility(View.GONE);
    }

    void progress(int percent) {
        setProgress(percent);
        if (percent >= 100) {
            removeCallbacks(this);
            waiting = false;
            setVisibility(View.GONE);
        } else if (!waiting) {
            waiting = true;
            postDelayed(this, AFTER_MS);
        }
    }

    @Override
    public void run() {
        setVisibility(View.VISIBLE);
    }
}
