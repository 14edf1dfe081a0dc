# What all shells keep: names that manifests call them by. Everything else is renamed and what nothing reaches is left
# out; dist/*.map tells which name was which, for the stack traces of a crash.
-dontnote **
-dontwarn **
-allowaccessmodification
-repackageclasses hull
-keepattributes RuntimeVisibleAnnotations
-keep public class jollyhull.shell.ShotFiles
# What settings say is asked without any effect besides the answer.
-assumenosideeffects class jollyhull.shell.ShellSettings { boolean *(...); }
# Members that differ in what they return may share a name: the format names them by their whole type.
-overloadaggressively
