package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertTrue;

import android.graphics.Bitmap;
import android.graphics.Canvas;
import android.graphics.Color;
import android.os.LocaleList;
import android.view.View;
import android.widget.LinearLayout;

import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;
import org.robolectric.annotation.GraphicsMode;

import java.io.File;
import java.io.FileOutputStream;
import java.util.Locale;

/**
 * The shell's own page as the framework draws it; the picture is left in target/trouble.png to be
 * looked at.
 */
@RunWith(RobolectricTestRunner.class)
@GraphicsMode(GraphicsMode.Mode.NATIVE)
@Config(minSdk = 33, maxSdk = 33, qualifiers = "w411dp-h891dp-xhdpi")
public class TroublePictureTest {
    private static final int WIDTH = 822;
    private static final int HEIGHT = 1782;

    @Test
    public void isDrawnInTheAppsColoursWithReadableWords() throws Exception {
        android.app.Activity activity = Robolectric.setupActivity(android.app.Activity.class);
        ShellSettings settings = ShellSettings.of(activity);
        TroubleView trouble = new TroubleView(activity, settings, () -> {});
        trouble.show(Trouble.OFFLINE);
        trouble.measure(
                View.MeasureSpec.makeMeasureSpec(WIDTH, View.MeasureSpec.EXACTLY),
                View.MeasureSpec.makeMeasureSpec(HEIGHT, View.MeasureSpec.EXACTLY));
        trouble.layout(0, 0, WIDTH, HEIGHT);
        Bitmap picture = Bitmap.createBitmap(WIDTH, HEIGHT, Bitmap.Config.ARGB_8888);
        trouble.draw(new Canvas(picture));
        try (FileOutputStream out = new FileOutputStream(new File("target/trouble.png"))) {
            picture.compress(Bitmap.CompressFormat.PNG, 100, out);
        }
        assertEquals(settings.light.background, picture.getPixel(5, 5));
        int ink = 0;
        int button = 0;
        for (int y = 0; y < HEIGHT; y += 2) {
            for (int x = 0; x < WIDTH; x += 2) {
                int color = picture.getPixel(x, y);
                if (Color.luminance(color) < 0.05f && color != settings.light.theme) {
                    ink++;
                } else if (color == settings.light.theme) {
                    button++;
                }
            }
        }
        assertTrue("ink: " + ink, ink > 500);
        assertTrue("button: " + button, button > 2000);
    }

    /**
     * Left in target/trouble-landscape.png, to be looked at: a small window, large letters, from
     * right to left.
     */
    @Test
    @Config(qualifiers = "ar-ldrtl-w640dp-h320dp-land-xhdpi")
    public void fitsASmallWindowWithLargeLettersFromRightToLeft() throws Exception {
        RuntimeEnvironment.setFontScale(1.6f);
        LocaleList before = LocaleList.getDefault();
        LocaleList.setDefault(new LocaleList(Locale.forLanguageTag("ar")));
        try {
            android.app.Activity activity = Robolectric.setupActivity(android.app.Activity.class);
            ShellSettings settings = TestSite.settings("/", false);
            LinearLayout all = new LinearLayout(activity);
            all.setOrientation(LinearLayout.VERTICAL);
            all.setLayoutDirection(View.LAYOUT_DIRECTION_RTL);
            AddressBar bar = new AddressBar(activity, settings, () -> {});
            bar.show("https://a-bank-with-a-long-name.isles.example/confirm");
            all.addView(bar, new LinearLayout.LayoutParams(1280, 96));
            TroubleView trouble = new TroubleView(activity, settings, () -> {});
            trouble.show(Trouble.NO_ENGINE);
            all.addView(trouble, new LinearLayout.LayoutParams(1280, 544));
            all.measure(
                    View.MeasureSpec.makeMeasureSpec(1280, View.MeasureSpec.EXACTLY),
                    View.MeasureSpec.makeMeasureSpec(640, View.MeasureSpec.EXACTLY));
            all.layout(0, 0, 1280, 640);
            Bitmap picture = Bitmap.createBitmap(1280, 640, Bitmap.Config.ARGB_8888);
            all.draw(new Canvas(picture));
            try (FileOutputStream out =
                    new FileOutputStream(new File("target/trouble-landscape.png"))) {
                picture.compress(Bitmap.CompressFormat.PNG, 100, out);
            }
            assertTrue("the cross is at the right", bar.close.getLeft() > 1000);
            assertTrue("the button is whole", trouble.retry.getHeight() >= 96);
            assertEquals("إعادة المحاولة", trouble.retry.getText().toString());
        } finally {
            LocaleList.setDefault(before);
        }
    }
}
