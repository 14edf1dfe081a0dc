package jollyhull.shell;

import android.content.Context;
import android.graphics.Color;
import android.graphics.Typeface;
import android.graphics.drawable.GradientDrawable;
import android.view.Gravity;
import android.view.View;
import android.widget.Button;
import android.widget.LinearLayout;
import android.widget.ScrollView;
import android.widget.TextView;

/**
 * The shell's own page for a page that cannot be loaded: what happened, in a passenger's words, and
 * a retry.
 */
final class TroubleView extends ScrollView {
    private static final int MAX_TEXT_DP = 420;

    /** Below this difference in luminance the button needs an edge to be seen. */
    private static final float MIN_DIFFERENCE = 0.15f;

    private final ShellSettings settings;
    private final TextView title;
    private final TextView text;
    final Button retry;

    /** Null while nothing is wrong. */
    private Trouble shown;

    TroubleView(Context context, ShellSettings settings, final Runnable onRetry) {
        super(context);
        this.settings = settings;
        Colors colors = settings.now(context);
        int ink = isDark(colors.background) ? 0xfff2f4f5 : Colors.DARK_INK;
        setBackgroundColor(colors.background);
        setClickable(true);
        setFillViewport(true);
        LinearLayout column = new LinearLayout(context);
        column.setOrientation(LinearLayout.VERTICAL);
        column.setGravity(Gravity.CENTER);
        int side = dp(32);
        column.setPadding(side, side, side, side);

        title = label(22, ink);
        title.setTypeface(Typeface.DEFAULT_BOLD);
        text = label(16, ink);
        text.setLineSpacing(0, 1.25f);
        text.setPadding(0, dp(12), 0, dp(28));

        retry = new Button(context);
        retry.setAllCaps(false);
        retry.setTextSize(16);
        retry.setMinHeight(dp(48));
        retry.setPadding(dp(28), 0, dp(28), 0);
        retry.setTextColor(Colors.inkOn(colors.theme));
        retry.setStateListAnimator(null);
        GradientDrawable shape = new GradientDrawable();
        shape.setColor(colors.theme);
        shape.setCornerRadius(dp(24));
        if (Math.abs(Color.luminance(colors.theme) - Color.luminance(colors.background))
                < MIN_DIFFERENCE) {
            shape.setStroke(dp(1), ink);
        }
        retry.setBackground(shape);
        retry.setOnClickListener(
                new OnClickListener() {
                    @Override
                    public void onClick(View view) {
                        onRetry.run();
                    }
                });

        for (View part : new View[] {title, text, retry}) {
            column.addView(
                    part,
                    new LinearLayout.LayoutParams(
                            LayoutParams.WRAP_CONTENT, LayoutParams.WRAP_CONTENT));
        }
        addView(column, new LayoutParams(LayoutParams.MATCH_PARENT, LayoutParams.WRAP_CONTENT));
        setVisibility(GONE);
    }

    private TextView label(int size, int color) {
        TextView view = new TextView(getContext());
        view.setTextSize(size);
        view.setTextColor(color);
        view.setGravity(Gravity.CENTER);
        // Not by its first letters: a text from right to left may begin with a name that is not.
        view.setTextDirection(TEXT_DIRECTION_LOCALE);
        view.setMaxWidth(dp(MAX_TEXT_DP));
        return view;
    }

    private int dp(int value) {
        return Pixels.of(getContext(), value);
    }

    void show(Trouble why) {
        boolean isNew = shown != why;
        shown = why;
        title.setText(settings.word(why.title));
        text.setText(why.text.isEmpty() ? "" : settings.word(why.text));
        retry.setEnabled(true);
        retry.setText(settings.word(why.button));
        setVisibility(VISIBLE);
        if (isNew) {
            announceForAccessibility(title.getText());
        }
    }

    /** Says that the page is being asked for again. */
    void trying() {
        retry.setEnabled(false);
        retry.setText(settings.word("trying"));
    }

    void hide() {
        shown = null;
        setVisibility(GONE);
    }

    /** What is wrong; null while nothing is. */
    Trouble shown() {
        return shown;
    }

    /** Relative luminance below the middle (WCAG 2.2, "relative luminance"). */
    static boolean isDark(int color) {
        return Color.luminance(color) < 0.18f;
    }
}
