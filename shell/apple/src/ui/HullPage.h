#import "HullDirect.h"
#import <WebKit/WebKit.h>
#import "HullApp.h"
#import "HullDialogs.h"
NS_ASSUME_NONNULL_BEGIN
/// A view of pages with what every one of them has, in the app's own window and in those that pages open: who goes where, dialogs,
/// sign-in, permissions, downloads.
HULL_DIRECT @interface HullPage : UIViewController <WKNavigationDelegate, WKUIDelegate> {
    @protected
    HullSettings *_settings;
    HullWords *_words;
    HullPackedSite *_site;
}
@property(nonatomic, readonly) HullApp *app;
@property(nonatomic, readonly) HullDialogs *dialogs;
/// nil until the view is loaded.
@property(nonatomic, readonly, nullable) WKWebView *pages;
/// Makes the view of pages; the engine gives the configuration of windows that pages open.
- (WKWebView *)makePages:(WKWebViewConfiguration *)configuration;
/// Leaves the app: for the browser, or for the app that the address belongs to.
- (void)leave:(NSURL *)url;
/// Where a page of the app's own is asked for that has another address inside the app; nil where it is loaded as it is.
- (nullable NSURL *)otherAddressOf:(NSString *)url;
/// Opens a page of the app's own in the app's own window.
- (void)openInside:(NSString *)webAddress;
- (void)shareItems:(NSArray *)items done:(nullable void (^)(void))done;
@end

NSString *HullOriginOf(WKSecurityOrigin *origin);

/// What windows of different kinds build on: found by name.
@interface HullPage ()
- (instancetype)initWithApp:(HullApp *)app;
/// What a navigation to an address outside of the app does: here it leaves.
- (WKNavigationActionPolicy)policyOutside:(NSURL *)url action:(WKNavigationAction *)action;
@end
NS_ASSUME_NONNULL_END
