#import "HullPage.h"
#import "HullDownload.h"
#import "HullJson.h"
#import "HullPopup.h"

NSString *HullOriginOf(WKSecurityOrigin *origin) {
    return HullOrigin(origin.protocol, origin.host, origin.port);
}

HULL_DIRECT @implementation HullPage {
    /// Those that are not over.
    NSMutableSet<HullDownload *> *_downloads;
}

- (instancetype)initWithApp:(HullApp *)app {
    if ((self = [super initWithNibName:nil bundle:nil])) {
        _app = app;
        _settings = app.settings;
        _words = app.words;
        _site = app.site;
        _downloads = [NSMutableSet set];
        _dialogs = [[HullDialogs alloc] initWithPresenter:self words:app.words];
    }
    return self;
}

- (void)dealloc {
    [_dialogs drop];
}

- (WKWebView *)makePages:(WKWebViewConfiguration *)configuration {
    _pages = [[WKWebView alloc] initWithFrame:self.view.bounds configuration:configuration];
    _pages.navigationDelegate = self;
    _pages.UIDelegate = self;
    _pages.allowsBackForwardNavigationGestures = YES;
    [self.view addSubview:_pages];
    return _pages;
}

- (void)openInside:(NSString *)webAddress {
    NSURL *url = [NSURL URLWithString:[_site addressOfPage:webAddress] ?: webAddress];
    if (url != nil) [self.pages loadRequest:[NSURLRequest requestWithURL:url]];
}

#pragma mark - Who goes where

- (void)leave:(NSURL *)url {
    __weak HullPage *weakSelf = self;
    // A page under the app's own scheme has no address outside of the app.
    NSURL *web = [NSURL URLWithString:[_settings webAddressOf:url.absoluteString ?: @""]] ?: url;
    [UIApplication.sharedApplication openURL:web options:@{} completionHandler:^(BOOL opened) {
        HullPage *page = weakSelf;
        if (!opened) [page.dialogs tell:nil message:[page.app.words text:@"noApp"] done:nil];
    }];
}

- (NSURL *)otherAddressOf:(NSString *)url {
    if (_site == nil) return nil;
    NSString *best = [_site addressOfPage:[_settings webAddressOf:url]];
    return [best isEqualToString:url] ? nil : [NSURL URLWithString:best];
}

/// A frame of a page: only what needs another app leaves it, and only by a touch.
- (WKNavigationActionPolicy)policyInFrame:(NSURL *)url action:(WKNavigationAction *)action {
    HullPlace place = [_settings placeOf:url.absoluteString ?: @""];
    if (HullIsWeb(url.absoluteString) || place == HullPlaceInside || place == HullPlaceInPage) return WKNavigationActionPolicyAllow;
    if (place == HullPlaceOutside && action.navigationType == WKNavigationTypeLinkActivated) [self leave:url];
    return WKNavigationActionPolicyCancel;
}

- (void)webView:(WKWebView *)view
    decidePolicyForNavigationAction:(WKNavigationAction *)action
                    decisionHandler:(void (^)(WKNavigationActionPolicy))decide {
    NSURL *url = action.request.URL;
    NSString *text = url.absoluteString;
    if (text == nil) {
        decide(WKNavigationActionPolicyCancel);
        return;
    }
    if (action.shouldPerformDownload) {
        decide(WKNavigationActionPolicyDownload);
        return;
    }
    // Without a frame it is a new window, which is asked for next.
    if (action.targetFrame == nil) {
        decide(WKNavigationActionPolicyAllow);
        return;
    }
    if (!action.targetFrame.mainFrame) {
        decide([self policyInFrame:url action:action]);
        return;
    }
    HullPlace place = [_settings placeOf:text];
    if (place == HullPlaceOutside) {
        decide([self policyOutside:url action:action]);
        return;
    }
    BOOL isPlainGet = action.request.HTTPMethod == nil || [action.request.HTTPMethod isEqualToString:@"GET"];
    NSURL *other = place == HullPlaceInside && isPlainGet ? [self otherAddressOf:text] : nil;
    BOOL isAllowed = place == HullPlaceInside || place == HullPlaceInPage;
    decide(isAllowed && other == nil ? WKNavigationActionPolicyAllow : WKNavigationActionPolicyCancel);
    if (other != nil) [view loadRequest:[NSURLRequest requestWithURL:other]];
}

