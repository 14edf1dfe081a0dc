package jollyhull.shell;

import android.content.ContentResolver;
import android.database.Cursor;
import android.net.Uri;
import android.provider.OpenableColumns;
import android.util.Log;
import android.webkit.WebResourceResponse;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.UUID;

/**
 * Files that another app shares, on their way into a page's form. A web view posts no files: a page
 * of the app's own origin fetches them from a path that nobody else can guess, and posts its form.
 * Nothing is held in memory, and nothing is read on the main thread: the engine asks for each on a
 * thread of its own.
 */
final class SharedFiles {
    private final ContentResolver content;
    private final ShareTarget share;
    private final List<Uri> files;

    /** Type that the other app names for all of them; null where it names none. */
    private final String type;

    private final String path = "/hull-shared-" + UUID.randomUUID() + "/";

    SharedFiles(ContentResolver content, ShareTarget share, List<Uri> files, String type) {
        this.content = content;
        this.share = share;
        this.files = files;
        this.type = type;
    }

    /** The page that posts the fields and the files. */
    String form(List<String[]> fields) {
        StringBuilder script = new StringBuilder();
        for (String[] field : fields) {
            script.append("add('input', { type: 'hidden', name: ")
                    .append(quote(field[0]))
                    .append(", value: ")
                    .append(quote(field[1]))
                    .append(" });");
        }
        return "<!doctype html><meta charset=utf-8><form method=post enctype=multipart/form-data"
                + " action="
                + attribute(share.action)
                + "></form><script>const form = document.forms[0];const add = (tag, set) => { const"
                + " one = Object.assign(document.createElement(tag), set); form.append(one); return"
                + " one; };"
                + script
                + "const lists = {};const take = (one) => fetch(one.at).then((answer) => answer.ok"
                + " ? answer.blob() : null).then((blob) => { if (!blob) return; const list ="
                + " lists[one.field] = lists[one.field] || { field: add('input', { type: 'file',"
                + " name: one.field, multiple: true }), data: new DataTransfer() };"
                + " list.data.items.add(new File([blob], one.name, { type: one.type }));"
                + " list.field.files = list.data.files; }, () => {});fetch("
                + quote(path)
                + ").then((answer) => answer.json()).then((all) => all.reduce((before, one) =>"
                + " before.then(() => take(one)), Promise.resolve())).then(() => form.submit(), ()"
                + " => form.submit());</script>";
    }

    /**
     * The list of files, or one of them; null where something else is asked for. On the engine's
     * own thread.
     */
    WebResourceResponse answer(Uri url) {
        String asked = url.getPath();
        if (asked == null || !asked.startsWith(path)) {
            return null;
        }
        String which = asked.substring(path.length());
        if (which.isEmpty()) {
            byte[] list = list().getBytes(StandardCharsets.UTF_8);
            return PackedSite.fresh("application/json", 200, "OK", new ByteArrayInputStream(list));
        }
        try {
            InputStream in = content.openInputStream(files.get(Integer.parseInt(which)));
            return in == null
                    ? PackedSite.plain(404, "Not Found", "")
                    : PackedSite.fresh("application/octet-stream", 200, "OK", in);
        } catch (IOException | RuntimeException e) {
            // A provider may throw what it likes; the page sees the rest.
            Log.w("hull", "A shared file could not be read", e);
            return PackedSite.plain(404, "Not Found", "");
        }
    }

    private String list() {
        JSONArray list = new JSONArray();
        for (int i = 0; i < files.size(); i++) {
            try {
                String own = content.getType(files.get(i));
                String kind =
                        own == null ? (type == null ? "application/octet-stream" : type) : own;
                String field = share.fieldFor(kind);
                if (field != null) {
                    list.put(
                            new JSONObject()
                                    .put("field", field)
                                    .put("name", nameOf(files.get(i)))
                                    .put("type", kind)
                                    .put("at", path + i));
                }
            } catch (JSONException | RuntimeException e) {
                Log.w("hull", "A shared file could not be looked at", e);
            }
        }
        return list.toString();
    }

    private String nameOf(Uri uri) {
        Cursor cursor =
                content.query(uri, new String[] {OpenableColumns.DISPLAY_NAME}, null, null, null);
        if (cursor != null) {
            try {
                if (cursor.moveToFirst() && cursor.getString(0) != null) {
                    return cursor.getString(0);
                }
            } finally {
                cursor.close();
            }
        }
        return uri.getLastPathSegment() == null ? "file" : uri.getLastPathSegment();
    }

    /** A value of an attribute in HTML, with its quotation marks. */
    private static String attribute(String text) {
        return '"' + text.replace("&", "&amp;").replace("\"", "&quot;").replace("<", "&lt;") + '"';
    }

    /** A JavaScript string that cannot end its script element. */
    private static String quote(String text) {
        return JSONObject.quote(text)
                .replace("<", "\\u003c")
                .replace("\u2028", "\\u2028")
                .replace("\u2029", "\\u2029");
    }
}
