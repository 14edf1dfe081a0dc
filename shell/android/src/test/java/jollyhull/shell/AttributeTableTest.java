package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertTrue;

import org.junit.Test;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.Paths;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** The resource numbers that hull writes, asked of the framework's own public constants. */
public class AttributeTableTest {
    private static final Path TABLE =
            Paths.get("../../src/core/platforms/android/app/attributes.ts");

    private static String table() throws Exception {
        return new String(Files.readAllBytes(TABLE), "UTF-8");
    }

    private static int constant(Class<?> owner, String name) throws Exception {
        return owner.getField(name).getInt(null);
    }

    @Test
    public void everyAttributeHasItsPublicNumber() throws Exception {
        Matcher row =
                Pattern.compile("^ {2}(\\w+): 0x([0-9a-f]{8}),$", Pattern.MULTILINE)
                        .matcher(table());
        int seen = 0;
        while (row.find()) {
            assertEquals(
                    row.group(1),
                    constant(android.R.attr.class, row.group(1)),
                    (int) Long.parseLong(row.group(2), 16));
            seen++;
        }
        assertTrue("rows: " + seen, seen > 80);
    }

    @Test
    public void everyParentThemeHasItsPublicNumber() throws Exception {
        Matcher row = Pattern.compile("'(Theme\\.[\\w.]+)': 0x([0-9a-f]{8})").matcher(table());
        int seen = 0;
        while (row.find()) {
            assertEquals(
                    row.group(1),
                    constant(android.R.style.class, row.group(1).replace('.', '_')),
                    Integer.parseInt(row.group(2), 16));
            seen++;
        }
        assertEquals(2, seen);
    }

    @Test
    public void configurationChangesAreThoseOfTheFramework() throws Exception {
        String[][] rows = {
            {"locale", "CONFIG_LOCALE"},
            {"touchscreen", "CONFIG_TOUCHSCREEN"},
            {"keyboard", "CONFIG_KEYBOARD"},
            {"keyboardHidden", "CONFIG_KEYBOARD_HIDDEN"},
            {"navigation", "CONFIG_NAVIGATION"},
            {"orientation", "CONFIG_ORIENTATION"},
            {"screenLayout", "CONFIG_SCREEN_LAYOUT"},
            {"screenSize", "CONFIG_SCREEN_SIZE"},
            {"smallestScreenSize", "CONFIG_SMALLEST_SCREEN_SIZE"},
            {"density", "CONFIG_DENSITY"},
            {"layoutDirection", "CONFIG_LAYOUT_DIRECTION"},
            {"colorMode", "CONFIG_COLOR_MODE"},
            {"uiMode", "CONFIG_UI_MODE"},
            {"grammaticalGender", "CONFIG_GRAMMATICAL_GENDER"},
            {"fontWeightAdjustment", "CONFIG_FONT_WEIGHT_ADJUSTMENT"},
            {"fontScale", "CONFIG_FONT_SCALE"},
            {"assetsPaths", "CONFIG_ASSETS_PATHS"},
        };
        for (String[] row : rows) {
            Matcher found = Pattern.compile(" " + row[0] + ": 0x([0-9a-f_]+),").matcher(table());
            assertTrue(row[0], found.find());
            assertEquals(
                    row[0],
                    constant(android.content.pm.ActivityInfo.class, row[1]),
                    (int) Long.parseLong(found.group(1).replace("_", ""), 16));
        }
    }

    @Test
    public void orientationsAreThoseOfTheFramework() throws Exception {
        String[][] rows = {
            {"natural", "SCREEN_ORIENTATION_NOSENSOR"},
            {"portrait", "SCREEN_ORIENTATION_USER_PORTRAIT"},
            {"'portrait-primary'", "SCREEN_ORIENTATION_PORTRAIT"},
            {"'portrait-secondary'", "SCREEN_ORIENTATION_REVERSE_PORTRAIT"},
            {"landscape", "SCREEN_ORIENTATION_USER_LANDSCAPE"},
            {"'landscape-primary'", "SCREEN_ORIENTATION_LANDSCAPE"},
            {"'landscape-secondary'", "SCREEN_ORIENTATION_REVERSE_LANDSCAPE"},
        };
        String table = table();
        String section = table.substring(table.indexOf("SCREEN_ORIENTATION = {"));
        for (String[] row : rows) {
            Matcher found = Pattern.compile(" " + row[0] + ": (\\d+),").matcher(section);
            assertTrue(row[0], found.find());
            assertEquals(
                    row[0],
                    constant(android.content.pm.ActivityInfo.class, row[1]),
                    Integer.parseInt(found.group(1)));
        }
    }

    @Test
    public void categoriesAreThoseOfTheFramework() throws Exception {
        String table = table();
        String section =
                table.substring(table.indexOf("APP_CATEGORY = {"), table.indexOf("LAUNCH_MODE ="));
        Matcher row = Pattern.compile("^ {2}(\\w+): (\\d+),$", Pattern.MULTILINE).matcher(section);
        int seen = 0;
        while (row.find()) {
            String name = "CATEGORY_" + row.group(1).toUpperCase(java.util.Locale.ROOT);
            assertEquals(
                    name,
                    constant(android.content.pm.ApplicationInfo.class, name),
                    Integer.parseInt(row.group(2)));
            seen++;
        }
        assertEquals(9, seen);
    }
}
