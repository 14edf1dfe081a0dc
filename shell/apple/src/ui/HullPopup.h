#import "HullDirect.h"
#import "HullPage.h"
NS_ASSUME_NONNULL_BEGIN
/// A window that a page opened, over the app's own: with the host that it shows, and a way to close it.
HULL_DIRECT @interface HullPopup : HullPage
- (instancetype)initWithApp:(HullApp *)app configuration:(WKWebViewConfiguration *)configuration;
@end
NS_ASSUME_NONNULL_END
