package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertTrue;

import android.graphics.Bitmap;
import android.graphics.Canvas;
import android.graphics.Color;
import android.view.View;
import java.io.File;
import java.io.FileOutputStream;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.annotation.Config;
import org.robolectric.annotation.GraphicsMode;

/** The shell's own page as the framework draws it; the picture is left in target/trouble.png to be looked at. */
@RunWith(RobolectricTestRunner.class)
@GraphicsMode(GraphicsMode.Mode.NATIVE)
@Config(minSdk = 33, maxSdk = 33, qualifiers = "w411dp-h891dp-xhdpi")
public class TroublePictureTest {
    private static final int WIDTH = 822;
    private static final int HEIGHT = 1782;

    @Test
    public void isDrawnInTheAppsColoursWithReadableWords() throws Exception {
        android.app.Activity activity = Robolectric.setupActivity(android.app.Activity.class);
        ShellSettings settings = ShellSettings.load(activity.getAssets());
        TroubleView trouble = new TroubleView(activity, settings, () -> {});
        trouble.show("offline");
        trouble.measure(
                View.MeasureSpec.makeMeasureSpec(WIDTH, View.MeasureSpec.EXACTLY),
                View.MeasureSpec.makeMeasureSpec(HEIGHT, View.MeasureSpec.EXACTLY));
        trouble.layout(0, 0, WIDTH, HEIGHT);
        Bitmap picture = Bitmap.createBitmap(WIDTH, HEIGHT, Bitmap.Config.ARGB_8888);
        trouble.draw(new Canvas(picture));
        try (FileOutputStream out = new FileOutputStream(new File("target/trouble.png"))) {
            picture.compress(Bitmap.CompressFormat.PNG, 100, out);
        }
        assertEquals(settings.backgroundColor, picture.getPixel(5, 5));
        int ink = 0;
        int button = 0;
        for (int y = 0; y < HEIGHT; y += 2) {
            for (int x = 0; x < WIDTH; x += 2) {
                int color = picture.getPixel(x, y);
                if (Color.luminance(color) < 0.05f && color != settings.themeColor) {
                    ink++;
                } else if (color == settings.themeColor) {
                    button++;
                }
            }
        }
        assertTrue("ink: " + ink, ink > 500);
        assertTrue("button: " + button, button > 2000);
    }
}
