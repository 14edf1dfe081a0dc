package jollyhull.shell;

import android.content.Context;
import android.content.res.AssetManager;

import org.json.JSONArray;
import org.json.JSONException;
import org.json.JSONObject;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;

/**
 * What the packed app tells its shell: the one file {@value #ASSET}, written when the package is
 * made.
 */
final class ShellSettings {
    static final String ASSET = "hull/shell.json";

    /** The folder of the packed pages, as an asset path. */
    static final String SITE = "site";

    private static volatile ShellSettings kept;

    /** Absolute URL of the first page. */
    final String start;

    /**
     * Scheme and authority under which packed pages are served, or null where nothing is packed.
     */
    final String packedOrigin;

    /** Path prefix of the packed pages: starts and ends with a slash. */
    final String packedBase;

    /** Whether what is not packed may be asked of the network at the same origin. */
    final boolean packedNetwork;

    /**
     * Page for navigations that nothing else answers, by its path below the base; null for none.
     */
    final String packedFallback;

    /** Beginnings of paths below the base that it never answers. */
    final List<String> packedExcept;

    /** Header fields of answers, by path below the base or the beginning of one and an asterisk. */
    private JSONArray headers;

    final List<UrlRule> inside;
    final boolean fullscreen;

    /** Whether the app has a bar of its own, with the way back. */
    final boolean minimal;

    final Colors light;

    /** The same where the app has no colours of its own for dark. */
    final Colors dark;

    /** Content types by lower-case file name extension. */
    final Map<String, String> types;

    final String name;

    /** Address below which the app's pages lie; ends with a slash. */
    final String base;

    private final boolean covers;

    final boolean keepScreenOn;
    final boolean secure;
    final boolean pullToRefresh;

    /** A packed page for when there is no network; null for the shell's own words. */
    final String offlinePage;

    final boolean answersNotFound;
    final boolean answersServer;

    /** What runs in each of the app's own pages. */
    final String script;

    /** The other end of {@link PagePort}; null where its origins cannot be said to the engine. */
    final String port;

    /** Origins of the app's own pages, as the engine takes them. */
    final String[] origins;

    private final boolean plays;

    /** What gives them notifications; empty where none are declared. */
    final String noticeScript;

    /** By W3C name. */
    final Map<String, Permission> permissions;

    private final JSONObject states;

    /** Origins whose frames may use camera and microphone, where the page around them allows it. */
    final Set<String> frames = new HashSet<String>();

    /** Whether frames and calls of other sites keep their cookies. */
    final boolean foreignCookies;

    /** Whether passwords and passkeys of an associated host may be used. */
    final boolean passkeys;

    /** A scheme of the app's own, or null. */
    final String scheme;

    /** Null where other apps may share nothing. */
    ShareTarget share;

    /** Origins that the browser shows without an address bar, besides that of the start page. */
    final List<String> browserOrigins;

    /** As the browsers' protocol numbers it. */
    final int browserOrientation;

    /**
     * Whether a custom tab is shown where no browser presents pages by themselves, rather than the
     * app's own view.
     */
    final boolean fallsBackToTab;

    /** What is known of the store that sells to pages; null where nothing is sold. */
    final JSONObject shop;

    private final boolean hasView;

    private final List<LinkRule> links;
    private final Words words;

