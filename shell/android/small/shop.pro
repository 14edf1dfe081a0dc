# The shell of packages that try to sell: as `browser`, with the payment activity and service.
-include common.pro
-include view.pro
-include delegating.pro
-keep public class jollyhull.shell.PayActivity
-keep public class jollyhull.shell.PayService
