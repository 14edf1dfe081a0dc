#import "fakes.h"

System theSystem = {NO, YES, YES, YES, 1};
static NSMutableArray<NSString *> *notes;
static NSMutableArray *waiting, *later;

NSMutableArray<NSString *> *Notes(void) {
    if (notes == nil) notes = [NSMutableArray array];
    return notes;
}
#define NOTE(...) [Notes() addObject:[NSString stringWithFormat:__VA_ARGS__]]

// The queues.

struct dispatch_queue_s {
    int unused;
} _dispatch_main_q;

void dispatch_async(dispatch_queue_t queue, dispatch_block_t block) {
    if (waiting == nil) waiting = [NSMutableArray array];
    [waiting addObject:[block copy]];
}
dispatch_queue_t dispatch_queue_create(const char *label, id attributes) {
    return (dispatch_queue_t)[[NSObject alloc] init];
}
unsigned long long dispatch_time(unsigned long long when, long long delta) {
    return when + (unsigned long long)delta;
}
void dispatch_after(unsigned long long when, dispatch_queue_t queue, dispatch_block_t block) {
    if (later == nil) later = [NSMutableArray array];
    [later addObject:[block copy]];
}
static void run(NSMutableArray *__strong *from) {
    while ((*from).count != 0) {
        NSArray *all = [*from copy];
        *from = [NSMutableArray array];
        for (dispatch_block_t block in all) block();
    }
}
void RunQueue(void) {
    run(&waiting);
}
void RunLater(void) {
    run(&later);
    run(&waiting);
}

// Foundation, where GNUstep's differs or is missing.

NSString *const NSUserActivityTypeBrowsingWeb = @"NSUserActivityTypeBrowsingWeb";
NSString *const UIContentSizeCategoryDidChangeNotification = @"UIContentSizeCategoryDidChange";
UIFontTextStyle const UIFontTextStyleTitle2 = @"title2";
UIFontTextStyle const UIFontTextStyleBody = @"body";
#define EMPTY(name) @implementation name @end

// GNUstep's has no sessions.
EMPTY(NSURLSessionTask)
@implementation NSURLSessionDataTask
- (void)resume {
    NOTE(@"asked");
}
- (void)cancel {
    NOTE(@"no longer asked");
}
@end
@implementation NSURLSessionConfiguration
+ (NSURLSessionConfiguration *)defaultSessionConfiguration {
    return [[self alloc] init];
}
@end
static NSURLSession *madeSession;
@implementation NSURLSession {
    id<NSURLSessionDataDelegate> _told;
    NSURLSessionDataTask *_task;
    NSURLRequest *_request;
}
+ (NSURLSession *)sessionWithConfiguration:(NSURLSessionConfiguration *)configuration
                                  delegate:(id<NSURLSessionDelegate>)delegate
                             delegateQueue:(NSOperationQueue *)queue {
    madeSession = [[self alloc] init];
    madeSession->_told = (id<NSURLSessionDataDelegate>)delegate;
    return madeSession;
}
+ (NSURLSession *)made {
    return madeSession;
}
- (NSURLSessionDataTask *)dataTaskWithRequest:(NSURLRequest *)request {
    NOTE(@"network %@", request.URL.absoluteString);
    _request = request;
    _task = [[NSURLSessionDataTask alloc] init];
    return _task;
}
- (id<NSURLSessionDataDelegate>)told {
    return _told;
}
- (NSURLSessionDataTask *)lastTask {
    return _task;
}
- (NSURLRequest *)lastRequest {
    return _request;
}
@end

// UIKit.

