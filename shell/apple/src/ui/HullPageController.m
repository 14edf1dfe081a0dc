#import "HullPageController.h"
#import "HullColor.h"
#import "HullJson.h"
#import "HullPageServices.h"
#import "HullSchemeHandler.h"
#import "HullSignIn.h"
#import "HullTroubleView.h"
#import "UIColor+Hull.h"

/// In points, and in seconds.
enum { BAR = 48, LONGEST_START = 2, SOON_AGAIN = 60 };

// Called by name.
@interface HullPageController ()
- (void)pulled:(UIRefreshControl *)pull;
- (void)scaleText;
- (void)goBack;
- (void)reload;
@end

HULL_DIRECT @implementation HullPageController {
    HullNotices *_notices;
    HullPageServices *_services;
    HullSignIn *_signIn;
    HullTroubleView *_trouble;
    /// Behind the status bar, where pages keep clear of it.
    UIView *_top;
    /// Background and logo, until the first page is drawn.
    UIView *_launch;
    /// Over everything while the window is among those of other apps, where the app hides its content.
    UIView *_curtain;
    UIView *_bar;
    UIButton *_back, *_again;
    /// What is to be opened once the view is there.
    NSString *_kept;
    /// What was asked for last, as the web has it: a retry asks for the same.
    NSString *_wanted;
    NSTimeInterval _stoppedAt;
    BOOL _stoppedUnseen, _isSeen;
}

- (instancetype)initWithApp:(HullApp *)app notices:(HullNotices *)notices {
    if ((self = [super initWithApp:app])) {
        _notices = notices;
        __weak HullPageController *weakSelf = self;
        _signIn = [[HullSignIn alloc] initWithWindow:^UIWindow * {
            return weakSelf.view.window;
        }];
    }
    return self;
}

#pragma mark - The view

- (void)viewDidLoad {
    [super viewDidLoad];
    UIColor *background = [UIColor hullLight:_settings.light.background dark:_settings.dark.background];
    self.view.backgroundColor = background;
    WKWebView *pages = [self makePages:[self configuration]];
    pages.backgroundColor = background;
    pages.underPageBackgroundColor = background;
    pages.scrollView.contentInsetAdjustmentBehavior = UIScrollViewContentInsetAdjustmentNever;
    if (_settings.pullToRefresh) {
        UIRefreshControl *pull = [[UIRefreshControl alloc] initWithFrame:CGRectMake(0, 0, 0, 0)];
        [pull addTarget:self action:@selector(pulled:) forControlEvents:UIControlEventValueChanged];
        pages.scrollView.refreshControl = pull;
    }
    _top = [self block:[UIColor hullLight:_settings.light.theme dark:_settings.dark.theme]];
    _top.hidden = _settings.covers;
    if (_settings.minimal) [self makeBar];
    __weak HullPageController *weakSelf = self;
    _trouble = [[HullTroubleView alloc] initWithApp:self.app retry:^{
        [weakSelf retry];
    }];
    [self.view addSubview:_trouble];
    _launch = [self block:background];
    UIImageView *logo = [[UIImageView alloc] initWithImage:[UIImage imageNamed:@"Launch"]];
    logo.translatesAutoresizingMaskIntoConstraints = NO;
    [_launch addSubview:logo];
    [NSLayoutConstraint activateConstraints:@[
        [logo.centerXAnchor constraintEqualToAnchor:_launch.centerXAnchor],
        [logo.centerYAnchor constraintEqualToAnchor:_launch.centerYAnchor],
    ]];
    [[NSNotificationCenter defaultCenter] addObserver:self
                                             selector:@selector(scaleText)
                                                 name:UIContentSizeCategoryDidChangeNotification
                                               object:nil];
    UIApplication.sharedApplication.idleTimerDisabled = _settings.keepScreenOn;
    if (_kept != nil) [self load:_kept];
}

- (UIView *)block:(UIColor *)color {
    UIView *view = [[UIView alloc] initWithFrame:self.view.bounds];
    view.backgroundColor = color;
    [self.view addSubview:view];
    return view;
}

- (WKWebViewConfiguration *)configuration {
    WKWebViewConfiguration *configuration = [[WKWebViewConfiguration alloc] init];
    configuration.allowsInlineMediaPlayback = YES;
    configuration.mediaTypesRequiringUserActionForPlayback = WKAudiovisualMediaTypeNone;
    // Sites that look for the platform's own browser find it.
    configuration.applicationNameForUserAgent = @"Version/15.0 Safari/605.1.15";
    configuration.limitsNavigationsToAppBoundDomains = _settings.appBound;
    _services = [[HullPageServices alloc] initWithApp:self.app notices:_notices];
    _services.page = self;
    WKUserContentController *content = configuration.userContentController;
    [content addScriptMessageHandlerWithReply:_services contentWorld:WKContentWorld.pageWorld name:@"hull"];
    [content addUserScript:[[WKUserScript alloc] initWithSource:_settings.script
                                                  injectionTime:WKUserScriptInjectionTimeAtDocumentStart
                                               forMainFrameOnly:YES]];
    if (_site != nil) {
        [configuration setURLSchemeHandler:[[HullSchemeHandler alloc] initWithApp:self.app] forURLScheme:_settings.pageScheme];
    }
    return configuration;
}