    private ShellSettings(JSONObject json, Words words) throws JSONException {
        this.words = words;
        start = json.getString("start");
        JSONObject packed = json.optJSONObject("packed");
        packedOrigin = packed == null ? null : packed.getString("origin");
        packedBase = packed == null ? "/" : packed.getString("base");
        packedNetwork = packed != null && packed.getBoolean("network");
        packedFallback =
                packed == null || packed.isNull("fallback") ? null : packed.getString("fallback");
        packedExcept = new ArrayList<String>();
        JSONArray except = packed == null ? null : packed.optJSONArray("except");
        for (int i = 0; except != null && i < except.length(); i++) {
            packedExcept.add(except.getString(i));
        }
        if (packed != null && hasHeaders(packed)) {
            headers = packed.getJSONArray("headers");
        }
        List<UrlRule> rules = new ArrayList<UrlRule>();
        JSONArray list = json.getJSONArray("inside");
        for (int i = 0; i < list.length(); i++) {
            rules.add(new UrlRule(list.getJSONObject(i)));
        }
        inside = rules;
        fullscreen = "fullscreen".equals(json.getString("display"));
        minimal = "minimal-ui".equals(json.getString("display"));
        light = new Colors(json);
        dark = json.isNull("dark") ? light : new Colors(json.getJSONObject("dark"));
        Map<String, String> table = new HashMap<String, String>();
        JSONObject typesJson = json.optJSONObject("types");
        if (typesJson != null) {
            for (Iterator<String> keys = typesJson.keys(); keys.hasNext(); ) {
                String key = keys.next();
                table.put(key, typesJson.getString(key));
            }
        }
        types = table;
        name = json.optString("name");
        base = json.optString("base", start);
        JSONObject window = json.optJSONObject("window");
        covers = window != null && "cover".equals(window.optString("edges"));
        keepScreenOn = window != null && window.optBoolean("keepScreenOn");
        secure = window != null && window.optBoolean("secure");
        pullToRefresh = window != null && window.optBoolean("pullToRefresh");
        JSONObject errors = json.optJSONObject("errors");
        offlinePage =
                errors == null || errors.isNull("offline") ? null : errors.getString("offline");
        answersNotFound = errors != null && "shell".equals(errors.optString("notFound"));
        answersServer = errors != null && "shell".equals(errors.optString("server"));
        script = json.optString("script");
        noticeScript = json.optString("noticeScript");
        JSONArray own = json.optJSONArray("origins");
        port = own == null ? null : json.getString("port");
        origins = new String[own == null ? 1 : own.length()];
        origins[0] = OutsideLinks.originOf(android.net.Uri.parse(base));
        for (int i = 0; own != null && i < own.length(); i++) {
            origins[i] = own.getString(i);
        }
        plays = json.optBoolean("plays");
        permissions = new HashMap<String, Permission>();
        JSONObject declared = json.optJSONObject("permissions");
        if (declared != null) {
            for (Iterator<String> keys = declared.keys(); keys.hasNext(); ) {
                String key = keys.next();
                permissions.put(key, new Permission(key, declared.getJSONObject(key)));
            }
        }
        JSONObject told = json.optJSONObject("states");
        states = told == null ? new JSONObject() : told;
        JSONArray trusted = json.optJSONArray("frames");
        for (int i = 0; trusted != null && i < trusted.length(); i++) {
            frames.add(trusted.getString(i));
        }
        foreignCookies = json.optBoolean("foreignCookies");
        passkeys = json.optBoolean("passkeys");
        scheme = json.isNull("scheme") ? null : json.getString("scheme");
        if (takesShares(json)) {
            share = new ShareTarget(json.getJSONObject("share"));
        }
        JSONObject browser = hasBrowser(json) ? json.getJSONObject("browser") : null;
        browserOrigins = new ArrayList<String>();
        for (int i = 0; browser != null && i < browser.getJSONArray("origins").length(); i++) {
            browserOrigins.add(browser.getJSONArray("origins").getString(i));
        }
        browserOrientation = browser == null ? 0 : browser.getInt("orientation");
        String fallback = browser == null ? "webview" : browser.getString("fallback");
        fallsBackToTab = !"webview".equals(fallback);
        hasView = !"browser-app".equals(fallback);
        shop = sells(json) ? json.getJSONObject("shop") : null;
        links = new ArrayList<LinkRule>();
        JSONArray linkList = json.optJSONArray("links");
        for (int i = 0; linkList != null && i < linkList.length(); i++) {
            links.add(new LinkRule(linkList.getJSONObject(i)));
        }
    }

    /**
     * What pages learn of a capability that is not declared; empty where that is for the engine to
     * say.
     */
    String stateOf(String capability) {
        return states.optString(capability);
    }

    /** Header fields of the answer to a path below the base; of two with one name, the later. */
    Map<String, String> headersOf(String path) {
        Map<String, String> found = new TreeMap<String, String>(String.CASE_INSENSITIVE_ORDER);
        for (int i = 0; headers != null && i < headers.length(); i++) {
            JSONObject row = headers.optJSONObject(i);
            String pattern = row.optString("path");
            boolean begins =
                    pattern.endsWith("*")
                            && path.startsWith(pattern.substring(0, pattern.length() - 1));
            if (!begins && !pattern.equals(path)) {
                continue;
            }
            JSONObject fields = row.optJSONObject("fields");
            for (Iterator<String> names = fields.keys(); names.hasNext(); ) {
                String name = names.next();
                found.remove(name);
                found.put(name, fields.optString(name));
            }
        }
        return found;
    }