EMPTY(UIResponder)
EMPTY(UIScene)
EMPTY(UIWindowScene)
@interface UIColor ()
@property(nonatomic, copy) NSString *text;
@end
@implementation UIColor
+ (UIColor *)colorWithRed:(CGFloat)red green:(CGFloat)green blue:(CGFloat)blue alpha:(CGFloat)alpha {
    UIColor *made = [[self alloc] init];
    made.text = [NSString stringWithFormat:@"%.0f %.0f %.0f", red * 255, green * 255, blue * 255];
    return made;
}
+ (UIColor *)colorWithDynamicProvider:(UIColor * (^)(UITraitCollection *))provider {
    return provider([[UITraitCollection alloc] init]);
}
- (id)copyWithZone:(NSZone *)zone {
    return self;
}
- (NSString *)description {
    return self.text;
}
@end
@implementation UITraitCollection
- (UIUserInterfaceStyle)userInterfaceStyle {
    return theSystem.isNight ? UIUserInterfaceStyleDark : UIUserInterfaceStyleLight;
}
@end
@implementation NSLayoutAnchor
- (NSLayoutConstraint *)constraintEqualToAnchor:(NSLayoutAnchor *)other {
    return [[NSLayoutConstraint alloc] init];
}
- (NSLayoutConstraint *)constraintEqualToAnchor:(NSLayoutAnchor *)other constant:(CGFloat)constant {
    return [[NSLayoutConstraint alloc] init];
}
@end
@implementation NSLayoutDimension
- (NSLayoutConstraint *)constraintEqualToConstant:(CGFloat)constant {
    return [[NSLayoutConstraint alloc] init];
}
- (NSLayoutConstraint *)constraintLessThanOrEqualToConstant:(CGFloat)constant {
    return [[NSLayoutConstraint alloc] init];
}
- (NSLayoutConstraint *)constraintGreaterThanOrEqualToConstant:(CGFloat)constant {
    return [[NSLayoutConstraint alloc] init];
}
@end
@implementation NSLayoutConstraint
+ (void)activateConstraints:(NSArray<NSLayoutConstraint *> *)constraints {
}
@end
@interface UIView ()
@property(nonatomic, weak) UIWindow *shownIn;
@end
@implementation UIView
@synthesize frame, bounds, backgroundColor, autoresizingMask, hidden, contentMode, translatesAutoresizingMaskIntoConstraints,
    accessibilityViewIsModal;
