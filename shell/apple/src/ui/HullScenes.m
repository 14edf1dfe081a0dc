#import "HullScenes.h"
#import "HullJson.h"
#import "HullPageController.h"

/// The page that is open when the system ends the app, so that it opens there again.
static NSString *const OPEN_PAGE = @"hull.page";

HULL_DIRECT @implementation HullAppDelegate
- (BOOL)application:(UIApplication *)application didFinishLaunchingWithOptions:(NSDictionary *)options {
    (void)application;
    (void)options;
    return YES;
}
@end

HULL_DIRECT @implementation HullSceneDelegate {
    HullPageController *_page;
    HullNotices *_notices;
}

- (void)scene:(UIScene *)scene willConnectToSession:(UISceneSession *)session options:(UISceneConnectionOptions *)options {
    HullApp *app = [[HullApp alloc] initWithFolder:NSBundle.mainBundle.resourcePath ?: @""];
    if (app == nil || ![scene isKindOfClass:[UIWindowScene class]]) {
        NSLog(@"hull/shell.json is not readable");
        return;
    }
    _notices = [[HullNotices alloc] init];
    [_notices begin];
    _page = [[HullPageController alloc] initWithApp:app notices:_notices];
    __weak HullPageController *weakPage = _page;
    _notices.touched = ^(NSString *identifier) {
        NSString *script = [NSString stringWithFormat:@"window.hullNotes && hullNotes.touched(%@)", HullQuote(identifier)];
        [weakPage.pages evaluateJavaScript:script completionHandler:nil];
    };
    UIWindow *window = [[UIWindow alloc] initWithWindowScene:(UIWindowScene *)scene];
    window.rootViewController = _page;
    self.window = window;
    NSString *kept = HullText(session.stateRestorationActivity.userInfo ?: @{}, OPEN_PAGE);
    NSString *sent = options.URLContexts.anyObject.URL.absoluteString ?: [self linkOf:options.userActivities.anyObject]
                         ?: [self pageOf:options.shortcutItem];
    if (sent == nil && kept.length != 0) [_page restore:kept];
    else [_page open:sent];
    [window makeKeyAndVisible];
}

- (NSString *)linkOf:(NSUserActivity *)activity {
    BOOL isLink = [activity.activityType isEqualToString:NSUserActivityTypeBrowsingWeb];
    return isLink ? activity.webpageURL.absoluteString : nil;
}

- (NSString *)pageOf:(UIApplicationShortcutItem *)item {
    NSString *url = HullText(item.userInfo ?: @{}, @"url");
    return url.length == 0 ? nil : url;
}

- (void)openSent:(NSString *)url {
    if (url != nil) [_page open:url];
}

- (void)scene:(UIScene *)scene openURLContexts:(NSSet<UIOpenURLContext *> *)contexts {
    (void)scene;
    [self openSent:contexts.anyObject.URL.absoluteString];
}

- (void)scene:(UIScene *)scene continueUserActivity:(NSUserActivity *)activity {
    (void)scene;
    [self openSent:[self linkOf:activity]];
}

- (void)windowScene:(UIWindowScene *)scene
    performActionForShortcutItem:(UIApplicationShortcutItem *)item
               completionHandler:(void (^)(BOOL))done {
    (void)scene;
    [self openSent:[self pageOf:item]];
    done(YES);
}

- (NSUserActivity *)stateRestorationActivityForScene:(UIScene *)scene {
    (void)scene;
    NSString *page = _page.openPage;
    if (page == nil) return nil;
    NSUserActivity *activity = [[NSUserActivity alloc] initWithActivityType:OPEN_PAGE];
    activity.userInfo = @{ OPEN_PAGE : page };
    return activity;
}

- (void)sceneDidBecomeActive:(UIScene *)scene {
    (void)scene;
    [_page appeared];
}

- (void)sceneWillResignActive:(UIScene *)scene {
    (void)scene;
    [_page covered];
}
@end