    /**
     * Whether pages are packed. The browser engine's shell is built for packages without any
     * (small/browser.pro).
     */
    boolean packs() {
        return packedOrigin != null;
    }

    /**
     * Whether the package can show pages by itself. One shell is built for packages that cannot
     * (small/tabs.pro).
     */
    boolean hasView() {
        return hasView;
    }

    /**
     * Whether the app's own view gives pages notifications; as a fallback for a browser it does not
     * (small/delegating.pro).
     */
    boolean notifies() {
        return !noticeScript.isEmpty() && permissions.containsKey(Notices.CAPABILITY);
    }

    /**
     * Whether what pages play goes on while the app is not on screen. Most shells cannot
     * (small/silent.pro).
     */
    boolean plays() {
        return plays;
    }

    /** Whether pages may buy through the store. Most shells cannot (small/unsold.pro). */
    static boolean sells(JSONObject json) {
        return !json.isNull("shop");
    }

    /** Whether pages may buy through the store. */
    boolean sells() {
        return shop != null;
    }

    /** The scripts that run in each of the app's own pages. */
    String beginning() {
        return notifies() ? script + ";" + noticeScript : script;
    }

    /** Whether a link from elsewhere opens in the app, as far as its rules about the host say. */
    boolean opens(android.net.Uri url) {
        for (LinkRule rule : links) {
            if (rule.isAbout(url)) {
                return rule.allows(url);
            }
        }
        return true;
    }

    static ShellSettings parse(String json, Words words) throws JSONException {
        return new ShellSettings(new JSONObject(json), words);
    }

    /** The settings of this package, read once in a process: an update ends it. */
    static ShellSettings of(Context context) {
        ShellSettings read = kept;
        if (read == null) {
            read = load(context.getApplicationContext().getAssets());
            kept = read;
        }
        return read;
    }

    /** Reads the settings of this package; a package without them cannot run. */
    private static ShellSettings load(AssetManager assets) {
        try {
            InputStream in = assets.open(ASSET);
            try {
                return parse(readText(in), new Words(assets));
            } finally {
                in.close();
            }
        } catch (IOException | JSONException e) {
            throw new IllegalStateException("The package has no readable " + ASSET, e);
        }
    }

    /**
     * Whether other apps may share with this one. Small packages' shell cannot (small/plain.pro).
     */
    static boolean takesShares(JSONObject json) {
        return !json.isNull("share");
    }

    /** Whether the app has a bar of its own. Small packages' shell has none (small/plain.pro). */
    boolean hasBar() {
        return minimal;
    }

    /**
     * Whether a page is loaded again that is pulled down. Small packages' shell cannot
     * (small/plain.pro).
     */
    boolean pulls() {
        return pullToRefresh;
    }

    /**
     * Whether pages reach under bars and cutout. Small packages' shell keeps them clear of these
     * (small/plain.pro).
     */
    boolean covers() {
        return covers;
    }

    /**
     * Whether answers of packed pages have header fields of the app's own. In small packages none
     * has (small/plain.pro).
     */
    static boolean hasHeaders(JSONObject packed) {
        return !packed.isNull("headers");
    }

    /**
     * Whether pages run in a browser. The shell of the app's own view reads nothing about it
     * (small/own-view.pro).
     */
    static boolean hasBrowser(JSONObject json) {
        return !json.isNull("browser");
    }

    /** Whether other apps may share with this one. */
    boolean takesShares() {
        return share != null;
    }

    /** The colours of the scheme that counts now. */
    Colors now(Context context) {
        return Colors.isNight(context) ? dark : light;
    }

    /** A text for the user, in the user's language. */
    String word(String key) {
        return words.text(key);
    }

    static String readText(InputStream in) throws IOException {
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        byte[] buffer = new byte[8192];
        for (int count = in.read(buffer); count >= 0; count = in.read(buffer)) {
            out.write(buffer, 0, count);
        }
        return out.toString("UTF-8");
    }
}
