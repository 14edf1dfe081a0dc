# The shell of packages with the engine `browser` and `android.fallback` `browser-app`: without a view of their own.
-include common.pro
-include delegating.pro
-assumevalues class jollyhull.shell.ShellSettings { boolean hasView() return false; }
-include unsold.pro
