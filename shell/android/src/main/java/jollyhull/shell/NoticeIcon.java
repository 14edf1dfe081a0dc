package jollyhull.shell;

import android.content.Context;
import android.graphics.Bitmap;
import android.graphics.Canvas;
import android.graphics.drawable.Drawable;

/**
 * The picture of the app's notifications: the themed icon's layer, of which only the alpha counts.
 */
final class NoticeIcon {
    /** Side of a notification's picture in dp (Android, notification icons). */
    private static final int ICON_DP = 24;

    /**
     * An adaptive layer's whole side over its part that is always seen, in dp (Android, adaptive
     * icons).
     */
    private static final float LAYER_OVER_SEEN = 108f / 66f;

    private NoticeIcon() {}

    /** The layer, cut to what launchers show of it; null where the package has none. */
    static Bitmap draw(Context context, int id) {
        Drawable layer = id <= 0 ? null : context.getDrawable(id);
        if (layer == null) {
            return null;
        }
        int side = Pixels.of(context, ICON_DP);
        int edge = Math.round((LAYER_OVER_SEEN - 1) / 2 * side);
        Bitmap picture = Bitmap.createBitmap(side, side, Bitmap.Config.ARGB_8888);
        layer.setBounds(-edge, -edge, side + edge, side + edge);
        layer.draw(new Canvas(picture));
        return picture;
    }
}
