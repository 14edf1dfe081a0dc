#import <UIKit/UIKit.h>
NS_ASSUME_NONNULL_BEGIN
@interface HullAppDelegate : UIResponder <UIApplicationDelegate>
@end
/// Info.plist names it.
@interface HullSceneDelegate : UIResponder <UIWindowSceneDelegate>
@property(nullable, nonatomic, strong) UIWindow *window;
@end
NS_ASSUME_NONNULL_END
