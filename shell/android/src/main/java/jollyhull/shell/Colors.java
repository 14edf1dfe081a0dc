package jollyhull.shell;

import android.graphics.Color;
import org.json.JSONException;
import org.json.JSONObject;

/** The app's colours in one colour scheme, as the platform packs them. */
final class Colors {
    final int theme;
    final int background;

    Colors(JSONObject json) throws JSONException {
        theme = Color.parseColor(json.getString("themeColor"));
        background = Color.parseColor(json.getString("backgroundColor"));
    }
}
