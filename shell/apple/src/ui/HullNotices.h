#import "HullDirect.h"
#import <UserNotifications/UserNotifications.h>
#import "HullJson.h"
NS_ASSUME_NONNULL_BEGIN
/// Notifications of the app's pages.
HULL_DIRECT @interface HullNotices : NSObject <UNUserNotificationCenterDelegate>
/// `default`, `granted` or `denied` (Notifications API, "NotificationPermission"): as it was last known.
@property(nonatomic, readonly, copy) NSString *state;
/// Called with the identifier of a notification that was touched.
@property(nonatomic, copy, nullable) void (^touched)(NSString *identifier);
- (void)begin;
/// Asks the system what is allowed now.
- (void)refresh:(void (^)(NSString *state))done;
- (void)ask:(void (^)(NSString *state))done;
- (void)show:(NSDictionary<NSString *, id> *)details;
- (void)close:(NSString *)identifier;
@end
NS_ASSUME_NONNULL_END
