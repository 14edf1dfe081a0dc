# The shell of packages with the engine `browser`; no page is packed in them.
-include common.pro
-include view.pro
-include delegating.pro
