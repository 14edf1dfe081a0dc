package jollyhull.shell;

import android.content.Context;
import android.graphics.Color;
import android.graphics.Typeface;
import android.graphics.drawable.GradientDrawable;
import android.view.Gravity;
import android.view.View;
import android.widget.Button;
import android.widget.LinearLayout;
import android.widget.TextView;

/** The shell's own page for a page that cannot be loaded: what happened, in a passenger's words, and a retry. */
final class TroubleView extends LinearLayout {
    private static final int MAX_TEXT_DP = 420;
    /** Below this difference in luminance the button needs an edge to be seen. */
    private static final float MIN_DIFFERENCE = 0.15f;

    private final ShellSettings settings;
    private final TextView title;
    private final TextView text;
    final Button retry;

    TroubleView(Context context, ShellSettings settings, final Runnable onRetry) {
        super(context);
        this.settings = settings;
        boolean dark = isDark(settings.backgroundColor);
        int ink = dark ? 0xfff2f4f5 : Colors.DARK_INK;
        setOrientation(VERTICAL);
        setGravity(Gravity.CENTER);
        setBackgroundColor(settings.backgroundColor);
        setClickable(true);
        int side = dp(32);
        setPadding(side, side, side, side);

        title = label(22, ink);
        title.setTypeface(Typeface.DEFAULT_BOLD);
        text = label(16, ink);
        text.setLineSpacing(0, 1.25f);
        text.setPadding(0, dp(12), 0, dp(28));

        retry = new Button(context);
        retry.setText(settings.word("retry"));
        retry.setAllCaps(false);
        retry.setTextSize(16);
        retry.setMinHeight(dp(48));
        retry.setPadding(dp(28), 0, dp(28), 0);
        retry.setTextColor(Colors.inkOn(settings.themeColor));
        retry.setStateListAnimator(null);
        GradientDrawable shape = new GradientDrawable();
        shape.setColor(settings.themeColor);
        shape.setCornerRadius(dp(24));
        if (Math.abs(Color.luminance(settings.themeColor) - Color.luminance(settings.backgroundColor)) < MIN_DIFFERENCE) {
            shape.setStroke(dp(1), ink);
        }
        retry.setBackground(shape);
        retry.setOnClickListener(new OnClickListener() {
            @Override
            public void onClick(View view) {
                onRetry.run();
            }
        });

        addView(title, new LayoutParams(LayoutParams.WRAP_CONTENT, LayoutParams.WRAP_CONTENT));
        addView(text, new LayoutParams(LayoutParams.WRAP_CONTENT, LayoutParams.WRAP_CONTENT));
        addView(retry, new LayoutParams(LayoutParams.WRAP_CONTENT, LayoutParams.WRAP_CONTENT));
        setVisibility(GONE);
    }

    private TextView label(int size, int color) {
        TextView view = new TextView(getContext());
        view.setTextSize(size);
        view.setTextColor(color);
        view.setGravity(Gravity.CENTER);
        view.setMaxWidth(dp(MAX_TEXT_DP));
        return view;
    }

    private int dp(int value) {
        return Pixels.of(getContext(), value);
    }

    /** Shows one of the shell's messages: {@code offline} or {@code unsafe}. */
    void show(String why) {
        title.setText(settings.word(why + "Title"));
        text.setText(settings.word(why + "Text"));
        retry.setEnabled(true);
        retry.setText(settings.word("retry"));
        if (getVisibility() != VISIBLE) {
            setVisibility(VISIBLE);
            announceForAccessibility(title.getText());
        }
    }

    /** Says that the page is being asked for again. */
    void trying() {
        retry.setEnabled(false);
        retry.setText(settings.word("trying"));
    }

    void hide() {
        setVisibility(GONE);
    }

    boolean isShown(String why) {
        return getVisibility() == VISIBLE && title.getText().toString().equals(settings.word(why + "Title"));
    }

    /** Relative luminance below the middle (WCAG 2.2, "relative luminance"). */
    static boolean isDark(int color) {
        return Color.luminance(color) < 0.18f;
    }
}
