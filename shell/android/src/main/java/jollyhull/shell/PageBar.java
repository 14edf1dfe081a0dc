package jollyhull.shell;

import android.content.Context;
import android.graphics.Path;
import android.graphics.Typeface;
import android.text.TextUtils;
import android.view.Gravity;
import android.view.View;
import android.widget.LinearLayout;
import android.widget.TextView;

/**
 * The bar of {@code display: minimal-ui}: a page back, the page's title, reload (Web App Manifest,
 * section "display modes").
 */
final class PageBar extends LinearLayout {
    static final int HEIGHT_DP = 48;

    final View back;
    final View reload;
    private final TextView title;

    PageBar(
            Context context,
            ShellSettings settings,
            final Runnable onBack,
            final Runnable onReload) {
        super(context);
        Colors colors = settings.now(context);
        int ink = Colors.inkOn(colors.theme);
        setBackgroundColor(colors.theme);
        back =
                new Sign(context, ink, settings.word("back"), onBack) {
                    /** An arrow against the direction of reading. */
                    @Override
                    void outline(Path path, float side) {
                        path.moveTo(side, side / 2);
                        path.lineTo(0, side / 2);
                        path.moveTo(side * 0.42f, side * 0.08f);
                        path.lineTo(0, side / 2);
                        path.lineTo(side * 0.42f, side * 0.92f);
                    }
                };
        reload =
                new Sign(context, ink, settings.word("reload"), onReload) {
                    /** An open circle with a point. */
                    @Override
                    void outline(Path path, float side) {
                        path.addArc(0, 0, side, side, 0, 300);
                        path.moveTo(side * 0.45f, side * 0.08f);
                        path.lineTo(side * 0.76f, side * 0.08f);
                        path.lineTo(side * 0.62f, -side * 0.19f);
                    }
                };
        title = new TextView(context);
        title.setTextColor(ink);
        title.setTextSize(16);
        title.setTypeface(Typeface.DEFAULT_BOLD);
        title.setGravity(Gravity.CENTER_VERTICAL);
        title.setMaxLines(1);
        title.setEllipsize(TextUtils.TruncateAt.END);
        int side = Pixels.of(context, HEIGHT_DP);
        addView(back, new LayoutParams(side, side));
        addView(title, new LayoutParams(0, side, 1));
        addView(reload, new LayoutParams(side, side));
    }

    void update(boolean canGoBack, CharSequence name) {
        back.setEnabled(canGoBack);
        title.setText(name);
    }

    String title() {
        return title.getText().toString();
    }
}