- (void)makeBar {
    UIColor *ink = [UIColor hullInkOnLight:_settings.light.theme dark:_settings.dark.theme];
    _bar = [self block:[UIColor hullLight:_settings.light.theme dark:_settings.dark.theme]];
    _back = [self button:@"back" ink:ink does:@selector(goBack)];
    _again = [self button:@"reload" ink:ink does:@selector(reload)];
}

- (UIButton *)button:(NSString *)word ink:(UIColor *)ink does:(SEL)action {
    UIButton *button = [UIButton buttonWithType:UIButtonTypeSystem];
    [button setTitle:[_words text:word] forState:UIControlStateNormal];
    [button setTitleColor:ink forState:UIControlStateNormal];
    [button addTarget:self action:action forControlEvents:UIControlEventTouchUpInside];
    [_bar addSubview:button];
    return button;
}

- (void)viewDidLayoutSubviews {
    [super viewDidLayoutSubviews];
    CGRect bounds = self.view.bounds;
    UIEdgeInsets safe = self.view.safeAreaInsets;
    UIEdgeInsets none = {0, 0, 0, 0};
    UIEdgeInsets edges = _settings.covers ? none : safe;
    CGFloat bar = _bar == nil ? 0 : BAR;
    CGFloat bottom = edges.bottom + bar;
    CGFloat width = bounds.size.width - edges.left - edges.right;
    self.pages.frame = CGRectMake(edges.left, edges.top, width, bounds.size.height - edges.top - bottom);
    _top.frame = CGRectMake(0, 0, bounds.size.width, edges.top);
    _bar.frame = CGRectMake(0, bounds.size.height - bottom, bounds.size.width, bottom);
    _back.frame = CGRectMake(edges.left, 0, width / 2, BAR);
    _again.frame = CGRectMake(edges.left + width / 2, 0, width / 2, BAR);
    _trouble.frame = bounds;
    _launch.frame = bounds;
    _curtain.frame = bounds;
}

- (UIStatusBarStyle)preferredStatusBarStyle {
    BOOL isNight = self.traitCollection.userInterfaceStyle == UIUserInterfaceStyleDark;
    HullColors *colors = isNight ? _settings.dark : _settings.light;
    // Trouble and start cover what is behind the bar.
    BOOL isCovered = _trouble.shown != nil || _launch != nil;
    return HullIsDark(isCovered ? colors.background : colors.theme) ? UIStatusBarStyleLightContent : UIStatusBarStyleDarkContent;
}

- (BOOL)prefersStatusBarHidden {
    return _settings.fullscreen;
}

- (BOOL)prefersHomeIndicatorAutoHidden {
    return _settings.fullscreen;
}

- (void)traitCollectionDidChange:(UITraitCollection *)previous {
    [super traitCollectionDidChange:previous];
    [self setNeedsStatusBarAppearanceUpdate];
}

/// Pages in letters of the size that the user chose.
- (void)scaleText {
    NSInteger percent = (NSInteger)[UIFontMetrics.defaultMetrics scaledValueForValue:100];
    NSString *script = [NSString stringWithFormat:@"document.documentElement.style.webkitTextSizeAdjust = '%ld%%'", (long)percent];
    [self.pages evaluateJavaScript:script completionHandler:nil];
}

- (void)pulled:(UIRefreshControl *)pull {
    [self.pages reload];
    [pull endRefreshing];
}

- (void)goBack {
    [self.pages goBack];
}

- (void)reload {
    [self.pages reload];
}

#pragma mark - Opening pages

- (void)load:(NSString *)webAddress {
    _wanted = webAddress;
    if (self.pages == nil) {
        _kept = _wanted;
        return;
    }
    [self openInside:webAddress];
}

- (void)open:(NSString *)url {
    if (url == nil) {
        [self load:_settings.start];
        return;
    }
    NSString *page = [_settings pageMeantBy:url];
    HullAddress *address = [HullAddress addressOf:url];
    BOOL isOwnScheme = [HullScheme(url) isEqualToString:_settings.scheme ?: @""];
    if (page != nil && (isOwnScheme || [_settings opens:address])) {
        [self load:page];
        return;
    }
    // A rule leaves the link to the browser, which the system could not know.
    NSURL *outside = page == nil || isOwnScheme ? nil : [NSURL URLWithString:url];
    if (outside != nil) [self leave:outside];
    if (_wanted == nil) [self load:_settings.start];
}

- (void)restore:(NSString *)webAddress {
    NSString *page = [_settings pageMeantBy:webAddress];
    [self load:page ?: _settings.start];
}

- (NSString *)openPage {
    NSString *url = self.pages.URL.absoluteString;
    NSString *web = url == nil ? _wanted : [_settings webAddressOf:url];
    return web == nil ? nil : [_settings pageMeantBy:web];
}

