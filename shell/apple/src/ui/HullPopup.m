#import "HullPopup.h"
#import "UIColor+Hull.h"

/// In points.
enum { BAR = 52, SIDE = 16 };

// Called by name.
@interface HullPopup ()
- (void)close;
@end

HULL_DIRECT @implementation HullPopup {
    UILabel *_host;
    UIButton *_close;
}

- (instancetype)initWithApp:(HullApp *)app configuration:(WKWebViewConfiguration *)configuration {
    if ((self = [super initWithApp:app])) {
        HullColors *light = app.settings.light, *dark = app.settings.dark;
        UIColor *ink = [UIColor hullInkOnLight:light.background dark:dark.background];
        self.view.backgroundColor = [UIColor hullLight:light.background dark:dark.background];
        [self makePages:configuration];
        _host = [[UILabel alloc] initWithFrame:CGRectMake(0, 0, 0, 0)];
        _host.font = [UIFont preferredFontForTextStyle:UIFontTextStyleBody];
        _host.adjustsFontForContentSizeCategory = YES;
        _host.textColor = ink;
        _close = [UIButton buttonWithType:UIButtonTypeSystem];
        [_close setTitle:[app.words text:@"close"] forState:UIControlStateNormal];
        [_close setTitleColor:ink forState:UIControlStateNormal];
        [_close addTarget:self action:@selector(close) forControlEvents:UIControlEventTouchUpInside];
        [self.view addSubview:_host];
        [self.view addSubview:_close];
    }
    return self;
}

- (void)viewDidLayoutSubviews {
    [super viewDidLayoutSubviews];
    UIEdgeInsets safe = self.view.safeAreaInsets;
    CGRect bounds = self.view.bounds;
    CGFloat top = safe.top + BAR;
    CGFloat left = safe.left + SIDE;
    CGFloat width = bounds.size.width - left - safe.right - SIDE;
    _host.frame = CGRectMake(left, safe.top, width * 2 / 3, BAR);
    _close.frame = CGRectMake(left + width * 2 / 3, safe.top, width / 3, BAR);
    self.pages.frame = CGRectMake(0, top, bounds.size.width, bounds.size.height - top);
}

- (void)close {
    [self.dialogs drop];
    [self dismissViewControllerAnimated:YES completion:nil];
}

- (void)webViewDidClose:(WKWebView *)view {
    (void)view;
    [self close];
}

/// Signing in goes by many hosts, which the bar names.
- (WKNavigationActionPolicy)policyOutside:(NSURL *)url action:(WKNavigationAction *)action {
    BOOL isWeb = HullIsWeb(url.absoluteString);
    return isWeb ? WKNavigationActionPolicyAllow : [super policyOutside:url action:action];
}

- (void)webView:(WKWebView *)view didCommitNavigation:(WKNavigation *)navigation {
    (void)navigation;
    _host.text = view.URL.host ?: @"";
}
@end
