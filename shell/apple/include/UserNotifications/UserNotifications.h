// Declarations of our own: only what the shell uses. Each names its page in the platform's public documentation.
#pragma once
#import <Foundation/Foundation.h>
NS_ASSUME_NONNULL_BEGIN
/// doc: usernotifications/unauthorizationoptions
typedef NS_OPTIONS(NSUInteger, UNAuthorizationOptions) {
    UNAuthorizationOptionBadge = 1 << 0,
    UNAuthorizationOptionSound = 1 << 1,
    UNAuthorizationOptionAlert = 1 << 2,
};
/// doc: usernotifications/unauthorizationstatus
typedef NS_ENUM(NSInteger, UNAuthorizationStatus) {
    UNAuthorizationStatusNotDetermined = 0,
    UNAuthorizationStatusDenied = 1,
    UNAuthorizationStatusAuthorized = 2,
    UNAuthorizationStatusProvisional = 3,
    UNAuthorizationStatusEphemeral = 4,
};
/// doc: usernotifications/unnotificationpresentationoptions
typedef NS_OPTIONS(NSUInteger, UNNotificationPresentationOptions) {
    UNNotificationPresentationOptionSound = 1 << 1,
    UNNotificationPresentationOptionList = 1 << 3,
    UNNotificationPresentationOptionBanner = 1 << 4,
};
/// doc: usernotifications/unnotificationsettings
@interface UNNotificationSettings : NSObject
@property(readonly) UNAuthorizationStatus authorizationStatus;
@end
/// doc: usernotifications/unnotificationsound
@interface UNNotificationSound : NSObject
@property(class, readonly, copy) UNNotificationSound *defaultSound;
@end
/// doc: usernotifications/unnotificationcontent
@interface UNNotificationContent : NSObject <NSCopying>
@end
/// doc: usernotifications/unmutablenotificationcontent
@interface UNMutableNotificationContent : UNNotificationContent
@property(copy) NSString *title;
@property(copy) NSString *body;
@property(nullable, copy) UNNotificationSound *sound;
@end
/// doc: usernotifications/unnotificationrequest
@interface UNNotificationRequest : NSObject
+ (instancetype)requestWithIdentifier:(NSString *)identifier
                              content:(UNNotificationContent *)content
                              trigger:(nullable id)trigger;
@property(readonly, copy) NSString *identifier;
@end
/// doc: usernotifications/unnotification
@interface UNNotification : NSObject
@property(readonly, copy) UNNotificationRequest *request;
@end
/// doc: usernotifications/unnotificationresponse
@interface UNNotificationResponse : NSObject
@property(readonly, copy) UNNotification *notification;
@end
@class UNUserNotificationCenter;
/// doc: usernotifications/unusernotificationcenterdelegate
@protocol UNUserNotificationCenterDelegate <NSObject>
@optional
- (void)userNotificationCenter:(UNUserNotificationCenter *)center
       willPresentNotification:(UNNotification *)notification
         withCompletionHandler:(void (^)(UNNotificationPresentationOptions options))done;
- (void)userNotificationCenter:(UNUserNotificationCenter *)center
    didReceiveNotificationResponse:(UNNotificationResponse *)response
             withCompletionHandler:(void (^)(void))done;
@end
/// doc: usernotifications/unusernotificationcenter
@interface UNUserNotificationCenter : NSObject
+ (UNUserNotificationCenter *)currentNotificationCenter;
@property(nullable, weak) id<UNUserNotificationCenterDelegate> delegate;
- (void)requestAuthorizationWithOptions:(UNAuthorizationOptions)options
                      completionHandler:(void (^)(BOOL granted, NSError *_Nullable error))done;
- (void)getNotificationSettingsWithCompletionHandler:(void (^)(UNNotificationSettings *settings))done;
- (void)addNotificationRequest:(UNNotificationRequest *)request
         withCompletionHandler:(nullable void (^)(NSError *_Nullable error))done;
- (void)removeDeliveredNotificationsWithIdentifiers:(NSArray<NSString *> *)identifiers;
@end
NS_ASSUME_NONNULL_END
