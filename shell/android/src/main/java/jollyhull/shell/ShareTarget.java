package jollyhull.shell;

import android.os.Bundle;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * What other apps may share with this one (Web Share Target): where it goes, and under which names.
 */
final class ShareTarget {
    final String action;
    final boolean isPost;
    final boolean isMultipart;

    /** Names of fields; null where the app does not take them. */
    final String title;

    final String text;
    final String url;

    private final Map<String, List<String>> files = new LinkedHashMap<String, List<String>>();

    ShareTarget(JSONObject json) throws JSONException {
        action = json.getString("action");
        isPost = "POST".equals(json.getString("method"));
        isMultipart = json.getBoolean("multipart");
        title = json.isNull("title") ? null : json.getString("title");
        text = json.isNull("text") ? null : json.getString("text");
        url = json.isNull("url") ? null : json.getString("url");
        JSONArray list = json.getJSONArray("files");
        for (int i = 0; i < list.length(); i++) {
            JSONObject one = list.getJSONObject(i);
            List<String> accept = new ArrayList<String>();
            for (int j = 0; j < one.getJSONArray("accept").length(); j++) {
                accept.add(one.getJSONArray("accept").getString(j).toLowerCase(Locale.ROOT));
            }
            files.put(one.getString("name"), accept);
        }
    }

    /** As browsers want it told (the custom-tabs protocol's share target). */
    Bundle forBrowser() {
        String key = TabsProtocol.SHARING;
        Bundle params = new Bundle();
        params.putString(key + "TITLE", title);
        params.putString(key + "TEXT", text);
        ArrayList<Bundle> fields = new ArrayList<Bundle>();
        for (Map.Entry<String, List<String>> field : files.entrySet()) {
            Bundle one = new Bundle();
            one.putString(key + "FILE_NAME", field.getKey());
            one.putStringArrayList(key + "ACCEPTED_TYPES", new ArrayList<String>(field.getValue()));
            fields.add(one);
        }
        params.putParcelableArrayList(key + "FILES", fields);
        Bundle bundle = new Bundle();
        bundle.putString(key + "ACTION", action);
        bundle.putString(key + "METHOD", isPost ? "POST" : "GET");
        bundle.putString(
                key + "ENCTYPE",
                isMultipart ? "multipart/form-data" : "application/x-www-form-urlencoded");
        bundle.putBundle(key + "PARAMS", params);
        return bundle;
    }

    /**
     * The field that takes a file of a type; the first one where an ending was named, null where
     * none takes it.
     */
    String fieldFor(String type) {
        for (Map.Entry<String, List<String>> field : files.entrySet()) {
            for (String accept : field.getValue()) {
                boolean any =
                        accept.endsWith("/*")
                                && (accept.startsWith("*")
                                        || type.startsWith(
                                                accept.substring(0, accept.length() - 1)));
                if (any || accept.equals(type) || accept.startsWith(".")) {
                    return field.getKey();
                }
            }
        }
        return null;
    }
}
