package jollyhull.shell;

import android.content.Context;
import android.content.res.Configuration;
import android.graphics.Color;

import org.json.JSONException;
import org.json.JSONObject;

/** The app's colours in one colour scheme, as the platform packs them. */
final class Colors {
    static final int DARK_INK = 0xff1c2326;

    final int theme;
    final int background;

    Colors(JSONObject json) throws JSONException {
        theme = Color.parseColor(json.getString("themeColor"));
        background = Color.parseColor(json.getString("backgroundColor"));
    }

    /** White or nearly black, whichever reads on a colour. */
    static int inkOn(int color) {
        return TroubleView.isDark(color) ? Color.WHITE : DARK_INK;
    }

    /** Whether the system's dark scheme counts. */
    static boolean isNight(Context context) {
        int night =
                context.getResources().getConfiguration().uiMode & Configuration.UI_MODE_NIGHT_MASK;
        return night == Configuration.UI_MODE_NIGHT_YES;
    }
}