- (instancetype)initWithFrame:(CGRect)given {
    if ((self = [super init])) {
        self.frame = given;
        self.bounds = given;
    }
    return self;
}
- (UIEdgeInsets)safeAreaInsets {
    UIEdgeInsets insets = {47, 0, 34, 0};
    return insets;
}
- (UIWindow *)window {
    return theSystem.hasWindow ? (self.shownIn ?: [[UIWindow alloc] init]) : nil;
}
- (NSLayoutAnchor *)topAnchor { return [[NSLayoutAnchor alloc] init]; }
- (NSLayoutAnchor *)bottomAnchor { return [[NSLayoutAnchor alloc] init]; }
- (NSLayoutAnchor *)leadingAnchor { return [[NSLayoutAnchor alloc] init]; }
- (NSLayoutAnchor *)trailingAnchor { return [[NSLayoutAnchor alloc] init]; }
- (NSLayoutAnchor *)centerXAnchor { return [[NSLayoutAnchor alloc] init]; }
- (NSLayoutAnchor *)centerYAnchor { return [[NSLayoutAnchor alloc] init]; }
- (NSLayoutDimension *)widthAnchor { return [[NSLayoutDimension alloc] init]; }
- (NSLayoutDimension *)heightAnchor { return [[NSLayoutDimension alloc] init]; }
- (void)addSubview:(UIView *)view {
}
- (void)removeFromSuperview {
    NOTE(@"removed %@", NSStringFromClass([self class]));
}
- (void)bringSubviewToFront:(UIView *)view {
}
- (UIPrintFormatter *)viewPrintFormatter {
    return [[UIPrintFormatter alloc] init];
}
@end
@implementation UIImage
+ (UIImage *)imageNamed:(NSString *)name {
    NOTE(@"image %@", name);
    return nil;
}
@end
@implementation UIImageView
- (instancetype)initWithImage:(UIImage *)image {
    return [super initWithFrame:CGRectMake(0, 0, 160, 160)];
}
@end
@implementation UIFont
+ (UIFont *)preferredFontForTextStyle:(UIFontTextStyle)style {
    return [[self alloc] init];
}
@end
@implementation UIFontMetrics
+ (UIFontMetrics *)defaultMetrics {
    return [[self alloc] init];
}
- (CGFloat)scaledValueForValue:(CGFloat)value {
    return value * theSystem.scale;
}
@end
@implementation UILabel
@synthesize text, font, textColor, textAlignment, numberOfLines, adjustsFontForContentSizeCategory;
@end
@implementation UIControl
@synthesize enabled;
- (void)addTarget:(id)target action:(SEL)action forControlEvents:(UIControlEvents)events {
    if (![target respondsToSelector:action]) NOTE(@"nobody does what a control asks for");
}
@end
@implementation UIButton
+ (instancetype)buttonWithType:(UIButtonType)type {
    return [[self alloc] initWithFrame:CGRectMake(0, 0, 0, 0)];
}
- (void)setTitle:(NSString *)title forState:(UIControlState)state {
    NOTE(@"button %@", title);
}
- (void)setTitleColor:(UIColor *)color forState:(UIControlState)state {
}
- (UILabel *)titleLabel {
    return nil;
}
@end
@implementation UIRefreshControl
- (void)endRefreshing {
    NOTE(@"end refreshing");
}
@end
@implementation UIScrollView
@synthesize contentInsetAdjustmentBehavior, refreshControl;
@end
@implementation UIWindow
@synthesize rootViewController;
- (instancetype)initWithWindowScene:(UIWindowScene *)scene {
    return [super initWithFrame:CGRectMake(0, 0, 390, 844)];
}
- (void)makeKeyAndVisible {
    UIView *view = self.rootViewController.view;
    view.shownIn = self;
    [self.rootViewController viewDidLayoutSubviews];
}
@end
@implementation UIPopoverPresentationController
@synthesize sourceView, sourceRect;
@end
static __weak UIAlertController *shownBox;
@implementation UIViewController {
    UIView *_view;
    UIViewController *_presented;
    __weak UIViewController *_presenting;
}
@synthesize title;
- (instancetype)initWithNibName:(NSString *)name bundle:(NSBundle *)bundle {
    return [super init];
}
- (UIView *)view {
    if (_view == nil) {
        _view = [[UIView alloc] initWithFrame:CGRectMake(0, 0, 390, 844)];
        [self viewDidLoad];
    }
    return _view;
}
- (void)setView:(UIView *)view {
    _view = view;
}
- (UIView *)viewIfLoaded {
    return _view;
}
- (void)viewDidLoad {
}
- (void)viewDidLayoutSubviews {
}
- (void)traitCollectionDidChange:(UITraitCollection *)previous {
}
- (UITraitCollection *)traitCollection {
    return [[UITraitCollection alloc] init];
}
- (UIStatusBarStyle)preferredStatusBarStyle {
    return UIStatusBarStyleDefault;
}
- (BOOL)prefersStatusBarHidden {
    return NO;
}
- (BOOL)prefersHomeIndicatorAutoHidden {
    return NO;
}
- (void)setNeedsStatusBarAppearanceUpdate {
}
- (void)presentViewController:(UIViewController *)controller animated:(BOOL)animated completion:(void (^)(void))done {
    _presented = controller;
    controller->_presenting = self;
    NOTE(@"present %@", NSStringFromClass([controller class]));
    if ([controller isKindOfClass:[UIAlertController class]]) shownBox = (UIAlertController *)controller;
    if (done != nil) done();
}
- (void)dismissViewControllerAnimated:(BOOL)animated completion:(void (^)(void))done {
    NOTE(@"dismiss %@", NSStringFromClass([self class]));
    [self forget];
    if (done != nil) done();
}
- (void)forget {
    UIViewController *presenting = _presenting;
    if (presenting != nil) presenting->_presented = nil;
}
- (UIViewController *)presentedViewController {
    return _presented;
}
- (UIPopoverPresentationController *)popoverPresentationController {
    return nil;
}
@end
@interface UIAlertAction ()
@property(nonatomic, copy) NSString *title;
@property(nonatomic, copy) void (^act)(UIAlertAction *);
@end
@implementation UIAlertAction
+ (instancetype)actionWithTitle:(NSString *)title style:(UIAlertActionStyle)style handler:(void (^)(UIAlertAction *))handler {
    UIAlertAction *made = [[self alloc] init];
    made.title = title;
    made.act = handler;
    return made;
}
@end
@implementation UITextField
@synthesize text, placeholder, secureTextEntry;
@end
@implementation UIAlertController {
    NSMutableArray<UIAlertAction *> *_actions;
    NSMutableArray<UITextField *> *_fields;
    NSString *_message;
}
+ (instancetype)alertControllerWithTitle:(NSString *)given message:(NSString *)message preferredStyle:(UIAlertControllerStyle)style {
    UIAlertController *made = [[self alloc] initWithNibName:nil bundle:nil];
    made.title = given;
    made->_message = [message copy];
    made->_actions = [NSMutableArray array];
    made->_fields = [NSMutableArray array];
    return made;
}
- (void)addAction:(UIAlertAction *)action {
    [_actions addObject:action];
}
- (void)addTextFieldWithConfigurationHandler:(void (^)(UITextField *))configure {
    UITextField *field = [[UITextField alloc] initWithFrame:CGRectMake(0, 0, 0, 0)];
    configure(field);
    [_fields addObject:field];
}
- (NSArray<UITextField *> *)textFields {
    return _fields;
}
- (NSString *)boxTitle {
    return self.title;
}
- (NSString *)boxMessage {
    return _message;
}
+ (UIAlertController *)shown {
    return shownBox;
}
- (void)touch:(NSString *)given {
    [self forget];
    shownBox = nil;
    for (UIAlertAction *action in [_actions copy]) {
        if ([action.title isEqualToString:given]) action.act(action);
    }
}
@end
static UIActivityViewController *shownSheet;
@implementation UIActivityViewController {
    NSArray *_items;
}
@synthesize completionWithItemsHandler;
- (instancetype)initWithActivityItems:(NSArray *)items applicationActivities:(NSArray *)activities {
    if ((self = [super initWithNibName:nil bundle:nil])) {
        _items = [items copy];
        shownSheet = self;
        NOTE(@"share %@", [items componentsJoinedByString:@", "]);
    }
    return self;
}
+ (UIActivityViewController *)shown {
    return shownSheet;
}
- (NSArray *)items {
    return _items;
}
@end
EMPTY(UIPrintFormatter)
@implementation UIPrintInfo
@synthesize jobName;
+ (UIPrintInfo *)printInfo {
    return [[self alloc] init];
}
@end
@implementation UIPrintInteractionController
@synthesize printInfo, printFormatter;
+ (UIPrintInteractionController *)sharedPrintController {
    static UIPrintInteractionController *shared;
    if (shared == nil) shared = [[self alloc] init];
    return shared;
}
- (BOOL)presentAnimated:(BOOL)animated completionHandler:(void (^)(UIPrintInteractionController *, BOOL, NSError *))done {
    NOTE(@"print %@", self.printInfo.jobName);
    done(self, YES, nil);
    return YES;
}
@end
@implementation UIPasteboard
@synthesize string;
+ (UIPasteboard *)generalPasteboard {
    static UIPasteboard *shared;
    if (shared == nil) shared = [[self alloc] init];
    return shared;
}
@end
@implementation UIOpenURLContext
- (NSURL *)URL {
    return [NSURL URLWithString:@"saltmarsh-ferry://pier.html"];
}
@end
@implementation UIApplicationShortcutItem
@synthesize userInfo;
@end
@implementation UISceneConnectionOptions
- (NSSet *)URLContexts {
    return [NSMutableSet set];
}
- (NSSet *)userActivities {
    return [NSMutableSet set];
}
- (UIApplicationShortcutItem *)shortcutItem {
    return nil;
}
@end
@implementation UISceneSession
- (NSUserActivity *)stateRestorationActivity {
    return nil;
}
@end
@implementation UIApplication
@synthesize idleTimerDisabled;
+ (UIApplication *)sharedApplication {
    static UIApplication *shared;
    if (shared == nil) shared = [[self alloc] init];
    return shared;
}
- (void)openURL:(NSURL *)url options:(NSDictionary *)options completionHandler:(void (^)(BOOL))done {
    NOTE(@"open %@", url.absoluteString);
    done(theSystem.opens);
}
@end

