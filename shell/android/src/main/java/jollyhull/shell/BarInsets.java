package jollyhull.shell;

import android.content.Context;
import android.graphics.Color;
import android.os.Build;
import android.view.View;
import android.view.ViewGroup;
import android.view.Window;
import android.view.WindowInsets;
import android.view.WindowInsetsController;
import android.widget.FrameLayout;

import java.util.Arrays;

/**
 * Keeps content out from under system bars, cutouts and the keyboard, and colours what lies behind
 * the bars.
 */
final class BarInsets implements View.OnApplyWindowInsetsListener {
    /** Before API 30; the theme's own flags, such as dark symbols, are set beside these. */
    private static final int HIDDEN =
            View.SYSTEM_UI_FLAG_FULLSCREEN
                    | View.SYSTEM_UI_FLAG_HIDE_NAVIGATION
                    | View.SYSTEM_UI_FLAG_IMMERSIVE_STICKY;

    private final FrameLayout root;
    private final View topStrip;

    /** Pages reach the screen's edges; only the keyboard is kept clear of. */
    private final boolean covers;

    /** Whether the engine itself keeps pages clear of the keyboard, where they reach the edges. */
    private boolean engineKnowsKeyboard;

    private Listener listener;
    private int[] last = new int[4];

    /** Who else has to know what covers the window's edges. */
    interface Listener {
        /**
         * @param edges left, top, right and bottom, in pixels; all 0 where the frame itself keeps
         *     content clear
         */
        void covered(int[] edges);
    }

    private BarInsets(FrameLayout root, View topStrip, boolean covers) {
        this.root = root;
        this.topStrip = topStrip;
        this.covers = covers;
    }

    /**
     * What a window's content goes into: padded by what covers it, with a strip of colour behind
     * the status bar.
     */
    static BarInsets frame(Context context, ShellSettings settings) {
        FrameLayout root = new FrameLayout(context);
        root.setClipToPadding(false);
        View topStrip = new View(context);
        root.addView(
                topStrip, new FrameLayout.LayoutParams(ViewGroup.LayoutParams.MATCH_PARENT, 0));
        boolean covers = settings.covers() && Build.VERSION.SDK_INT >= 30;
        BarInsets insets = new BarInsets(root, topStrip, covers);
        insets.paint(settings.now(context));
        root.setOnApplyWindowInsetsListener(insets);
        return insets;
    }

    FrameLayout root() {
        return root;
    }

    void paint(Colors colors) {
        root.setBackgroundColor(colors.background);
        topStrip.setBackgroundColor(colors.theme);
    }

    /** Dark or light symbols in the bars, as the theme has them until the colour scheme changes. */
    static void paintSymbols(Window window, Colors colors) {
        boolean onTop = !TroubleView.isDark(colors.theme);
        boolean below = !TroubleView.isDark(colors.background);
        if (Build.VERSION.SDK_INT >= 30) {
            // The theme has set these here, and the older flags no longer count.
            int both =
                    WindowInsetsController.APPEARANCE_LIGHT_STATUS_BARS
                            | WindowInsetsController.APPEARANCE_LIGHT_NAVIGATION_BARS;
            WindowInsetsController controller = window.getInsetsController();
            if (controller != null) {
                controller.setSystemBarsAppearance(
                        (onTop ? WindowInsetsController.APPEARANCE_LIGHT_STATUS_BARS : 0)
                                | (below
                                        ? WindowInsetsController.APPEARANCE_LIGHT_NAVIGATION_BARS
                                        : 0),
                        both);
            }
            return;
        }
        View decor = window.getDecorView();
        int flags =
                decor.getSystemUiVisibility()
                        & ~(View.SYSTEM_UI_FLAG_LIGHT_STATUS_BAR
                                | View.SYSTEM_UI_FLAG_LIGHT_NAVIGATION_BAR);
        decor.setSystemUiVisibility(
                flags
                        | (onTop ? View.SYSTEM_UI_FLAG_LIGHT_STATUS_BAR : 0)
                        | (below && Build.VERSION.SDK_INT >= 27
                                ? View.SYSTEM_UI_FLAG_LIGHT_NAVIGATION_BAR
                                : 0));
        window.setStatusBarColor(colors.theme);
        // Before API 27 the navigation bar's symbols are always white, so a light colour would
        // hide them.
        window.setNavigationBarColor(
                below && Build.VERSION.SDK_INT < 27 ? Color.BLACK : colors.background);
    }

    /**
     * @param engineKnowsKeyboard from about version 136 on the engine shrinks what pages see by the
     *     keyboard itself
     */
    void follow(boolean engineKnowsKeyboard, Listener listener) {
        this.engineKnowsKeyboard = engineKnowsKeyboard;
        this.listener = listener;
    }

    /**
     * Makes the window of such a frame edge to edge on API 30 and later (as 35 and later enforce
     * anyway).
     */
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
                controller.setSystemBarsBehavior(
                        WindowInsetsController.BEHAVIOR_SHOW_TRANSIENT_BARS_BY_SWIPE);
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
        if (covers) {
            int keyboard = insets.getInsets(WindowInsets.Type.ime()).bottom;
            root.setPadding(0, 0, 0, engineKnowsKeyboard ? 0 : keyboard);
            android.graphics.Insets edges =
                    insets.getInsets(
                            WindowInsets.Type.systemBars() | WindowInsets.Type.displayCutout());
            // Above the keyboard nothing covers the window's lower edge any more.
            tell(edges.left, edges.top, edges.right, keyboard > 0 ? 0 : edges.bottom);
            return insets;
        }
        int left;
        int top;
        int right;
        int bottom;
        if (Build.VERSION.SDK_INT >= 30) {
            android.graphics.Insets covered =
                    insets.getInsets(
                            WindowInsets.Type.systemBars()
                                    | WindowInsets.Type.displayCutout()
                                    | WindowInsets.Type.ime());
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
        strip.height = top;
        strip.topMargin = -top;
        strip.leftMargin = -left;
        strip.rightMargin = -right;
        topStrip.setLayoutParams(strip);
        return Build.VERSION.SDK_INT >= 30
                ? WindowInsets.CONSUMED
                : insets.consumeSystemWindowInsets();
    }

    private void tell(int... edges) {
        if (!Arrays.equals(last, edges)) {
            last = edges;
            if (listener != null) {
                listener.covered(edges);
            }
        }
    }

    /** What covers the window's edges, in pixels: left, top, right, bottom. */
    int[] edges() {
        return last.clone();
    }
}
