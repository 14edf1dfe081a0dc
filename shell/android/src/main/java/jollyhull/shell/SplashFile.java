package jollyhull.shell;

import android.content.Context;
import android.graphics.Bitmap;
import android.graphics.Canvas;
import android.graphics.drawable.Drawable;
import android.net.Uri;
import android.util.Log;

import java.io.File;
import java.io.FileOutputStream;
import java.io.IOException;

/**
 * The start picture as a file that the browser shows until the first page is drawn, so that nothing
 * flashes.
 */
final class SplashFile {
    /**
     * dp, as the theme's own start picture (Android 12 splash screens, without an icon background).
     */
    static final int SIDE_DP = 288;

    private SplashFile() {}

    /** Address of the picture for another app; null where there is none or it cannot be written. */
    static Uri write(Context context) {
        int id =
                context.getResources()
                        .getIdentifier("splash_icon", "drawable", context.getPackageName());
        Drawable icon = id == 0 ? null : context.getDrawable(id);
        if (icon == null) {
            return null;
        }
        File file = ShotFiles.splash(context);
        File whole = new File(context.getPackageCodePath());
        // Drawn once for each version of the app.
        if (file.length() == 0 || file.lastModified() < whole.lastModified()) {
            int side = Pixels.of(context, SIDE_DP);
            Bitmap picture = Bitmap.createBitmap(side, side, Bitmap.Config.ARGB_8888);
            icon.setBounds(0, 0, side, side);
            icon.draw(new Canvas(picture));
            try {
                FileOutputStream out = new FileOutputStream(file);
                try {
                    picture.compress(Bitmap.CompressFormat.PNG, 100, out);
                } finally {
                    out.close();
                }
            } catch (IOException e) {
                Log.w("hull", "The start picture could not be handed to the browser", e);
                return null;
            }
        }
        return ShotFiles.uriOf(context, file);
    }
}
