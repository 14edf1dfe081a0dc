package jollyhull.shell;

import android.content.Context;

/** Sizes on this device's screen. */
final class Pixels {
    private Pixels() {}

    /**
     * @param dp density-independent pixels
     */
    static int of(Context context, int dp) {
        return Math.round(dp * context.getResources().getDisplayMetrics().density);
    }
}
