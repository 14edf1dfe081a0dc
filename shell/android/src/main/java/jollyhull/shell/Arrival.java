package jollyhull.shell;

import android.content.ContentResolver;
import android.content.Intent;
import android.database.Cursor;
import android.net.Uri;
import android.provider.OpenableColumns;
import android.util.Base64;
import java.io.IOException;
import java.io.InputStream;
import java.io.UnsupportedEncodingException;
import java.net.URLEncoder;
import java.util.ArrayList;
import java.util.List;
import org.json.JSONObject;

/** What another app, a link or the icon's menu sent: which page it means, and what goes with it. */
final class Arrival {
    /** Bytes of shared files that are handed to a page at most. */
    private static final int MAX_SHARED = 24 * 1024 * 1024;

    /** The page to open; null where the intent means none. */
    final String url;
    /** What is posted to it; null for opening it. */
    final byte[] post;
    /** A page that posts files; null where there are none. */
    final String form;
    /** An address that is another app's after all. */
    final Uri outside;

    private Arrival(String url, byte[] post, String form, Uri outside) {
        this.url = url;
        this.post = post;
        this.form = form;
        this.outside = outside;
    }

    private static final Arrival NOTHING = new Arrival(null, null, null, null);

    static Arrival of(Intent intent, ShellSettings settings, OutsideLinks links, ContentResolver content) {
        String action = intent == null ? null : intent.getAction();
        if (Intent.ACTION_VIEW.equals(action) && intent.getData() != null) {
            return view(intent.getData(), settings, links);
        }
        if (isShared(intent, settings)) {
            return shared(intent, settings, content);
        }
        return NOTHING;
    }

    /** Whether another app shares something that this one takes. */
    static boolean isShared(Intent intent, ShellSettings settings) {
        String action = intent == null ? null : intent.getAction();
        return settings.share != null
                && (Intent.ACTION_SEND_MULTIPLE.equals(action) || Intent.ACTION_SEND.equals(action));
    }

    private static Arrival view(Uri given, ShellSettings settings, OutsideLinks links) {
        Uri url = given;
        if (settings.scheme != null && settings.scheme.equals(OutsideLinks.schemeOf(given))) {
            // ferry://pier.html and ferry:/pier.html both mean the page below the app's own address.
            String rest = given.toString().substring(settings.scheme.length() + 1);
            int start = 0;
            while (start < rest.length() && rest.charAt(start) == '/') {
                start++;
            }
            url = Uri.parse(settings.base + rest.substring(start));
        } else if (!settings.opens(given)) {
            // A rule leaves it to the browser; before API 35 the system cannot know.
            return new Arrival(null, null, null, given);
        }
        return links.isOwnPage(url) && url.getPath() != null && !url.getPath().contains("/../")
                ? new Arrival(url.toString(), null, null, null)
                : NOTHING;
    }

    private static Arrival shared(Intent intent, ShellSettings settings, ContentResolver content) {
        ShareTarget share = settings.share;
        Shared shared = Shared.of(intent);
        String text = shared.text;
        String title = shared.title;
        List<String[]> fields = new ArrayList<String[]>();
        if (share.title != null && title != null) {
            fields.add(new String[] {share.title, title});
        }
        boolean isAddress = text != null && text.trim().matches("(?i)https?://\\S+");
        if (text != null && share.url != null && isAddress) {
            fields.add(new String[] {share.url, text.trim()});
        } else if (text != null && share.text != null) {
            fields.add(new String[] {share.text, text});
        }
        if (!share.isPost) {
            String query = encoded(fields);
            String join = share.action.contains("?") ? "&" : "?";
            return new Arrival(share.action + (query.isEmpty() ? "" : join + query), null, null, null);
        }
        if (!share.isMultipart) {
            return new Arrival(share.action, ascii(encoded(fields)), null, null);
        }
        return new Arrival(share.action, null, form(share, fields, shared.files, intent.getType(), content), null);
    }

    private static byte[] ascii(String text) {
        try {
            return text.getBytes("US-ASCII");
        } catch (UnsupportedEncodingException e) {
            throw new AssertionError(e);
        }
    }

    private static String encoded(List<String[]> fields) {
        StringBuilder out = new StringBuilder();
        try {
            for (String[] field : fields) {
                out.append(out.length() == 0 ? "" : "&")
                        .append(URLEncoder.encode(field[0], "UTF-8"))
                        .append('=')
                        .append(URLEncoder.encode(field[1], "UTF-8"));
            }
        } catch (UnsupportedEncodingException e) {
            throw new AssertionError(e);
        }
        return out.toString();
    }

    /** A web view posts no files: a page of the same origin makes them from what it is given, and posts its form. */
    private static String form(
            ShareTarget share, List<String[]> fields, List<Uri> files, String type, ContentResolver content) {
        StringBuilder script = new StringBuilder("const form = document.forms[0];");
        for (String[] field : fields) {
            script.append("add('input', { type: 'hidden', name: ").append(quote(field[0]))
                    .append(", value: ").append(quote(field[1])).append(" });");
        }
        int total = 0;
        for (Uri uri : files) {
            if (total > MAX_SHARED) {
                continue;
            }
            try {
                InputStream in = content.openInputStream(uri);
                if (in == null) {
                    continue;
                }
                byte[] bytes = Downloads.readAll(in);
                total += bytes.length;
                if (total > MAX_SHARED) {
                    continue;
                }
                String own = content.getType(uri);
                String kind = own == null ? (type == null ? "application/octet-stream" : type) : own;
                String field = share.fieldFor(kind);
                if (field != null) {
                    script.append("file(").append(quote(field)).append(',').append(quote(nameOf(uri, content)))
                            .append(',').append(quote(kind)).append(',')
                            .append(quote(Base64.encodeToString(bytes, Base64.NO_WRAP))).append(");");
                }
            } catch (IOException | SecurityException e) {
                // What cannot be read is not shared; the page sees the rest.
                continue;
            }
        }
        return "<!doctype html><meta charset=utf-8><form method=post enctype=multipart/form-data action="
                + attribute(share.action)
                + "></form><script>"
                + "const lists = {};"
                + "const add = (tag, set) => { const one = Object.assign(document.createElement(tag), set);"
                + " document.forms[0].append(one); return one; };"
                + "const file = (name, title, type, data) => {"
                + " const bytes = Uint8Array.from(atob(data), (letter) => letter.charCodeAt(0));"
                + " lists[name] = lists[name] || { field: add('input', { type: 'file', name, multiple: true }), data: new DataTransfer() };"
                + " lists[name].data.items.add(new File([bytes], title, { type }));"
                + " lists[name].field.files = lists[name].data.files; };"
                + script
                + "form.submit();</script>";
    }

    /** A value of an attribute in HTML, with its quotation marks. */
    private static String attribute(String text) {
        return '"' + text.replace("&", "&amp;").replace("\"", "&quot;").replace("<", "&lt;") + '"';
    }

    /** A JavaScript string that cannot end its script element. */
    private static String quote(String text) {
        return JSONObject.quote(text).replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029");
    }

    private static String nameOf(Uri uri, ContentResolver content) {
        Cursor cursor = content.query(uri, new String[] {OpenableColumns.DISPLAY_NAME}, null, null, null);
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
}
