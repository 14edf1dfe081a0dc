package jollyhull.shell;

import android.content.Context;
import android.graphics.Canvas;
import android.graphics.Paint;
import android.graphics.Path;
import android.graphics.Typeface;
import android.text.TextUtils;
import android.view.Gravity;
import android.view.View;
import android.widget.LinearLayout;
import android.widget.TextView;

/** The bar of {@code display: minimal-ui}: a page back, the page's title, reload (Web App Manifest, section "display modes"). */
final class PageBar extends LinearLayout {
    static final int HEIGHT_DP = 48;

    private static final int SIGN_DP = 20;
    private static final int STROKE_DP = 2;
    private static final int PALE = 96;

    final View back;
    final View reload;
    private final TextView title;

    PageBar(Context context, ShellSettings settings, final Runnable onBack, final Runnable onReload) {
        super(context);
        int ink = Colors.inkOn(settings.themeColor);
        setBackgroundColor(settings.themeColor);
        back = new Sign(context, ink, settings.word("back"), onBack) {
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
        reload = new Sign(context, ink, settings.word("reload"), onReload) {
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

    /** A drawn sign that can be touched. */
    private abstract static class Sign extends View {
        private final Paint paint = new Paint(Paint.ANTI_ALIAS_FLAG);

        Sign(Context context, int ink, String name, final Runnable action) {
            super(context);
            paint.setColor(ink);
            paint.setStyle(Paint.Style.STROKE);
            paint.setStrokeWidth(Pixels.of(context, STROKE_DP));
            setContentDescription(name);
            setFocusable(true);
            setOnClickListener(new OnClickListener() {
                @Override
                public void onClick(View view) {
                    action.run();
                }
            });
        }

        abstract void outline(Path path, float side);

        @Override
        public void setEnabled(boolean enabled) {
            super.setEnabled(enabled);
            paint.setAlpha(enabled ? 255 : PALE);
            invalidate();
        }

        @Override
        protected void onDraw(Canvas canvas) {
            float side = Pixels.of(getContext(), SIGN_DP);
            if (getLayoutDirection() == LAYOUT_DIRECTION_RTL) {
                canvas.scale(-1, 1, getWidth() / 2f, 0);
            }
            canvas.translate((getWidth() - side) / 2, (getHeight() - side) / 2);
            Path path = new Path();
            outline(path, side);
            canvas.drawPath(path, paint);
        }
    }
}