- (void)retry {
    NSString *open = self.openPage;
    [self load:_wanted ?: open ?: _settings.start];
}

- (WKNavigationActionPolicy)policyOutside:(NSURL *)url action:(WKNavigationAction *)action {
    NSString *scheme = _settings.scheme;
    if (scheme != nil && [HullSignIn isRequest:url.absoluteString ?: @"" settings:_settings]) {
        __weak HullPageController *weakSelf = self;
        [_signIn start:url scheme:scheme done:^(NSURL *led) {
            if (led.absoluteString != nil) [weakSelf open:led.absoluteString];
        }];
        return WKNavigationActionPolicyCancel;
    }
    if (scheme != nil && [HullScheme(url.absoluteString) isEqualToString:scheme]) {
        [self open:url.absoluteString];
        return WKNavigationActionPolicyCancel;
    }
    return [super policyOutside:url action:action];
}

#pragma mark - How loading goes

- (void)webView:(WKWebView *)view didCommitNavigation:(WKNavigation *)navigation {
    (void)navigation;
    NSString *page = view.URL.absoluteString;
    if (page != nil) _wanted = [_settings webAddressOf:page];
    [_trouble hide];
    __weak HullPageController *weakSelf = self;
    dispatch_after(dispatch_time(DISPATCH_TIME_NOW, LONGEST_START * (long long)NSEC_PER_SEC), dispatch_get_main_queue(), ^{
        [weakSelf begun];
    });
    [self setNeedsStatusBarAppearanceUpdate];
}

- (void)webView:(WKWebView *)view didFinishNavigation:(WKNavigation *)navigation {
    (void)view;
    (void)navigation;
    [self begun];
    if ((NSInteger)[UIFontMetrics.defaultMetrics scaledValueForValue:100] != 100) [self scaleText];
}

/// The first page is there.
- (void)begun {
    [_launch removeFromSuperview];
    _launch = nil;
    [self setNeedsStatusBarAppearanceUpdate];
}

- (void)show:(HullTrouble)why {
    [self begun];
    [_trouble show:why];
    [self.view bringSubviewToFront:_trouble];
    [self setNeedsStatusBarAppearanceUpdate];
}

- (void)webView:(WKWebView *)view didFailProvisionalNavigation:(WKNavigation *)navigation withError:(NSError *)error {
    (void)view;
    (void)navigation;
    BOOL isLoading = [error.domain isEqualToString:NSURLErrorDomain];
    // Stopped for something else: another page, a download, an app outside.
    if (!isLoading || error.code == NSURLErrorCancelled) return;
    BOOL isUnsafe = error.code <= NSURLErrorSecureConnectionFailed && error.code >= NSURLErrorClientCertificateRequired;
    if (isUnsafe || error.code == NSURLErrorAppTransportSecurityRequiresSecureConnection) {
        [self show:HullTroubleUnsafe];
        return;
    }
    NSString *offline = _settings.offlinePage;
    if (offline != nil && ![_wanted isEqualToString:offline]) {
        [self load:offline];
        return;
    }
    [self show:HullTroubleOffline];
}

- (void)webView:(WKWebView *)view
    decidePolicyForNavigationResponse:(WKNavigationResponse *)response
                      decisionHandler:(void (^)(WKNavigationResponsePolicy))decide {
    NSURLResponse *answer = response.response;
    NSInteger status = [answer isKindOfClass:[NSHTTPURLResponse class]] ? ((NSHTTPURLResponse *)answer).statusCode : 200;
    HullTrouble why = [_settings troubleOf:answer.URL.absoluteString status:status];
    if (response.forMainFrame && why != nil) {
        decide(WKNavigationResponsePolicyCancel);
        [self show:why];
        return;
    }
    [super webView:view decidePolicyForNavigationResponse:response decisionHandler:decide];
}

- (void)webViewWebContentProcessDidTerminate:(WKWebView *)view {
    if (!_isSeen) {
        _stoppedUnseen = YES;
        return;
    }
    NSTimeInterval now = [NSDate date].timeIntervalSinceReferenceDate;
    BOOL again = _stoppedAt != 0 && now - _stoppedAt < SOON_AGAIN;
    _stoppedAt = now;
    if (again) [self show:HullTroubleStopped];
    else [view reload];
}

#pragma mark - Being seen

- (void)appeared {
    _isSeen = YES;
    [_curtain removeFromSuperview];
    _curtain = nil;
    if (_stoppedUnseen) {
        _stoppedUnseen = NO;
        [self.pages reload];
    } else if (_trouble.shown != nil && [_trouble.shown isEqualToString:HullTroubleOffline]) {
        [self retry];
    }
}

- (void)covered {
    _isSeen = NO;
    if (!_settings.secure || _curtain != nil) return;
    HullColors *light = _settings.light, *dark = _settings.dark;
    _curtain = [self block:[UIColor hullLight:light.background dark:dark.background]];
}
@end
