package jollyhull.shell;

import android.app.Activity;
import android.app.Notification;
import android.content.Context;
import android.content.pm.PackageManager;
import android.graphics.Bitmap;
import android.graphics.Canvas;
import android.graphics.drawable.Drawable;
import android.graphics.drawable.Icon;
import android.os.Bundle;

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

    /** Gives a notification the picture that the manifest names, else the app's icon. */
    static void put(Notification.Builder notification, Activity activity) {
        Bitmap picture = draw(activity, idOf(activity));
        if (picture == null) {
            notification.setSmallIcon(activity.getApplicationInfo().icon);
        } else {
            notification.setSmallIcon(Icon.createWithBitmap(picture));
        }
    }

    private static int idOf(Activity activity) {
        try {
            Bundle told =
                    activity.getPackageManager()
                            .getActivityInfo(
                                    activity.getComponentName(), PackageManager.GET_META_DATA)
                            .metaData;
            return told == null ? 0 : told.getInt(Notices.ICON);
        } catch (PackageManager.NameNotFoundException e) {
            return 0;
        }
    }

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