// WebKit.

@interface WKSecurityOrigin ()
@property(nonatomic, copy) NSString *scheme, *name;
@end
@implementation WKSecurityOrigin
- (NSString *)protocol {
    return self.scheme;
}
- (NSString *)host {
    return self.name;
}
- (NSInteger)port {
    return 0;
}
@end
EMPTY(WKFrameInfo)
EMPTY(WKNavigation)
EMPTY(WKWindowFeatures)
EMPTY(WKNavigationAction)
EMPTY(WKNavigationResponse)
EMPTY(WKScriptMessage)
@implementation WKDownload
@synthesize delegate;
@end
@implementation WKUserScript
- (instancetype)initWithSource:(NSString *)source injectionTime:(WKUserScriptInjectionTime)time forMainFrameOnly:(BOOL)only {
    NOTE(@"script %@ %d", source, only);
    return [super init];
}
@end
@implementation WKContentWorld
+ (WKContentWorld *)pageWorld {
    return [[self alloc] init];
}
@end
@implementation WKUserContentController {
    id<WKScriptMessageHandlerWithReply> _handler;
}
- (void)addScriptMessageHandlerWithReply:(id<WKScriptMessageHandlerWithReply>)handler
                            contentWorld:(WKContentWorld *)world
                                    name:(NSString *)name {
    NOTE(@"handler %@", name);
    _handler = handler;
}
- (id<WKScriptMessageHandlerWithReply>)handler {
    return _handler;
}
- (void)addUserScript:(WKUserScript *)script {
}
@end
@implementation WKPreferences
@synthesize javaScriptCanOpenWindowsAutomatically;
@end
@implementation WKWebViewConfiguration {
    NSMutableDictionary<NSString *, id> *_schemes;
}
@synthesize userContentController, preferences, allowsInlineMediaPlayback, mediaTypesRequiringUserActionForPlayback,
    applicationNameForUserAgent, limitsNavigationsToAppBoundDomains;
