# The shell of packages with the engine `webview`.
-include common.pro
-include view.pro
# The tests run on the classes as they were compiled: code is not changed, only renamed and left out.
-dontoptimize
