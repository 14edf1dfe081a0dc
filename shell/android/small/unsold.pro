# What shells go without whose app sells nothing.
-assumevalues class jollyhull.shell.ShellSettings {
    boolean sells() return false;
    static boolean sells(org.json.JSONObject) return false;
}
