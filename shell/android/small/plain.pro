# The shell of packages with the engine `webview` whose app takes nothing that others share, shows no notifications, plays nothing in the background, and has neither a
# bar of its own nor pages that are pulled.
-include own-view.pro
-include silent.pro
-assumevalues class jollyhull.shell.ShellSettings {
    boolean takesShares() return false;
    static boolean takesShares(org.json.JSONObject) return false;
    boolean notifies() return false;
    boolean hasBar() return false;
    boolean pulls() return false;
}
