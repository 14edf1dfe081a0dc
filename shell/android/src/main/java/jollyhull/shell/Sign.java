package jollyhull.shell;

import android.content.Context;
import android.graphics.Canvas;
import android.graphics.Paint;
import android.graphics.Path;
import android.view.View;

/** A drawn sign that can be touched: no font has to have it. */
abstract class Sign extends View {
    private static final int SIGN_DP = 20;
    private static final int STROKE_DP = 2;
    private static final int PALE = 96;

    private final Paint paint = new Paint(Paint.ANTI_ALIAS_FLAG);

    Sign(Context context, int ink, String name, final Runnable action) {
        super(context);
        paint.setColor(ink);
        paint.setStyle(Paint.Style.STROKE);
        paint.setStrokeWidth(Pixels.of(context, STROKE_DP));
        setContentDescription(name);
        setFocusable(true);
        setOnClickListener(
                new OnClickListener() {
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
