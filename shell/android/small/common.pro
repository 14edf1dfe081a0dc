# What all shells keep: names that manifests call them by. Everything else is renamed and what nothing reaches is left
# out; dist/*.map tells which name was which, for the stack traces of a crash.
-dontnote **
-dontwarn **
-allowaccessmodification
-repackageclasses hull
-keepattributes RuntimeVisibleAnnotations
-keep public class jollyhull.shell.ShotFiles
