#import "HullDirect.h"
#import <WebKit/WebKit.h>
#import "HullApp.h"
NS_ASSUME_NONNULL_BEGIN
/// Answers the addresses of packed pages: from the bundle, or by way of the network where the app's host answers.
HULL_DIRECT @interface HullSchemeHandler : NSObject <WKURLSchemeHandler, NSURLSessionDataDelegate>
- (instancetype)initWithApp:(HullApp *)app;
@end
NS_ASSUME_NONNULL_END
