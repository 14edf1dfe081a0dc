# The shell of packages with the engine `browser`; no page is packed in them, and nothing is sold.
-include common.pro
-include view.pro
-include delegating.pro
-include unsold.pro
