#import "HullDirect.h"
#import "HullNotices.h"
#import "HullPage.h"
NS_ASSUME_NONNULL_BEGIN
/// The app's own window: its pages, what is shown while they load and where they cannot.
HULL_DIRECT @interface HullPageController : HullPage
- (instancetype)initWithApp:(HullApp *)app notices:(HullNotices *)notices;
/// Opens what another app, a link or the icon's menu sent; the start page for nil.
- (void)open:(nullable NSString *)url;
/// Opens what a run before left open.
- (void)restore:(NSString *)webAddress;
/// The page that is open, as the web has it; nil where none is.
@property(nonatomic, readonly, copy, nullable) NSString *openPage;
/// The window can be seen again, or no more.
- (void)appeared;
- (void)covered;
@end
NS_ASSUME_NONNULL_END
