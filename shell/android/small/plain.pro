# The shell of packages with the engine `webview` whose app wants none of this: what others share, notifications, sound in the
# background, a bar of its own, pages that are pulled or reach under the system's bars, header fields of its own (`isPlain` in
# options.ts).
-include own-view.pro
-include silent.pro
-assumevalues class jollyhull.shell.ShellSettings {
    boolean takesShares() return false;
    static boolean takesShares(org.json.JSONObject) return false;
    boolean notifies() return false;
    boolean hasBar() return false;
    boolean pulls() return false;
    boolean covers() return false;
    static boolean hasHeaders(org.json.JSONObject) return false;
}
