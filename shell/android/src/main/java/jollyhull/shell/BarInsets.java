package jollyhull.shell;

import android.content.Context;
import android.os.Build;
import android.view.View;
import android.view.ViewGroup;
import android.view.Window;
import android.view.WindowInsets;
import android.view.WindowInsetsController;
import android.widget.FrameLayout;

/** Keeps content out from under system bars, cutouts and the keyboard, and colours what lies behind the bars. */
final class BarInsets implements View.OnApplyWindowInsetsListener {
    /** Before API 30; the theme's own flags, such as dark symbols, are set beside these. */
    private static final int HIDDEN = View.SYSTEM_UI_FLAG_FULLSCREEN
            | View.SYSTEM_UI_FLAG_HIDE_NAVIGATION
            | View.SYSTEM_UI_FLAG_IMMERSIVE_STICKY;

    private final FrameLayout root;
    private final View topStrip;
    /** Pages reach the screen's edges; only the keyboard is kept clear of. */
    private final boolean covers;

    private BarInsets(FrameLayout root, View topStrip, boolean covers) {
        this.root = root;
        this.topStrip = topStrip;
        this.covers = covers;
    }

    /** What a window's content goes into: padded by what covers it, with a strip of colour behind the status bar. */
    static FrameLayout frame(Context context, ShellSettings settings) {
        FrameLayout root = new FrameLayout(context);
        root.setBackgroundColor(settings.backgroundColor);
        root.setClipToPadding(false);
        View topStrip = new View(context);
        topStrip.setBackgroundColor(settings.themeColor);
        root.addView(topStrip, new FrameLayout.LayoutParams(ViewGroup.LayoutParams.MATCH_PARENT, 0));
        boolean covers = settings.covers && Build.VERSION.SDK_INT >= 30;
        root.setOnApplyWindowInsetsListener(new BarInsets(root, topStrip, covers));
        return root;
    }

    /** Makes the window of such a frame edge to edge on API 30 and later (as 35 and later enforce anyway). */
    static void install(Window window, boolean fullscreen) {
        if (Build.VERSION.SDK_INT >= 30) {
            window.setDecorFitsSystemWindows(false);
            if (Build.VERSION.SDK_INT < 35) {
                window.setStatusBarColor(0);
                window.setNavigationBarColor(0);
            }
            window.setNavigationBarContrastEnforced(false);
        }
        if (fullscreen) {
            hideBars(window);
        }
    }

    /** Shows nothing but the app; a swipe from the edge shows the bars for a moment. */
    static void hideBars(Window window) {
        if (Build.VERSION.SDK_INT >= 30) {
            WindowInsetsController controller = window.getInsetsController();
            if (controller != null) {
                controller.setSystemBarsBehavior(WindowInsetsController.BEHAVIOR_SHOW_TRANSIENT_BARS_BY_SWIPE);
                controller.hide(WindowInsets.Type.systemBars());
            }
        } else {
            View decor = window.getDecorView();
            decor.setSystemUiVisibility(decor.getSystemUiVisibility() | HIDDEN);
        }
    }

    static void showBars(Window window) {
        if (Build.VERSION.SDK_INT >= 30) {
            WindowInsetsController controller = window.getInsetsController();
            if (controller != null) {
                controller.show(WindowInsets.Type.systemBars());
            }
        } else {
            View decor = window.getDecorView();
            decor.setSystemUiVisibility(decor.getSystemUiVisibility() & ~HIDDEN);
        }
    }

    @Override
    public WindowInsets onApplyWindowInsets(View view, WindowInsets insets) {
        int left;
        int top;
        int right;
        int bottom;
        if (covers) {
            int keyboard = insets.getInsets(WindowInsets.Type.ime()).bottom;
            root.setPadding(0, 0, 0, keyboard);
            // The view learns of bars and cutout itself: env(safe-area-inset-*).
            return insets;
        }
        if (Build.VERSION.SDK_INT >= 30) {
            android.graphics.Insets covered = insets.getInsets(
                    WindowInsets.Type.systemBars() | WindowInsets.Type.displayCutout() | WindowInsets.Type.ime());
            left = covered.left;
            top = covered.top;
            right = covered.right;
            bottom = covered.bottom;
        } else {
            left = insets.getSystemWindowInsetLeft();
            top = insets.getSystemWindowInsetTop();
            right = insets.getSystemWindowInsetRight();
            bottom = insets.getSystemWindowInsetBottom();
        }
        root.setPadding(left, top, right, bottom);
        FrameLayout.LayoutParams strip = (FrameLayout.LayoutParams) topStrip.getLayoutParams();
        if (strip.height != top) {
            strip.height = top;
            strip.topMargin = -top;
            strip.leftMargin = -left;
            strip.rightMargin = -right;
            topStrip.setLayoutParams(strip);
        }
        return Build.VERSION.SDK_INT >= 30 ? WindowInsets.CONSUMED : insets.consumeSystemWindowInsets();
    }
}