- (instancetype)init {
    if ((self = [super init])) {
        _schemes = [NSMutableDictionary dictionary];
        self.userContentController = [[WKUserContentController alloc] init];
    }
    return self;
}
- (void)setURLSchemeHandler:(id<WKURLSchemeHandler>)handler forURLScheme:(NSString *)scheme {
    _schemes[scheme] = handler;
}
- (NSMutableDictionary<NSString *, id> *)schemes {
    return _schemes;
}
@end
@implementation WKWebView {
    UIScrollView *_scroll;
    WKWebViewConfiguration *_configuration;
    NSURL *_now;
}
@synthesize navigationDelegate, UIDelegate, allowsBackForwardNavigationGestures, underPageBackgroundColor;
- (instancetype)initWithFrame:(CGRect)given configuration:(WKWebViewConfiguration *)configuration {
    if ((self = [super initWithFrame:given])) {
        _configuration = configuration;
        _scroll = [[UIScrollView alloc] initWithFrame:given];
    }
    return self;
}
- (UIScrollView *)scrollView {
    return _scroll;
}
- (WKWebViewConfiguration *)given {
    return _configuration;
}
- (NSURL *)now {
    return _now;
}
- (void)setNow:(NSURL *)now {
    _now = now;
}
- (NSURL *)URL {
    return _now;
}
- (NSString *)title {
    return @"";
}
- (BOOL)canGoBack {
    return NO;
}
- (WKNavigation *)loadRequest:(NSURLRequest *)request {
    NOTE(@"load %@", request.URL.absoluteString);
    return nil;
}
- (WKNavigation *)reload {
    NOTE(@"reload");
    return nil;
}
- (WKNavigation *)goBack {
    NOTE(@"back");
    return nil;
}
- (void)evaluateJavaScript:(NSString *)script completionHandler:(void (^)(id, NSError *))done {
    NOTE(@"run %@", script);
}
@end

