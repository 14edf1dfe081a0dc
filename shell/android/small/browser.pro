# The shell of packages with the engine `browser`; no page is packed in them.
-include common.pro
-keep public class jollyhull.shell.BrowserActivity
-keep public class jollyhull.shell.Delegate
-keep public class jollyhull.shell.AskActivity
# Nothing but the branches that packed pages need goes.
-optimizations code/simplification/*,code/removal/*,method/propagation/*,method/removal/*,field/*
-optimizationpasses 3
-assumevalues class jollyhull.shell.ShellSettings { boolean packs() return false; }
