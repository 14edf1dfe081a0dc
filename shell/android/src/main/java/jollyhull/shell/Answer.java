package jollyhull.shell;

import java.util.Locale;

/**
 * What answers a request to the packed pages: rules without streams, held to by
 * shell/vectors/answers.json.
 */
final class Answer {
    /** Which files there are, by path below the folder. */
    interface Files {
        boolean has(String path);
    }

    /** Left to the network. */
    static final Answer NETWORK = new Answer(0, null);

    /** The same address with a slash at its end. */
    static final Answer SLASH = new Answer(0, null);

    /**
     * The same address without the slash at its end, so that the page's relative addresses are
     * right.
     */
    static final Answer BARE = new Answer(0, null);

    final int status;

    /** Null where no file answers. */
    final String path;

    private Answer(int status, String path) {
        this.status = status;
        this.path = path;
    }

    /**
     * @param path of the address, its percent-encoding undone
     * @param page whether a page is asked for
     */
    static Answer of(
            ShellSettings settings, Files files, String method, String path, boolean page) {
        String base = settings.packedBase;
        if (!(path + "/").startsWith(base)) {
            return NETWORK;
        }
        if (!"GET".equals(method) && !"HEAD".equals(method)) {
            return settings.packedNetwork ? NETWORK : new Answer(405, null);
        }
        if (!path.startsWith(base)) {
            return SLASH;
        }
        String name = path.substring(base.length());
        if (climbs(name)) {
            return new Answer(404, null);
        }
        boolean folder = name.isEmpty() || name.endsWith("/");
        String first = folder ? name + "index.html" : name;
        if (files.has(first)) {
            return new Answer(200, first);
        }
        if (!name.isEmpty()) {
            String second = (folder ? name.substring(0, name.length() - 1) : name) + ".html";
            if (files.has(second)) {
                return folder && page ? BARE : new Answer(200, second);
            }
            if (!folder && files.has(name + "/index.html")) {
                return SLASH;
            }
        }
        if (page && isRouted(settings, name)) {
            return new Answer(200, settings.packedFallback);
        }
        if (settings.packedNetwork) {
            return NETWORK;
        }
        return new Answer(404, page && files.has("404.html") ? "404.html" : null);
    }

    /**
     * Whether the app routes a path by itself: it does not end as the name of a file does, and is
     * not excepted.
     */
    private static boolean isRouted(ShellSettings settings, String name) {
        if (settings.packedFallback == null || settings.types.containsKey(extension(name))) {
            return false;
        }
        for (String start : settings.packedExcept) {
            if (name.startsWith(start)) {
                return false;
            }
        }
        return true;
    }

    /** The lower-case ending of a file's name; empty where it has none. */
    static String extension(String path) {
        String name = path.substring(path.lastIndexOf('/') + 1);
        int dot = name.lastIndexOf('.');
        return dot <= 0 ? "" : name.substring(dot + 1).toLowerCase(Locale.ROOT);
    }

    private static boolean climbs(String name) {
        for (String step : name.split("/", -1)) {
            if (step.equals("..") || step.equals(".")) {
                return true;
            }
        }
        return name.indexOf('\0') >= 0 || name.indexOf('\\') >= 0;
    }
}
