package jollyhull.shell;

import android.content.ContentResolver;
import android.content.Intent;
import android.net.Uri;

import java.io.UnsupportedEncodingException;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;

/** What another app, a link or the icon's menu sent: which page it means, and what goes with it. */
final class Arrival {
    /** The page to open; null where the intent means none. */
    final String url;

    /** An address that is another app's after all. */
    final Uri outside;

    /** What is posted to the page; null for opening it. */
    byte[] post;

    /** A page that posts what is shared; null where it needs none. */
    String form;

    /** What that page fetches. */
    SharedFiles files;

    private Arrival(String url, Uri outside) {
        this.url = url;
        this.outside = outside;
    }

    private static final Arrival NOTHING = new Arrival(null, null);

    static Arrival of(
            Intent intent, ShellSettings settings, OutsideLinks links, ContentResolver content) {
        if (isOld(intent)) {
            return NOTHING;
        }
        String action = intent.getAction();
        if (Intent.ACTION_VIEW.equals(action) && intent.getData() != null) {
            return view(intent.getData(), settings, links);
        }
        if (isShared(intent, settings)) {
            return shared(intent, settings, content);
        }
        return NOTHING;
    }

    /** Opened again from the list of recent apps: what it was started with then is done. */
    private static boolean isOld(Intent intent) {
        return intent == null
                || (intent.getFlags() & Intent.FLAG_ACTIVITY_LAUNCHED_FROM_HISTORY) != 0;
    }

    /** Whether another app shares something that this one takes. */
    static boolean isShared(Intent intent, ShellSettings settings) {
        String action = isOld(intent) ? null : intent.getAction();
        return settings.takesShares()
                && (Intent.ACTION_SEND_MULTIPLE.equals(action)
                        || Intent.ACTION_SEND.equals(action));
    }

    private static Arrival view(Uri given, ShellSettings settings, OutsideLinks links) {
        Uri url = given;
        if (settings.scheme != null && settings.scheme.equals(OutsideLinks.schemeOf(given))) {
            // ferry://pier.html and ferry:/pier.html both mean the page below the app's own
            // address.
            String rest = given.toString().substring(settings.scheme.length() + 1);
            int start = 0;
            while (start < rest.length() && rest.charAt(start) == '/') {
                start++;
            }
            url = Uri.parse(settings.base + rest.substring(start));
        } else if (!settings.opens(given)) {
            // A rule leaves it to the browser; before API 35 the system cannot know.
            return new Arrival(null, given);
        }
        return links.isOwnPage(url) && url.getPath() != null && !url.getPath().contains("/../")
                ? new Arrival(url.toString(), null)
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
            return new Arrival(share.action + (query.isEmpty() ? "" : join + query), null);
        }
        Arrival arrival = new Arrival(share.action, null);
        if (share.isMultipart) {
            arrival.files = new SharedFiles(content, share, shared.files, intent.getType());
            arrival.form = arrival.files.form(fields);
        } else {
            arrival.post = encoded(fields).getBytes(StandardCharsets.US_ASCII);
        }
        return arrival;
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
}
