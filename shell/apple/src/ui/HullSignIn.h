#import "HullDirect.h"
#import <AuthenticationServices/AuthenticationServices.h>
#import "HullSettings.h"
NS_ASSUME_NONNULL_BEGIN
/// Signing in with somebody who refuses views inside of apps: in a sheet of the system's, with the browser's session.
HULL_DIRECT @interface HullSignIn : NSObject <ASWebAuthenticationPresentationContextProviding>
- (instancetype)initWithWindow:(UIWindow * (^)(void))window;
/// Whether an address asks somebody to sign the user in, and to lead back to the app's own scheme (RFC 6749, section 4.1.1).
+ (BOOL)isRequest:(NSString *)url settings:(HullSettings *)settings;
/// @param done is given where it led; nil where the user gave up
- (void)start:(NSURL *)url scheme:(NSString *)scheme done:(void (^)(NSURL *_Nullable led))done;
@end
NS_ASSUME_NONNULL_END
