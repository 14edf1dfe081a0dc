#import "HullDirect.h"
#import "HullNotices.h"
#import "HullPage.h"
NS_ASSUME_NONNULL_BEGIN
/// What browsers do for pages and the engine does not: sharing, printing, the clipboard, notifications, and telling what is
/// permitted. Only documents of the app's own in the main frame are answered. The page's half is the settings' script.
HULL_DIRECT @interface HullPageServices : NSObject <WKScriptMessageHandlerWithReply>
- (instancetype)initWithApp:(HullApp *)app notices:(HullNotices *)notices;
@property(nonatomic, weak, nullable) HullPage *page;
@end
NS_ASSUME_NONNULL_END
