package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertTrue;
import static org.robolectric.Shadows.shadowOf;

import android.app.Activity;
import android.graphics.Bitmap;
import android.graphics.Canvas;
import android.graphics.Color;
import android.view.View;
import android.webkit.WebView;
import android.widget.FrameLayout;

import org.json.JSONObject;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.Robolectric;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.annotation.Config;
import org.robolectric.annotation.GraphicsMode;
import org.robolectric.annotation.Implementation;
import org.robolectric.annotation.Implements;
import org.robolectric.shadows.ShadowWebView;

import java.io.File;
import java.io.FileOutputStream;

/**
 * The bar of minimal-ui: there where it is asked for, above the page, with the ways that it
 * promises.
 */
@RunWith(RobolectricTestRunner.class)
@Config(
        minSdk = 24,
        shadows = {FakeWorkers.class, PageBarTest.Titled.class})
public class PageBarTest {
    private static String display;

    /** The framework's tests have a view without titles. */
    @Implements(WebView.class)
    public static class Titled extends ShadowWebView {
        static String title;

        @Implementation
        protected String getTitle() {
            return title;
        }
    }

    public static final class Opened extends PageActivity {
        @Override
        ShellSettings readSettings() {
            try {
                JSONObject json = TestSite.json("/", false).put("display", display);
                return TestSite.parse(json.toString());
            } catch (Exception e) {
                throw new AssertionError(e);
            }
        }
    }

    private FrameLayout root;

    private WebView open(String mode) {
        display = mode;
        Titled.title = null;
        Opened activity = Robolectric.buildActivity(Opened.class).setup().get();
        root = TestSite.root(activity);
        return find(WebView.class);
    }

    private <T extends View> T find(Class<T> type) {
        return TestSite.find(root, type);
    }

    private static int top(View view) {
        return ((FrameLayout.LayoutParams) view.getLayoutParams()).topMargin;
    }

    @Test
    public void isThereOnlyWhereItIsAskedFor() {
        WebView pages = open("standalone");
        assertNull(find(PageBar.class));
        assertEquals(0, top(pages));
        pages = open("minimal-ui");
        int height = find(PageBar.class).getLayoutParams().height;
        assertTrue(
                "large enough to be touched",
                height >= 48 * root.getResources().getDisplayMetrics().density);
        assertEquals("the page begins below it", height, top(pages));
        assertEquals(height, top(find(SlowBar.class)));
    }

    @Test
    public void goesBackAPageLoadsAnewAndNamesThePage() {
        WebView pages = open("minimal-ui");
        PageBar bar = find(PageBar.class);
        ShadowWebView shadow = shadowOf(pages);
        assertFalse(bar.back.isEnabled());
        assertEquals("Saltmarsh Ferry", bar.title());

        shadow.pushEntryToHistory(TestSite.ORIGIN + "/");
        shadow.pushEntryToHistory(TestSite.ORIGIN + "/tickets.html");
        shadow.getWebViewClient()
                .doUpdateVisitedHistory(pages, TestSite.ORIGIN + "/tickets.html", false);
        assertTrue(bar.back.isEnabled());
        bar.back.performClick();
        assertEquals(1, shadow.getGoBackInvocations());

        Titled.title = "Tickets";
        shadow.getWebChromeClient().onReceivedTitle(pages, "Tickets");
        assertEquals("Tickets", bar.title());
        int before = shadow.getReloadInvocations();
        bar.reload.performClick();
        assertEquals(before + 1, shadow.getReloadInvocations());
        assertEquals("Back", bar.back.getContentDescription());
        assertEquals("Reload", bar.reload.getContentDescription());
    }

    /** The picture is left in target/bar.png to be looked at. */
    @Test
    @GraphicsMode(GraphicsMode.Mode.NATIVE)
    @Config(minSdk = 33, maxSdk = 33, qualifiers = "w411dp-h891dp-xhdpi")
    public void isDrawnInTheAppsColours() throws Exception {
        Activity activity = Robolectric.setupActivity(Activity.class);
        ShellSettings settings = TestSite.settings("/", false);
        Bitmap picture = Bitmap.createBitmap(822, 192, Bitmap.Config.ARGB_8888);
        Canvas canvas = new Canvas(picture);
        for (boolean canGoBack : new boolean[] {true, false}) {
            PageBar bar = new PageBar(activity, settings, () -> {}, () -> {});
            bar.update(
                    canGoBack,
                    canGoBack
                            ? "Timetable"
                            : "A page with a name that is a good deal longer than the bar");
            bar.setLayoutDirection(
                    canGoBack ? View.LAYOUT_DIRECTION_LTR : View.LAYOUT_DIRECTION_RTL);
            bar.measure(
                    View.MeasureSpec.makeMeasureSpec(822, View.MeasureSpec.EXACTLY),
                    View.MeasureSpec.makeMeasureSpec(96, View.MeasureSpec.EXACTLY));
            bar.layout(0, 0, 822, 96);
            bar.draw(canvas);
            canvas.translate(0, 96);
        }
        try (FileOutputStream out = new FileOutputStream(new File("target/bar.png"))) {
            picture.compress(Bitmap.CompressFormat.PNG, 100, out);
        }
        assertEquals(settings.light.theme, picture.getPixel(400, 3));
        assertTrue("the arrow", Color.luminance(picture.getPixel(48, 48)) > 0.8f);
        assertTrue(
                "paler where there is no way back",
                Color.luminance(picture.getPixel(822 - 48, 96 + 48)) < 0.6f);
    }
}
