# What shells with a view of their own keep besides: its name in manifests, and what pages call.
-keep public class jollyhull.shell.PageActivity
-keepclassmembers class * { @android.webkit.JavascriptInterface <methods>; }
# The engine finds its own methods by these names.
-keep interface org.chromium.support_lib_boundary.** { *; }