// Notifications and signing in.

@implementation UNNotificationSettings
- (UNAuthorizationStatus)authorizationStatus {
    return theSystem.allows ? UNAuthorizationStatusAuthorized : UNAuthorizationStatusDenied;
}
@end
@implementation UNNotificationSound
+ (UNNotificationSound *)defaultSound {
    return [[self alloc] init];
}
- (id)copyWithZone:(NSZone *)zone {
    return self;
}
@end
EMPTY(UNNotificationContent)
@implementation UNMutableNotificationContent
@synthesize title, body, sound;
@end
@interface UNNotificationRequest ()
@property(nonatomic, copy) NSString *name;
@property(nonatomic, strong) UNMutableNotificationContent *shown;
@end
@implementation UNNotificationRequest
+ (instancetype)requestWithIdentifier:(NSString *)identifier content:(UNNotificationContent *)content trigger:(id)trigger {
    UNNotificationRequest *made = [[self alloc] init];
    made.name = identifier;
    made.shown = (UNMutableNotificationContent *)content;
    return made;
}
- (NSString *)identifier {
    return self.name;
}
@end
EMPTY(UNNotification)
EMPTY(UNNotificationResponse)
@implementation UNUserNotificationCenter
@synthesize delegate;
+ (UNUserNotificationCenter *)currentNotificationCenter {
    static UNUserNotificationCenter *shared;
    if (shared == nil) shared = [[self alloc] init];
    return shared;
}
- (void)requestAuthorizationWithOptions:(UNAuthorizationOptions)options completionHandler:(void (^)(BOOL, NSError *))done {
    NOTE(@"notices asked");
    done(theSystem.allows, nil);
}
- (void)getNotificationSettingsWithCompletionHandler:(void (^)(UNNotificationSettings *))done {
    done([[UNNotificationSettings alloc] init]);
}
- (void)addNotificationRequest:(UNNotificationRequest *)request withCompletionHandler:(void (^)(NSError *))done {
    NOTE(@"notice %@ %@ %@", request.name, request.shown.title, request.shown.sound == nil ? @"silent" : @"loud");
}
- (void)removeDeliveredNotificationsWithIdentifiers:(NSArray<NSString *> *)identifiers {
    NOTE(@"close %@", identifiers.firstObject);
}
@end
static void (^signInDone)(NSURL *, NSError *);
@implementation ASWebAuthenticationSession
@synthesize presentationContextProvider;
- (instancetype)initWithURL:(NSURL *)url callbackURLScheme:(NSString *)scheme completionHandler:(void (^)(NSURL *, NSError *))done {
    NOTE(@"sign in %@ %@", url.absoluteString, scheme);
    signInDone = [done copy];
    return [super init];
}
- (BOOL)start {
    return YES;
}
- (void)cancel {
    NOTE(@"sign in cancelled");
}
+ (void)lead:(NSString *)url {
    signInDone(url == nil ? nil : [NSURL URLWithString:url], nil);
}
@end

// What the engine gives.

