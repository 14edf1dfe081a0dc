# What shells with a view of their own keep besides: its name in manifests, and what pages call.
-keep public class jollyhull.shell.PageActivity
-keepclassmembers class * { @android.webkit.JavascriptInterface <methods>; }
