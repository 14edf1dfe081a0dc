package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertNotNull;
import static org.junit.Assert.assertTrue;

import android.app.Application;
import android.content.Intent;
import android.content.pm.ActivityInfo;
import android.content.pm.ApplicationInfo;
import android.content.pm.PackageInfo;
import android.content.pm.PackageManager;
import android.content.pm.ResolveInfo;
import android.content.res.Resources;
import android.content.res.TypedArray;
import android.content.res.XmlResourceParser;
import android.graphics.drawable.AdaptiveIconDrawable;
import android.graphics.drawable.ColorDrawable;
import android.graphics.drawable.Drawable;
import android.graphics.drawable.LayerDrawable;
import android.os.Build;

import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;
import org.xmlpull.v1.XmlPullParser;

import java.util.Arrays;
import java.util.List;

/** A package made by hull, as the framework's own package parser and resource tables read it. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class PackedPackageTest {
    private final Application app = RuntimeEnvironment.getApplication();
    private final PackageManager packages = app.getPackageManager();

    private PackageInfo info() throws Exception {
        return packages.getPackageInfo(
                app.getPackageName(),
                PackageManager.GET_PERMISSIONS | PackageManager.GET_ACTIVITIES);
    }

    @Test
    public void theManifestIsReadAsItWasMeant() throws Exception {
        PackageInfo info = info();
        assertEquals("example.saltmarsh.ferry", info.packageName);
        assertEquals(7, info.versionCode);
        assertEquals("1.4.0", info.versionName);
        // The test runner puts API levels of its own into the running app: those of the file are
        // asked of its manifest.
        XmlResourceParser manifest = app.getAssets().openXmlResourceParser("AndroidManifest.xml");
        while (!"uses-sdk".equals(manifest.getName())) {
            manifest.next();
        }
        String namespace = "http://schemas.android.com/apk/res/android";
        assertEquals(24, manifest.getAttributeIntValue(namespace, "minSdkVersion", 0));
        assertEquals(36, manifest.getAttributeIntValue(namespace, "targetSdkVersion", 0));
        List<String> permissions = Arrays.asList(info.requestedPermissions);
        assertTrue(permissions.contains("android.permission.INTERNET"));
        assertTrue(permissions.contains("android.permission.ACCESS_NETWORK_STATE"));
        assertEquals(0, info.applicationInfo.flags & ApplicationInfo.FLAG_DEBUGGABLE);
        assertEquals(0, info.applicationInfo.flags & ApplicationInfo.FLAG_USES_CLEARTEXT_TRAFFIC);
    }

    @Test
    public void theLauncherOpensTheActivityUnderItsShortName() {
        Intent launch =
                new Intent(Intent.ACTION_MAIN)
                        .addCategory(Intent.CATEGORY_LAUNCHER)
                        .setPackage(app.getPackageName());
        List<ResolveInfo> found = packages.queryIntentActivities(launch, 0);
        assertEquals(1, found.size());
        ActivityInfo activity = found.get(0).activityInfo;
        assertEquals(PageActivity.class.getName(), activity.name);
        assertTrue(activity.exported);
        assertEquals("Ferry", activity.loadLabel(packages).toString());
        assertEquals("Saltmarsh Ferry", app.getApplicationInfo().loadLabel(packages).toString());
        assertEquals(ActivityInfo.SCREEN_ORIENTATION_USER_PORTRAIT, activity.screenOrientation);
        int handled = activity.getRealConfigChanged();
        assertTrue((handled & ActivityInfo.CONFIG_ORIENTATION) != 0);
        assertTrue((handled & ActivityInfo.CONFIG_SCREEN_SIZE) != 0);
    }

    @Test
    public void theIconIsFoundAndDrawn() {
        Drawable icon = app.getApplicationInfo().loadIcon(packages);
        if (Build.VERSION.SDK_INT >= 26) {
            assertTrue(icon.getClass().getName(), icon instanceof AdaptiveIconDrawable);
            AdaptiveIconDrawable adaptive = (AdaptiveIconDrawable) icon;
            assertNotNull(adaptive.getForeground());
            assertNotNull(adaptive.getBackground());
        } else {
            assertTrue(icon.getIntrinsicWidth() > 0);
        }
    }

    @Test
    public void theThemeHasNoTitleBarAndTheAppsColours() throws Exception {
        int themeId = info().applicationInfo.theme;
        assertTrue(themeId != 0);
        Resources.Theme theme = app.getResources().newTheme();
        theme.applyStyle(themeId, true);
        TypedArray start =
                theme.obtainStyledAttributes(new int[] {android.R.attr.windowBackground});
        LayerDrawable layers = (LayerDrawable) start.getDrawable(0);
        assertEquals(2, layers.getNumberOfLayers());
        assertEquals(0xfff4f1ea, ((ColorDrawable) layers.getDrawable(0)).getColor());
        float density = app.getResources().getDisplayMetrics().density;
        assertEquals(Math.round(288 * density), layers.getLayerWidth(1));
        start.recycle();
        assertEquals(0xff0b4f6c, color(theme, android.R.attr.statusBarColor));
        // Before API 27 its symbols are always white.
        int behind = Build.VERSION.SDK_INT < 27 ? 0xff000000 : 0xfff4f1ea;
        assertEquals(behind, color(theme, android.R.attr.navigationBarColor));
        assertFalse(flag(theme, android.R.attr.windowActionBar));
        assertTrue(flag(theme, android.R.attr.windowNoTitle));
        assertFalse(flag(theme, android.R.attr.windowLightStatusBar));
        if (Build.VERSION.SDK_INT >= 31) {
            assertEquals(0xfff4f1ea, color(theme, android.R.attr.windowSplashScreenBackground));
        }
    }

    private static int color(Resources.Theme theme, int attribute) {
        TypedArray array = theme.obtainStyledAttributes(new int[] {attribute});
        try {
            return array.getColor(0, 0);
        } finally {
            array.recycle();
        }
    }

    private static boolean flag(Resources.Theme theme, int attribute) {
        TypedArray array = theme.obtainStyledAttributes(new int[] {attribute});
        try {
            return array.getBoolean(0, true);
        } finally {
            array.recycle();
        }
    }

    @Test
    @Config(minSdk = 29, qualifiers = "night")
    public void atNightTheThemeTellsPagesThatItIsDark() throws Exception {
        Resources.Theme theme = app.getResources().newTheme();
        theme.applyStyle(info().applicationInfo.theme, true);
        assertFalse(flag(theme, android.R.attr.isLightTheme));
    }

    @Test
    @Config(minSdk = 29, qualifiers = "notnight")
    public void byDayTheThemeIsLight() throws Exception {
        Resources.Theme theme = app.getResources().newTheme();
        theme.applyStyle(info().applicationInfo.theme, true);
        assertTrue(flag(theme, android.R.attr.isLightTheme));
    }

    @Test
    public void theNetworkRulesNameTheOneHost() throws Exception {
        int id = app.getResources().getIdentifier("network", "xml", app.getPackageName());
        assertTrue(id != 0);
        XmlResourceParser parser = app.getResources().getXml(id);
        StringBuilder seen = new StringBuilder();
        for (int event = parser.next();
                event != XmlPullParser.END_DOCUMENT;
                event = parser.next()) {
            if (event == XmlPullParser.START_TAG) {
                seen.append('<').append(parser.getName());
                for (int i = 0; i < parser.getAttributeCount(); i++) {
                    seen.append(' ').append(parser.getAttributeValue(i));
                }
                seen.append('>');
            } else if (event == XmlPullParser.TEXT) {
                seen.append(parser.getText());
            }
        }
        assertEquals(
                "<network-security-config><base-config false><debug-overrides><trust-anchors>"
                        + "<certificates system><certificates user><domain-config true>"
                        + "<domain false>pier-cam.saltmarsh.example",
                seen.toString());
    }
}
