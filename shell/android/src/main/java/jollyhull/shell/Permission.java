package jollyhull.shell;

import android.app.Activity;
import android.content.pm.PackageManager;
import android.os.Build;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.util.ArrayList;
import java.util.List;

/**
 * One capability that the package declares: why, and which of the system's permissions it needs
 * here.
 */
final class Permission {
    final String name;

    /** Shown to the user before the system's question. */
    final String reason;

    /** What is asked where the system has no question of its own. */
    final String allow;

    /** Names that mean something on this device. */
    final List<String> system;

    Permission(String name, JSONObject json) throws JSONException {
        this.name = name;
        reason = json.getString("reason");
        allow = json.getString("allow");
        system = new ArrayList<String>();
        JSONArray list = json.getJSONArray("system");
        for (int i = 0; i < list.length(); i++) {
            JSONObject one = list.getJSONObject(i);
            if (Build.VERSION.SDK_INT >= one.optInt("minSdk")) {
                system.add(one.getString("name"));
            }
        }
    }

    /** What has not been granted yet. */
    List<String> missing(Activity activity) {
        List<String> missing = new ArrayList<String>();
        for (String one : system) {
            if (activity.checkSelfPermission(one) != PackageManager.PERMISSION_GRANTED) {
                missing.add(one);
            }
        }
        return missing;
    }

    /**
     * Whether enough is granted: a rough location is a location, everything else needs all of it.
     */
    boolean suffices(Activity activity) {
        List<String> missing = missing(activity);
        return missing.isEmpty() || (name.equals("geolocation") && missing.size() < system.size());
    }
}
