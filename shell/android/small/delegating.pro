# What shells keep whose pages run in a browser.
-keep public class jollyhull.shell.BrowserActivity
-keep public class jollyhull.shell.Delegate
-keep public class jollyhull.shell.AskActivity
# Nothing but the branches that such packages never take goes.
-optimizations code/simplification/*,code/removal/*,method/propagation/*,method/removal/*,method/inlining/*,field/*,class/marking/*,class/merging/*,method/marking/*
-optimizationpasses 3
-assumevalues class jollyhull.shell.ShellSettings { boolean packs() return false; boolean notifies() return false; }
-include silent.pro
