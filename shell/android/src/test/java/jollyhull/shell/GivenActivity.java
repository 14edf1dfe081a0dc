package jollyhull.shell;

import org.json.JSONObject;

/** The activity of a package with the settings that a test gives, to be subclassed by it. */
abstract class GivenActivity extends PageActivity {
    static JSONObject json;

    @Override
    final ShellSettings readSettings() {
        try {
            return TestSite.parse(json.toString());
        } catch (Exception e) {
            throw new AssertionError(e);
        }
    }
}
