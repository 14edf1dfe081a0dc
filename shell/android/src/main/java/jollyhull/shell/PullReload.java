package jollyhull.shell;

import android.content.res.ColorStateList;
import android.graphics.drawable.GradientDrawable;
import android.view.Gravity;
import android.view.MotionEvent;
import android.view.View;
import android.widget.FrameLayout;
import android.widget.ProgressBar;

/**
 * Reloads a page that is pulled down beyond its upper end, and shows how far there is still to go.
 * Only where the app asks for it. Scrolling of a list in the page does not count: only the page's
 * own end arms it (PageView).
 */
final class PullReload {
    private static final int PULL_DP = 140;
    private static final int SIDE_DP = 40;
    private static final int RING_DP = 8;

    private final Runnable reload;
    private final float far;
    final ProgressBar ring;

    /** Where the pull began, in pixels; below 0 while nothing is pulled. */
    private float from = -1;

    private float at;
    private boolean isDown;

    PullReload(FrameLayout room, Colors colors, Runnable reload) {
        this.reload = reload;
        far = Pixels.of(room.getContext(), PULL_DP);
        int side = Pixels.of(room.getContext(), SIDE_DP);
        int edge = Pixels.of(room.getContext(), RING_DP);
        ring = new ProgressBar(room.getContext());
        GradientDrawable disc = new GradientDrawable();
        disc.setShape(GradientDrawable.OVAL);
        disc.setColor(colors.theme);
        ring.setBackground(disc);
        ring.setPadding(edge, edge, edge, edge);
        ring.setIndeterminateTintList(ColorStateList.valueOf(Colors.inkOn(colors.theme)));
        ring.setImportantForAccessibility(View.IMPORTANT_FOR_ACCESSIBILITY_NO);
        ring.setVisibility(View.GONE);
        room.addView(
                ring,
                new FrameLayout.LayoutParams(side, side, Gravity.TOP | Gravity.CENTER_HORIZONTAL));
    }

    /** The page is at its upper end, and is pulled on. */
    void arm() {
        if (isDown && from < 0) {
            from = at;
        }
    }

    private float pulled() {
        return from < 0 ? 0 : Math.max(0, Math.min(1, (at - from) / far));
    }

    void onTouch(MotionEvent event) {
        int action = event.getActionMasked();
        at = event.getY();
        if (action == MotionEvent.ACTION_DOWN) {
            isDown = true;
            from = -1;
        } else if (action == MotionEvent.ACTION_UP && pulled() == 1) {
            end();
            reload.run();
        } else if (action != MotionEvent.ACTION_MOVE) {
            end();
        }
        ring.setVisibility(pulled() > 0.1f ? View.VISIBLE : View.GONE);
        ring.setTranslationY(pulled() * far / 2);
        ring.setAlpha(pulled() < 1 ? 0.3f + pulled() / 2 : 1);
    }

    private void end() {
        isDown = false;
        from = -1;
    }
}
