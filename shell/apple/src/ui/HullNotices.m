#import "HullNotices.h"

HULL_DIRECT @implementation HullNotices

- (instancetype)init {
    if ((self = [super init])) _state = @"default";
    return self;
}

- (void)begin {
    [UNUserNotificationCenter currentNotificationCenter].delegate = self;
    [self refresh:^(NSString *state) {
        (void)state;
    }];
}

- (void)tell:(void (^)(NSString *))done state:(NSString *)state {
    dispatch_async(dispatch_get_main_queue(), ^{
        self->_state = state;
        done(state);
    });
}

- (void)refresh:(void (^)(NSString *))done {
    UNUserNotificationCenter *center = [UNUserNotificationCenter currentNotificationCenter];
    [center getNotificationSettingsWithCompletionHandler:^(UNNotificationSettings *settings) {
        UNAuthorizationStatus status = settings.authorizationStatus;
        BOOL isOpen = status == UNAuthorizationStatusNotDetermined;
        [self tell:done state:isOpen ? @"default" : status == UNAuthorizationStatusDenied ? @"denied" : @"granted"];
    }];
}

- (void)ask:(void (^)(NSString *))done {
    UNUserNotificationCenter *center = [UNUserNotificationCenter currentNotificationCenter];
    [center requestAuthorizationWithOptions:UNAuthorizationOptionAlert | UNAuthorizationOptionSound | UNAuthorizationOptionBadge
                          completionHandler:^(BOOL granted, NSError *error) {
                              (void)error;
                              [self tell:done state:granted ? @"granted" : @"denied"];
                          }];
}

- (void)show:(NSDictionary<NSString *, id> *)details {
    if (![self.state isEqualToString:@"granted"]) return;
    UNMutableNotificationContent *content = [[UNMutableNotificationContent alloc] init];
    content.title = HullText(details, @"title");
    content.body = HullText(details, @"body");
    content.sound = HullFlag(details, @"silent") ? nil : UNNotificationSound.defaultSound;
    UNNotificationRequest *request = [UNNotificationRequest requestWithIdentifier:HullText(details, @"id")
                                                                          content:content
                                                                          trigger:nil];
    [[UNUserNotificationCenter currentNotificationCenter] addNotificationRequest:request withCompletionHandler:nil];
}

- (void)close:(NSString *)identifier {
    [[UNUserNotificationCenter currentNotificationCenter] removeDeliveredNotificationsWithIdentifiers:@[ identifier ]];
}

- (void)userNotificationCenter:(UNUserNotificationCenter *)center
       willPresentNotification:(UNNotification *)notification
         withCompletionHandler:(void (^)(UNNotificationPresentationOptions))done {
    (void)center;
    (void)notification;
    done(UNNotificationPresentationOptionBanner | UNNotificationPresentationOptionList | UNNotificationPresentationOptionSound);
}

- (void)userNotificationCenter:(UNUserNotificationCenter *)center
    didReceiveNotificationResponse:(UNNotificationResponse *)response
             withCompletionHandler:(void (^)(void))done {
    (void)center;
    if (self.touched != nil) self.touched(response.notification.request.identifier);
    done();
}
@end
