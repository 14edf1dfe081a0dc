#import "HullDirect.h"
#import "HullAddress.h"
NS_ASSUME_NONNULL_BEGIN
/// Which links of one host open in the app. What a rule leaves out stays out, whatever else matches.
HULL_DIRECT @interface HullLinkRule : NSObject
- (instancetype)initWith:(NSDictionary<NSString *, id> *)json;
- (BOOL)isAbout:(HullAddress *)address;
- (BOOL)allows:(HullAddress *)address;
@end
/// Whether a text matches a pattern in which `*` stands for any run of characters. The time it takes grows with the
/// product of both lengths at most.
BOOL HullWildcard(NSString *pattern, NSString *text);
NS_ASSUME_NONNULL_END