- (WKWebView *)webView:(WKWebView *)view
    createWebViewWithConfiguration:(WKWebViewConfiguration *)configuration
               forNavigationAction:(WKNavigationAction *)action
                    windowFeatures:(WKWindowFeatures *)features {
    (void)features;
    NSString *text = action.request.URL.absoluteString ?: @"";
    HullPlace place = [_settings placeOf:text];
    BOOL isLink = action.navigationType == WKNavigationTypeLinkActivated;
    if (place == HullPlaceInside && isLink) {
        // A link of the app's own that asks for a new window: in the app there is one.
        [view loadRequest:[NSURLRequest requestWithURL:[self otherAddressOf:text] ?: action.request.URL]];
        return nil;
    }
    BOOL isWeb = HullIsWeb(text);
    if (place == HullPlaceOutside && (isLink || !isWeb)) {
        [self leave:action.request.URL];
        return nil;
    }
    if (place == HullPlaceRefused && text.length != 0) return nil;
    // A script opens a window, mostly to sign in, and goes on talking to it.
    HullPopup *popup = [[HullPopup alloc] initWithApp:self.app configuration:configuration];
    [self presentViewController:popup animated:YES completion:nil];
    return popup.pages;
}

#pragma mark - Dialogs

/// Who asks, in words that users know.
- (NSString *)asking:(WKFrameInfo *)frame {
    NSString *host = frame.securityOrigin.host;
    return host.length == 0 || [_settings isOwnOrigin:HullOriginOf(frame.securityOrigin)] ? _settings.name : host;
}

- (void)webView:(WKWebView *)view
    runJavaScriptAlertPanelWithMessage:(NSString *)message
                      initiatedByFrame:(WKFrameInfo *)frame
                     completionHandler:(void (^)(void))done {
    (void)view;
    [self.dialogs tell:[self asking:frame] message:message done:done];
}

- (void)webView:(WKWebView *)view
    runJavaScriptConfirmPanelWithMessage:(NSString *)message
                        initiatedByFrame:(WKFrameInfo *)frame
                       completionHandler:(void (^)(BOOL))done {
    (void)view;
    [self.dialogs confirm:[self asking:frame] message:message yes:[_words text:@"ok"] done:done];
}

- (void)webView:(WKWebView *)view
    runJavaScriptTextInputPanelWithPrompt:(NSString *)prompt
                              defaultText:(NSString *)text
                         initiatedByFrame:(WKFrameInfo *)frame
                        completionHandler:(void (^)(NSString *))done {
    (void)view;
    [self.dialogs prompt:[self asking:frame] message:prompt text:text done:done];
}

- (void)webView:(WKWebView *)view
    didReceiveAuthenticationChallenge:(NSURLAuthenticationChallenge *)challenge
                    completionHandler:(void (^)(NSURLSessionAuthChallengeDisposition, NSURLCredential *))decide {
    (void)view;
    NSURLProtectionSpace *space = challenge.protectionSpace;
    NSString *method = space.authenticationMethod;
    BOOL isPassword = [method isEqualToString:NSURLAuthenticationMethodHTTPBasic] ||
                      [method isEqualToString:NSURLAuthenticationMethodHTTPDigest];
    if (!isPassword) {
        decide(NSURLSessionAuthChallengePerformDefaultHandling, nil);
        return;
    }
    [self.dialogs signIn:space.host done:^(NSString *user, NSString *password) {
        if (user == nil || password == nil) {
            decide(NSURLSessionAuthChallengeRejectProtectionSpace, nil);
            return;
        }
        decide(NSURLSessionAuthChallengeUseCredential,
               [NSURLCredential credentialWithUser:user password:password persistence:NSURLCredentialPersistenceForSession]);
    }];
}

#pragma mark - What pages may do

/// Whether the app declares a capability, and the origin is one of the app's own or one that it trusts.
- (BOOL)mayUse:(NSArray<NSString *> *)capabilities origin:(WKSecurityOrigin *)origin frame:(WKFrameInfo *)frame {
    for (NSString *name in capabilities) {
        // Without a reason among the app's own the system would end it.
        if (![_settings declares:name]) return NO;
    }
    NSString *text = HullOriginOf(origin);
    return [_settings isOwnOrigin:text] || (!frame.mainFrame && [_settings.frames containsObject:text]);
}

