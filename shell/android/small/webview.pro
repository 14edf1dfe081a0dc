# The shell of packages with the engine `webview`.
-include own-view.pro
-keep public class jollyhull.shell.PlayService
