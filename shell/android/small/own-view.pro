# What shells for the engine `webview` have in common. What is optimised away is what any reader of the code could leave out: short
# methods go into their callers, and nothing changes its order.
-include common.pro
-include view.pro
-optimizations code/simplification/*,code/removal/*,method/propagation/*,method/removal/*,method/inlining/*,field/*,class/marking/*,class/merging/*,method/marking/*
-optimizationpasses 4
-include unsold.pro
-assumevalues class jollyhull.shell.ShellSettings { static boolean hasBrowser(org.json.JSONObject) return false; }