- (void)webView:(WKWebView *)view
    requestMediaCapturePermissionForOrigin:(WKSecurityOrigin *)origin
                          initiatedByFrame:(WKFrameInfo *)frame
                                      type:(WKMediaCaptureType)type
                           decisionHandler:(void (^)(WKPermissionDecision))decide {
    (void)view;
    NSArray<NSString *> *names = type == WKMediaCaptureTypeCamera       ? @[ @"camera" ]
                                 : type == WKMediaCaptureTypeMicrophone ? @[ @"microphone" ]
                                                                        : @[ @"camera", @"microphone" ];
    // The system itself asks next, with the app's reason.
    BOOL allowed = [self mayUse:names origin:origin frame:frame];
    decide(allowed ? WKPermissionDecisionGrant : WKPermissionDecisionDeny);
}

- (void)webView:(WKWebView *)view
    requestDeviceOrientationAndMotionPermissionForOrigin:(WKSecurityOrigin *)origin
                                        initiatedByFrame:(WKFrameInfo *)frame
                                         decisionHandler:(void (^)(WKPermissionDecision))decide {
    (void)view;
    BOOL allowed = [self mayUse:@[ @"accelerometer" ] origin:origin frame:frame] ||
                   [self mayUse:@[ @"gyroscope" ] origin:origin frame:frame];
    decide(allowed ? WKPermissionDecisionPrompt : WKPermissionDecisionDeny);
}

#pragma mark - Downloads and sharing

- (void)webView:(WKWebView *)view
    decidePolicyForNavigationResponse:(WKNavigationResponse *)response
                      decisionHandler:(void (^)(WKNavigationResponsePolicy))decide {
    (void)view;
    NSDictionary *fields = [response.response isKindOfClass:[NSHTTPURLResponse class]]
                               ? ((NSHTTPURLResponse *)response.response).allHeaderFields
                               : @{};
    BOOL isAttachment = NO;
    for (NSString *name in fields.allKeys) {
        if (![name.lowercaseString isEqualToString:@"content-disposition"]) continue;
        isAttachment = [[HullText(fields, name) lowercaseString] hasPrefix:@"attachment"];
    }
    BOOL isShown = response.canShowMIMEType && !isAttachment;
    decide(isShown ? WKNavigationResponsePolicyAllow : WKNavigationResponsePolicyDownload);
}

- (void)follow:(WKDownload *)download {
    __weak HullPage *weakSelf = self;
    HullDownload *mine = [[HullDownload alloc] initWithDone:^(HullDownload *ended, NSURL *file) {
        HullPage *page = weakSelf;
        if (file == nil) {
            [page.dialogs tell:nil message:[page.app.words text:@"notSaved"] done:nil];
            [page forget:ended];
            return;
        }
        [page shareItems:@[ file ] done:^{
            [ended remove];
            [weakSelf forget:ended];
        }];
    }];
    [_downloads addObject:mine];
    download.delegate = mine;
}

- (void)forget:(HullDownload *)download {
    [_downloads removeObject:download];
}

- (void)webView:(WKWebView *)view navigationAction:(WKNavigationAction *)action didBecomeDownload:(WKDownload *)download {
    (void)view;
    (void)action;
    [self follow:download];
}

- (void)webView:(WKWebView *)view navigationResponse:(WKNavigationResponse *)response didBecomeDownload:(WKDownload *)download {
    (void)view;
    (void)response;
    [self follow:download];
}

- (void)shareItems:(NSArray *)items done:(void (^)(void))done {
    UIActivityViewController *sheet = [[UIActivityViewController alloc] initWithActivityItems:items applicationActivities:nil];
    // On a tablet it is a bubble, which has to come from somewhere.
    UIPopoverPresentationController *bubble = sheet.popoverPresentationController;
    CGRect bounds = self.view.bounds;
    bubble.sourceView = self.view;
    bubble.sourceRect = CGRectMake(bounds.size.width / 2, bounds.size.height / 2, 1, 1);
    sheet.completionWithItemsHandler = ^(NSString *type, BOOL completed, NSArray *returned, NSError *error) {
        (void)type;
        (void)completed;
        (void)returned;
        (void)error;
        if (done != nil) done();
    };
    UIViewController *top = self;
    while (top.presentedViewController != nil) top = top.presentedViewController;
    [top presentViewController:sheet animated:YES completion:nil];
}

- (WKNavigationActionPolicy)policyOutside:(NSURL *)url action:(WKNavigationAction *)action {
    (void)action;
    [self leave:url];
    return WKNavigationActionPolicyCancel;
}
@end
