#import "HullDirect.h"
#import "HullAddress.h"
NS_ASSUME_NONNULL_BEGIN
/// One address rule of the app (a URL pattern, WHATWG), made into a regular expression a component at packing.
HULL_DIRECT @interface HullUrlRule : NSObject
/// nil where a component is missing or is no expression: such a rule matches nothing.
+ (nullable instancetype)ruleFrom:(NSDictionary<NSString *, id> *)json;
- (BOOL)matches:(HullAddress *)address;
@end
NS_ASSUME_NONNULL_END