@implementation GivenFrame {
    WKSecurityOrigin *_origin;
    BOOL _main;
}
+ (instancetype)frame:(NSString *)scheme host:(NSString *)host main:(BOOL)main {
    GivenFrame *made = [[self alloc] init];
    made->_origin = [[WKSecurityOrigin alloc] init];
    made->_origin.scheme = scheme;
    made->_origin.name = host;
    made->_main = main;
    return made;
}
- (WKSecurityOrigin *)securityOrigin {
    return _origin;
}
- (BOOL)isMainFrame {
    return _main;
}
@end
@implementation GivenAction {
    NSString *_url;
    WKFrameInfo *_frame;
}
+ (instancetype)action:(NSString *)url frame:(WKFrameInfo *)frame {
    GivenAction *made = [[self alloc] init];
    made->_url = [url copy];
    made->_frame = frame;
    made.kind = WKNavigationTypeOther;
    return made;
}
- (NSURLRequest *)request {
    NSMutableURLRequest *request = [[NSURLRequest requestWithURL:[NSURL URLWithString:_url]] mutableCopy];
    if (self.method != nil) [request setHTTPMethod:self.method];
    return request;
}
- (WKFrameInfo *)targetFrame {
    return _frame;
}
- (WKNavigationType)navigationType {
    return self.kind;
}
- (BOOL)shouldPerformDownload {
    return self.downloads;
}
@end
@implementation GivenResponse {
    NSURLResponse *_response;
}
+ (instancetype)status:(NSInteger)status headers:(NSDictionary *)headers {
    GivenResponse *made = [[self alloc] init];
    made->_response = [[NSHTTPURLResponse alloc] initWithURL:[NSURL URLWithString:@"https://ferry.saltmarsh.example/"]
                                                  statusCode:status
                                                 HTTPVersion:@"HTTP/1.1"
                                                headerFields:headers];
    return made;
}
- (NSURLResponse *)response {
    return _response;
}
- (BOOL)isForMainFrame {
    return YES;
}
- (BOOL)canShowMIMEType {
    return !self.unknownType;
}
@end
@implementation GivenMessage {
    id _body;
    WKFrameInfo *_frame;
}
+ (instancetype)message:(id)body frame:(WKFrameInfo *)frame {
    GivenMessage *made = [[self alloc] init];
    made->_body = body;
    made->_frame = frame;
    return made;
}
- (id)body {
    return _body;
}
- (WKFrameInfo *)frameInfo {
    return _frame;
}
@end
@implementation GivenTask {
    NSURLRequest *_request;
}
+ (instancetype)task:(NSString *)url headers:(NSDictionary *)headers {
    GivenTask *made = [[self alloc] init];
    NSMutableURLRequest *request = [[NSURLRequest requestWithURL:[NSURL URLWithString:url]] mutableCopy];
    for (NSString *name in headers) [request setValue:headers[name] forHTTPHeaderField:name];
    made->_request = request;
    return made;
}
- (NSURLRequest *)request {
    return _request;
}
- (void)didReceiveResponse:(NSURLResponse *)response {
    _status = ((NSHTTPURLResponse *)response).statusCode;
    _answered = [((NSHTTPURLResponse *)response).allHeaderFields copy];
}
- (void)didReceiveData:(NSData *)data {
    _got += data.length;
}
- (void)didFinish {
    _finished = YES;
}
- (void)didFailWithError:(NSError *)error {
    _failed = YES;
}
@end
@implementation GivenChallenge {
    NSURLProtectionSpace *_space;
}
+ (instancetype)challenge:(NSString *)method host:(NSString *)host {
    GivenChallenge *made = [[self alloc] init];
    made->_space = [[NSURLProtectionSpace alloc] initWithHost:host port:443 protocol:@"https" realm:@"Pier" authenticationMethod:method];
    return made;
}
- (NSURLProtectionSpace *)protectionSpace {
    return _space;
}
- (NSInteger)previousFailureCount {
    return 0;
}
@end
