// The whole shell over stand-ins of the frameworks: what it asks of them, and what it answers them.
#import "HullDownload.h"
#import "HullPageController.h"
#import "HullPopup.h"
#import "HullScenes.h"
#import "HullSignIn.h"
#import "check.h"
#import "fakes.h"

int checks, failures;

/// Checks that something was noted since the notes were emptied, or that it was not.
#define NOTED(text)                                                                                              \
    do {                                                                                                         \
        NSString *_text = (text);                                                                                \
        checks++;                                                                                                \
        if (![Notes() containsObject:_text]) {                                                                   \
            failures++;                                                                                          \
            printf("%s:%d: not noted: %s\n  %s\n", __FILE__, __LINE__, _text.UTF8String,                         \
                   [Notes() componentsJoinedByString:@"\n  "].UTF8String);                                       \
        }                                                                                                        \
    } while (0)
#define NOT_NOTED(text) CHECK(![Notes() containsObject:(text)])

static NSString *siteFolder;

static void start(void) {
    while (Notes().count != 0) [Notes() removeObjectAtIndex:0];
    System usual = {NO, YES, YES, YES, 1};
    theSystem = usual;
}

static NSString *const USUAL =
    @"\"packed\":{\"origin\":\"https://ferry.saltmarsh.example\",\"base\":\"/\",\"network\":true},\"window\":{\"edges\":\"inset\"},"
     "\"permissions\":{\"camera\":{\"reason\":\"x\"},\"notifications\":{\"reason\":\"y\"}},\"frames\":[\"https://cam.example\"],"
     "\"scheme\":\"saltmarsh-ferry\",\"links\":[{\"host\":\"ferry.saltmarsh.example\",\"rules\":[{\"allow\":true,\"pattern\":\"/*\"},"
     "{\"allow\":false,\"pattern\":\"/admin/*\"}]}]";

/// A folder as a bundle has it, with settings of its own; its site is the test's.
static HullApp *app(NSString *members) {
    NSString *folder = HullNewFolder();
    NSFileManager *files = [NSFileManager defaultManager];
    [files createDirectoryAtPath:[folder stringByAppendingPathComponent:@"hull"] withIntermediateDirectories:YES attributes:nil error:NULL];
    NSString *settings = [NSString
        stringWithFormat:@"{\"name\":\"Saltmarsh Ferry\",\"start\":\"https://ferry.saltmarsh.example/?from=app\","
                          "\"base\":\"https://ferry.saltmarsh.example/\",\"pageScheme\":\"hull\",\"script\":\"half()\","
                          "\"themeColor\":\"#0b4f6c\",\"backgroundColor\":\"#f4f1ea\","
                          "\"dark\":{\"themeColor\":\"#f4f1ea\",\"backgroundColor\":\"#101418\"},"
                          "\"states\":{\"microphone\":\"denied\"},\"types\":{\"html\":\"text/html\",\"webp\":\"image/webp\"},"
                          "\"inside\":[{\"protocol\":\"https\",\"hostname\":\"ferry\\\\.saltmarsh\\\\.example\",\"port\":\"\","
                          "\"pathname\":\"/.*\",\"search\":\".*\"}],%@}",
                         members];
    [files createFileAtPath:[folder stringByAppendingPathComponent:@"hull/shell.json"]
                   contents:[settings dataUsingEncoding:NSUTF8StringEncoding]
                 attributes:nil];
    NSString *words = @"\tofflineTitle\tofflineText\tretry\tok\tcancel\tnoApp\tnotSaved\tsignIn\tuser\tpassword\tclose\ttrying\n"
                       "\tNo connection\tCheck it\tTry again\tOK\tCancel\tNo app\tNot saved\tSign in\tUsername\tPassword\tClose\tTrying\n";
    [files createFileAtPath:[folder stringByAppendingPathComponent:@"hull/words.txt"]
                   contents:[words dataUsingEncoding:NSUTF8StringEncoding]
                 attributes:nil];
    [files copyItemAtPath:siteFolder toPath:[folder stringByAppendingPathComponent:@"hull/site"] error:NULL];
    return [[HullApp alloc] initWithFolder:folder];
}

/// The app's window, opened, with its first page there.
static HullPageController *opened(NSString *members) {
    start();
    HullPageController *page = [[HullPageController alloc] initWithApp:app(members) notices:[[HullNotices alloc] init]];
    [page open:nil];
    (void)page.view;
    [page appeared];
    page.pages.now = [NSURL URLWithString:@"hull://ferry.saltmarsh.example/?from=app"];
    [page webView:page.pages didCommitNavigation:nil];
    return page;
}

static WKFrameInfo *own(void) {
    return [GivenFrame frame:@"hull" host:@"ferry.saltmarsh.example" main:YES];
}

static NSInteger decide(HullPage *page, GivenAction *action) {
    __block NSInteger got = -1;
    [page webView:page.pages decidePolicyForNavigationAction:action decisionHandler:^(WKNavigationActionPolicy policy) {
        CHECK(got == -1);
        got = policy;
    }];
    return got;
}

static NSInteger go(HullPage *page, NSString *url) {
    return decide(page, [GivenAction action:url frame:own()]);
}

static void starts(void) {
    HullPageController *page = opened(USUAL);
    NOTED(@"load hull://ferry.saltmarsh.example/?from=app");
    NOTED(@"handler hull");
    NOTED(@"script half() 1");
    NOTED(@"image Launch");
    NOT_NOTED(@"nobody does what a control asks for");
    CHECK(page.pages.given.schemes[@"hull"] != nil && page.pages.navigationDelegate == page && page.pages.UIDelegate == page);
    CHECK(page.pages.allowsBackForwardNavigationGestures && !page.pages.given.limitsNavigationsToAppBoundDomains);
    CHECK(page.pages.scrollView.contentInsetAdjustmentBehavior == UIScrollViewContentInsetAdjustmentNever);
    SAME(page.pages.backgroundColor, @"244 241 234");
    SAME(page.openPage, @"https://ferry.saltmarsh.example/?from=app");
    // Until the page is drawn the bar is over the background; then it is over the theme colour.
    CHECK(page.preferredStatusBarStyle == UIStatusBarStyleDarkContent);
    [page webView:page.pages didFinishNavigation:nil];
    CHECK(page.preferredStatusBarStyle == UIStatusBarStyleLightContent);
    theSystem.isNight = YES;
    CHECK(page.preferredStatusBarStyle == UIStatusBarStyleDarkContent);
    [page viewDidLayoutSubviews];
    CHECK(page.pages.frame.origin.y == 47 && page.pages.frame.size.height == 844 - 47 - 34);
    page = opened(@"\"window\":{\"edges\":\"cover\",\"keepScreenOn\":true},\"appBound\":true,\"display\":\"fullscreen\"");
    NOTED(@"load https://ferry.saltmarsh.example/?from=app");
    [page viewDidLayoutSubviews];
    CHECK(page.pages.frame.origin.y == 0 && page.pages.frame.size.height == 844);
    CHECK(page.pages.given.limitsNavigationsToAppBoundDomains && page.pages.given.schemes.count == 0);
    CHECK(page.prefersStatusBarHidden && UIApplication.sharedApplication.idleTimerDisabled);
    // A start whose first page never ends does not hide it for ever.
    start();
    RunLater();
    NOTED(@"removed UIView");
    page = opened(@"\"display\":\"minimal-ui\",\"window\":{\"pullToRefresh\":true}");
    NOTED(@"button back");
    CHECK(page.pages.scrollView.refreshControl != nil);
    [page viewDidLayoutSubviews];
    CHECK(page.pages.frame.size.height == 844 - 47 - 34 - 48);
}

static void navigates(void) {
    HullPageController *page = opened(USUAL);
    CHECK(go(page, @"hull://ferry.saltmarsh.example/sub/") == WKNavigationActionPolicyAllow);
    CHECK(go(page, @"about:blank") == WKNavigationActionPolicyAllow);
    CHECK(go(page, @"https://other.example/a") == WKNavigationActionPolicyCancel);
    NOTED(@"open https://other.example/a");
    CHECK(go(page, @"file:///etc/passwd") == WKNavigationActionPolicyCancel);
    CHECK(go(page, @"hull://other.example/") == WKNavigationActionPolicyCancel);
    start();
    // Under its address on the web a packed page is the packed one; what only the host has stays there.
    CHECK(go(page, @"https://ferry.saltmarsh.example/sub/") == WKNavigationActionPolicyCancel);
    NOTED(@"load hull://ferry.saltmarsh.example/sub/");
    CHECK(go(page, @"https://ferry.saltmarsh.example/account") == WKNavigationActionPolicyAllow);
    CHECK(go(page, @"hull://ferry.saltmarsh.example/account") == WKNavigationActionPolicyCancel);
    NOTED(@"load https://ferry.saltmarsh.example/account");
    GivenAction *form = [GivenAction action:@"https://ferry.saltmarsh.example/sub/" frame:own()];
    form.method = @"POST";
    CHECK(decide(page, form) == WKNavigationActionPolicyAllow);
    GivenAction *download = [GivenAction action:@"blob:hull://ferry.saltmarsh.example/1" frame:own()];
    download.downloads = YES;
    CHECK(decide(page, download) == WKNavigationActionPolicyDownload);
    start();
    WKFrameInfo *frame = [GivenFrame frame:@"https" host:@"ads.example" main:NO];
    CHECK(decide(page, [GivenAction action:@"https://ads.example/" frame:frame]) == WKNavigationActionPolicyAllow);
    CHECK(decide(page, [GivenAction action:@"tel:+44123" frame:frame]) == WKNavigationActionPolicyCancel);
    NOT_NOTED(@"open tel:+44123");
    GivenAction *touched = [GivenAction action:@"tel:+44123" frame:frame];
    touched.kind = WKNavigationTypeLinkActivated;
    CHECK(decide(page, touched) == WKNavigationActionPolicyCancel);
    NOTED(@"open tel:+44123");
    // No app takes it: the user reads that, rather than nothing happening.
    theSystem.opens = NO;
    go(page, @"ferryticket:7");
    SAME(UIAlertController.shown.boxMessage, @"No app");
    [UIAlertController.shown touch:@"OK"];
}

static void arrives(void) {
    HullPageController *page = opened(USUAL);
    start();
    [page open:@"saltmarsh-ferry://sub/?x=1"];
    NOTED(@"load hull://ferry.saltmarsh.example/sub/?x=1");
    [page open:@"https://ferry.saltmarsh.example/account"];
    NOTED(@"load https://ferry.saltmarsh.example/account");
    [page open:@"https://ferry.saltmarsh.example/admin/users"];
    NOTED(@"open https://ferry.saltmarsh.example/admin/users");
    start();
    [page open:@"https://evil.example/"];
    CHECK(Notes().count == 0);
    [page restore:@"https://ferry.saltmarsh.example/sub/"];
    NOTED(@"load hull://ferry.saltmarsh.example/sub/");
    [page restore:@"https://evil.example/"];
    NOTED(@"load hull://ferry.saltmarsh.example/?from=app");
}

static void signsIn(void) {
    HullPageController *page = opened(USUAL);
    NSString *asks = @"https://id.example/authorize?response_type=code&client_id=7&redirect_uri=saltmarsh-ferry%3A%2F%2Fdone";
    CHECK(go(page, asks) == WKNavigationActionPolicyCancel);
    NOTED(([NSString stringWithFormat:@"sign in %@ saltmarsh-ferry", asks]));
    start();
    [ASWebAuthenticationSession lead:@"saltmarsh-ferry://sub/?code=9"];
    RunQueue();
    NOTED(@"load hull://ferry.saltmarsh.example/sub/?code=9");
    start();
    go(page, asks);
    [ASWebAuthenticationSession lead:nil];
    RunQueue();
    CHECK(Notes().count == 1);
    // One that leads back to a web address goes by the browser.
    start();
    go(page, @"https://id.example/authorize?response_type=code&client_id=7&redirect_uri=https%3A%2F%2Fferry.saltmarsh.example%2Fdone");
    CHECK([Notes().firstObject hasPrefix:@"open https://id.example/"]);
}

static void asks(void) {
    HullPageController *page = opened(USUAL);
    __block int answer = -1;
    [page webView:page.pages runJavaScriptConfirmPanelWithMessage:@"Cancel the ticket?" initiatedByFrame:own() completionHandler:^(BOOL yes) {
        answer = yes;
    }];
    __block NSString *typed = @"?";
    WKFrameInfo *foreign = [GivenFrame frame:@"https" host:@"ads.example" main:NO];
    [page webView:page.pages
        runJavaScriptTextInputPanelWithPrompt:@"Name"
                                  defaultText:@"Ada"
                             initiatedByFrame:foreign
                            completionHandler:^(NSString *text) {
                                typed = text;
                            }];
    SAME(UIAlertController.shown.boxTitle, @"Saltmarsh Ferry");
    SAME(UIAlertController.shown.boxMessage, @"Cancel the ticket?");
    [UIAlertController.shown touch:@"OK"];
    CHECK(answer == 1 && [typed isEqualToString:@"?"]);
    RunQueue();
    // The second waited for the first, and names who asks.
    SAME(UIAlertController.shown.boxTitle, @"ads.example");
    [UIAlertController.shown touch:@"OK"];
    SAME(typed, @"Ada");
    RunQueue();
    __block int told = 0;
    [page webView:page.pages runJavaScriptAlertPanelWithMessage:@"Hello" initiatedByFrame:own() completionHandler:^{
        told++;
    }];
    [UIAlertController.shown touch:@"OK"];
    CHECK(told == 1);
    RunQueue();
    // Where no window is there any more, an answer is given anyway.
    theSystem.hasWindow = NO;
    answer = -1;
    [page webView:page.pages runJavaScriptConfirmPanelWithMessage:@"?" initiatedByFrame:own() completionHandler:^(BOOL yes) {
        answer = yes;
    }];
    CHECK(answer == 0);
    theSystem.hasWindow = YES;
    answer = -1;
    [page webView:page.pages runJavaScriptConfirmPanelWithMessage:@"?" initiatedByFrame:own() completionHandler:^(BOOL yes) {
        answer = yes;
    }];
    [page.dialogs drop];
    CHECK(answer == 0);
    [UIAlertController.shown forget];
    __block NSInteger disposition = -1;
    void (^decided)(NSURLSessionAuthChallengeDisposition, NSURLCredential *) =
        ^(NSURLSessionAuthChallengeDisposition how, NSURLCredential *credential) {
            (void)credential;
            disposition = how;
        };
    GivenChallenge *basic = [GivenChallenge challenge:NSURLAuthenticationMethodHTTPBasic host:@"staging.saltmarsh.example"];
    [page webView:page.pages didReceiveAuthenticationChallenge:basic completionHandler:decided];
    SAME(UIAlertController.shown.boxMessage, @"staging.saltmarsh.example");
    CHECK(UIAlertController.shown.textFields.lastObject.secureTextEntry);
    [UIAlertController.shown touch:@"Sign in"];
    CHECK(disposition == NSURLSessionAuthChallengeUseCredential);
    RunQueue();
    [page webView:page.pages didReceiveAuthenticationChallenge:basic completionHandler:decided];
    [UIAlertController.shown touch:@"Cancel"];
    CHECK(disposition == NSURLSessionAuthChallengeRejectProtectionSpace);
    RunQueue();
    GivenChallenge *trust = [GivenChallenge challenge:@"NSURLAuthenticationMethodServerTrust" host:@"a.example"];
    [page webView:page.pages didReceiveAuthenticationChallenge:trust completionHandler:decided];
    CHECK(disposition == NSURLSessionAuthChallengePerformDefaultHandling);
}

static NSInteger media(HullPage *page, NSString *host, BOOL isMain, WKMediaCaptureType type) {
    __block NSInteger got = -1;
    NSString *scheme = [host isEqualToString:@"ferry.saltmarsh.example"] ? @"hull" : @"https";
    GivenFrame *frame = [GivenFrame frame:scheme host:host main:isMain];
    [page webView:page.pages
        requestMediaCapturePermissionForOrigin:frame.securityOrigin
                              initiatedByFrame:frame
                                          type:type
                               decisionHandler:^(WKPermissionDecision decision) {
                                   got = decision;
                               }];
    return got;
}

static void permits(void) {
    HullPageController *page = opened(USUAL);
    CHECK(media(page, @"ferry.saltmarsh.example", YES, WKMediaCaptureTypeCamera) == WKPermissionDecisionGrant);
    CHECK(media(page, @"ferry.saltmarsh.example", YES, WKMediaCaptureTypeMicrophone) == WKPermissionDecisionDeny);
    CHECK(media(page, @"ferry.saltmarsh.example", YES, WKMediaCaptureTypeCameraAndMicrophone) == WKPermissionDecisionDeny);
    CHECK(media(page, @"evil.example", YES, WKMediaCaptureTypeCamera) == WKPermissionDecisionDeny);
    CHECK(media(page, @"cam.example", NO, WKMediaCaptureTypeCamera) == WKPermissionDecisionGrant);
    CHECK(media(page, @"cam.example", YES, WKMediaCaptureTypeCamera) == WKPermissionDecisionDeny);
    CHECK(media(page, @"ads.example", NO, WKMediaCaptureTypeCamera) == WKPermissionDecisionDeny);
    __block NSInteger motion = -1;
    GivenFrame *frame = (GivenFrame *)own();
    [page webView:page.pages
        requestDeviceOrientationAndMotionPermissionForOrigin:frame.securityOrigin
                                            initiatedByFrame:frame
                                             decisionHandler:^(WKPermissionDecision decision) {
                                                 motion = decision;
                                             }];
    CHECK(motion == WKPermissionDecisionDeny);
}

static id serve(HullPageController *page, WKFrameInfo *frame, id body, NSString *__strong *error) {
    __block id got = nil;
    __block NSString *failed = nil;
    __block int replies = 0;
    [page.pages.given.userContentController.handler userContentController:page.pages.given.userContentController
                                                  didReceiveScriptMessage:[GivenMessage message:body frame:frame]
                                                             replyHandler:^(id reply, NSString *why) {
                                                                 replies++;
                                                                 got = reply;
                                                                 failed = why;
                                                             }];
    RunQueue();
    CHECK(replies == 1);
    *error = failed;
    return got;
}

static void serves(void) {
    HullPageController *page = opened(USUAL);
    NSString *error = nil;
    NSDictionary<NSString *, id> *states = serve(page, own(), @{ @"what" : @"states" }, &error);
    SAME(states[@"microphone"], @"denied");
    SAME(states[@"notifications"], @"granted");
    for (WKFrameInfo *frame in @[ [GivenFrame frame:@"https" host:@"evil.example" main:YES],
                                  [GivenFrame frame:@"hull" host:@"ferry.saltmarsh.example" main:NO] ]) {
        CHECK(serve(page, frame, @{ @"what" : @"states" }, &error) == nil && [error isEqualToString:@"NotAllowedError"]);
    }
    CHECK(serve(page, own(), @"states", &error) == nil && error != nil);
    CHECK(serve(page, own(), @{ @"what" : @"fly" }, &error) == nil && [error isEqualToString:@"DataError"]);
    CHECK(serve(page, own(), @{ @"what" : @"clipboard" }, &error) == nil && [error isEqualToString:@"NotAllowedError"]);
    start();
    serve(page, own(), @{ @"what" : @"share", @"details" : @{ @"text" : @"On deck", @"url" : @"hull://ferry.saltmarsh.example/pier.html" } }, &error);
    NOTED(@"share On deck, https://ferry.saltmarsh.example/pier.html");
    serve(page, own(), @{ @"what" : @"take", @"details" : @{ @"number" : @3, @"data" : @"data:text/plain;base64,SGVs" } }, &error);
    serve(page, own(), @{ @"what" : @"take", @"details" : @{ @"number" : @3, @"data" : @"data:text/plain;base64,bG8=" } }, &error);
    NSArray *files = @[ @{ @"number" : @3, @"name" : @"../../ticket.txt", @"type" : @"text/plain" } ];
    serve(page, own(), @{ @"what" : @"share", @"details" : @{ @"files" : files } }, &error);
    CHECK(error == nil);
    NSURL *shared = UIActivityViewController.shown.items.firstObject;
    SAME(shared.path.lastPathComponent, @"ticket.txt");
    NSData *data = [NSData dataWithContentsOfFile:shared.path];
    SAME([[NSString alloc] initWithData:data encoding:NSUTF8StringEncoding], @"Hello");
    CHECK(serve(page, own(), @{ @"what" : @"share", @"details" : @{ @"files" : files } }, &error) == nil && [error isEqualToString:@"DataError"]);
    start();
    serve(page, own(), @{ @"what" : @"print", @"details" : @{ @"title" : @"" } }, &error);
    NOTED(@"print Saltmarsh Ferry");
    SAME(serve(page, own(), @{ @"what" : @"askNotices" }, &error), @"granted");
    serve(page, own(), @{ @"what" : @"showNotice", @"details" : @{ @"id" : @"7", @"title" : @"Late", @"silent" : @YES } }, &error);
    NOTED(@"notice 7 Late silent");
    serve(page, own(), @{ @"what" : @"closeNotice", @"details" : @{ @"id" : @"7" } }, &error);
    NOTED(@"close 7");
    theSystem.allows = NO;
    SAME(serve(page, own(), @{ @"what" : @"askNotices" }, &error), @"denied");
    page = opened(@"\"x\":1");
    SAME(serve(page, own(), @{ @"what" : @"askNotices" }, &error), @"(null)");
    page = opened(@"\"packed\":{\"origin\":\"https://ferry.saltmarsh.example\"}");
    start();
    SAME(serve(page, own(), @{ @"what" : @"askNotices" }, &error), @"denied");
    NOT_NOTED(@"notices asked");
}

static void fail(HullPageController *page, NSInteger code) {
    [page webView:page.pages didFailProvisionalNavigation:nil withError:[NSError errorWithDomain:NSURLErrorDomain code:code userInfo:nil]];
}

static NSInteger respond(HullPageController *page, GivenResponse *response) {
    __block NSInteger got = -1;
    [page webView:page.pages decidePolicyForNavigationResponse:response decisionHandler:^(WKNavigationResponsePolicy policy) {
        got = policy;
    }];
    return got;
}

static void fails(void) {
    HullPageController *page = opened(USUAL);
    start();
    fail(page, NSURLErrorCancelled);
    CHECK(Notes().count == 0);
    fail(page, -1009);
    NOTED(@"button Try again");
    // Back from other apps it is tried again.
    start();
    [page appeared];
    NOTED(@"load hull://ferry.saltmarsh.example/?from=app");
    page = opened(@"\"errors\":{\"offline\":\"https://ferry.saltmarsh.example/offline.html\",\"notFound\":\"shell\",\"server\":\"page\"}");
    start();
    fail(page, -1009);
    NOTED(@"load https://ferry.saltmarsh.example/offline.html");
    start();
    fail(page, -1009);
    NOTED(@"button Try again");
    CHECK(respond(page, [GivenResponse status:404 headers:@{}]) == WKNavigationResponsePolicyCancel);
    CHECK(respond(page, [GivenResponse status:503 headers:@{}]) == WKNavigationResponsePolicyAllow);
    CHECK(respond(page, [GivenResponse status:200 headers:@{}]) == WKNavigationResponsePolicyAllow);
    CHECK(respond(page, [GivenResponse status:200 headers:@{ @"Content-Disposition" : @"attachment; filename=a" }]) ==
          WKNavigationResponsePolicyDownload);
    GivenResponse *unknown = [GivenResponse status:200 headers:@{}];
    unknown.unknownType = YES;
    CHECK(respond(page, unknown) == WKNavigationResponsePolicyDownload);
    page = opened(USUAL);
    start();
    [page webViewWebContentProcessDidTerminate:page.pages];
    NOTED(@"reload");
    start();
    [page webViewWebContentProcessDidTerminate:page.pages];
    NOT_NOTED(@"reload");
    NOTED(@"button Try again");
    page = opened(USUAL);
    [page covered];
    start();
    [page webViewWebContentProcessDidTerminate:page.pages];
    NOT_NOTED(@"reload");
    [page appeared];
    NOTED(@"reload");
    page = opened(@"\"window\":{\"secure\":true}");
    [page covered];
    start();
    [page appeared];
    NOTED(@"removed UIView");
}

static void scales(void) {
    HullPageController *page = opened(USUAL);
    theSystem.scale = 1.35;
    [page webView:page.pages didFinishNavigation:nil];
    NOTED(@"run document.documentElement.style.webkitTextSizeAdjust = '135%'");
    start();
    [page webView:page.pages didFinishNavigation:nil];
    for (NSString *note in Notes()) CHECK(![note hasPrefix:@"run"]);
}

static void answersPages(void) {
    HullPageController *page = opened(USUAL);
    id<WKURLSchemeHandler> handler = page.pages.given.schemes[@"hull"];
    GivenTask *task = [GivenTask task:@"hull://ferry.saltmarsh.example/big.webp" headers:@{ @"Range" : @"bytes=0-9" }];
    [handler webView:page.pages startURLSchemeTask:task];
    RunQueue();
    CHECK(task.status == 206 && task.got == 10 && task.finished);
    task = [GivenTask task:@"hull://ferry.saltmarsh.example/big.webp" headers:@{}];
    [handler webView:page.pages startURLSchemeTask:task];
    [handler webView:page.pages stopURLSchemeTask:task];
    RunQueue();
    CHECK(task.status == 0 && task.got == 0 && !task.finished);
    start();
    task = [GivenTask task:@"hull://ferry.saltmarsh.example/api/sailings" headers:@{}];
    [handler webView:page.pages startURLSchemeTask:task];
    RunQueue();
    NOTED(@"network https://ferry.saltmarsh.example/api/sailings");
    NSURLSession *session = [NSURLSession made];
    __block NSInteger goesOn = -1;
    NSHTTPURLResponse *answer =
        [[NSHTTPURLResponse alloc] initWithURL:session.lastRequest.URL
                                    statusCode:201
                                   HTTPVersion:@"HTTP/1.1"
                                  headerFields:@{ @"Content-Type" : @"application/json", @"Content-Encoding" : @"gzip", @"Content-Length" : @"7" }];
    [session.told URLSession:session dataTask:session.lastTask didReceiveResponse:answer completionHandler:^(NSURLSessionResponseDisposition how) {
        goesOn = how;
    }];
    [session.told URLSession:session dataTask:session.lastTask didReceiveData:[@"{}" dataUsingEncoding:NSUTF8StringEncoding]];
    [session.told URLSession:session task:session.lastTask didCompleteWithError:nil];
    CHECK(goesOn == NSURLSessionResponseAllow && task.status == 201 && task.got == 2 && task.finished);
    CHECK(task.answered[@"Content-Type"] != nil && task.answered[@"Content-Encoding"] == nil && task.answered[@"Content-Length"] == nil);
    task = [GivenTask task:@"hull://ferry.saltmarsh.example/api/late" headers:@{}];
    [handler webView:page.pages startURLSchemeTask:task];
    RunQueue();
    [handler webView:page.pages stopURLSchemeTask:task];
    NOTED(@"no longer asked");
    [session.told URLSession:session task:session.lastTask didCompleteWithError:nil];
    CHECK(!task.finished);
}

static void downloads(void) {
    HullPageController *page = opened(USUAL);
    WKDownload *download = [[WKDownload alloc] init];
    [page webView:page.pages navigationAction:[GivenAction action:@"https://a.example/" frame:own()] didBecomeDownload:download];
    HullDownload *mine = (HullDownload *)download.delegate;
    __block NSURL *to = nil;
    [mine download:download
        decideDestinationUsingResponse:[[NSURLResponse alloc] init]
                     suggestedFilename:@"../../a:b/.ticket.pdf"
                     completionHandler:^(NSURL *destination) {
                         to = destination;
                     }];
    SAME(to.path.lastPathComponent, @"ticket.pdf");
    [[NSFileManager defaultManager] createFileAtPath:to.path contents:[NSData data] attributes:nil];
    start();
    [mine downloadDidFinish:download];
    CHECK([Notes().firstObject hasPrefix:@"share file:"]);
    UIActivityViewController.shown.completionWithItemsHandler(nil, YES, nil, nil);
    BOOL isFolder = NO;
    CHECK(![[NSFileManager defaultManager] fileExistsAtPath:to.path isDirectory:&isFolder]);
    download = [[WKDownload alloc] init];
    [page webView:page.pages navigationAction:[GivenAction action:@"https://a.example/" frame:own()] didBecomeDownload:download];
    [UIActivityViewController.shown forget];
    [(HullDownload *)download.delegate download:download
                               didFailWithError:[NSError errorWithDomain:NSURLErrorDomain code:-1 userInfo:nil]
                                     resumeData:nil];
    SAME(UIAlertController.shown.boxMessage, @"Not saved");
    SAME(HullFileName(nil), @"file");
    SAME(HullFileName(@".."), @"file");
}

static void windows(void) {
    HullPageController *page = opened(USUAL);
    WKWebViewConfiguration *configuration = page.pages.given;
    WKWindowFeatures *features = [[WKWindowFeatures alloc] init];
    GivenAction *script = [GivenAction action:@"https://id.example/" frame:nil];
    CHECK(decide(page, script) == WKNavigationActionPolicyAllow);
    WKWebView *view = [page webView:page.pages createWebViewWithConfiguration:configuration forNavigationAction:script windowFeatures:features];
    HullPopup *popup = (HullPopup *)view.navigationDelegate;
    CHECK(view != nil && [popup isKindOfClass:[HullPopup class]] && page.presentedViewController == popup);
    CHECK(go(popup, @"https://bank.example/") == WKNavigationActionPolicyAllow);
    CHECK(go(popup, @"bankid:7") == WKNavigationActionPolicyCancel);
    NOTED(@"open bankid:7");
    view.now = [NSURL URLWithString:@"https://bank.example/"];
    [popup webView:view didCommitNavigation:nil];
    [popup viewDidLayoutSubviews];
    CHECK(view.frame.origin.y == 47 + 52);
    [popup webViewDidClose:view];
    NOTED(@"dismiss HullPopup");
    CHECK(page.presentedViewController == nil);
    start();
    GivenAction *link = [GivenAction action:@"https://ferry.saltmarsh.example/sub/" frame:nil];
    link.kind = WKNavigationTypeLinkActivated;
    CHECK([page webView:page.pages createWebViewWithConfiguration:configuration forNavigationAction:link windowFeatures:features] == nil);
    NOTED(@"load hull://ferry.saltmarsh.example/sub/");
    link = [GivenAction action:@"https://other.example/" frame:nil];
    link.kind = WKNavigationTypeLinkActivated;
    CHECK([page webView:page.pages createWebViewWithConfiguration:configuration forNavigationAction:link windowFeatures:features] == nil);
    NOTED(@"open https://other.example/");
    GivenAction *mail = [GivenAction action:@"mailto:pier@saltmarsh.example" frame:nil];
    CHECK([page webView:page.pages createWebViewWithConfiguration:configuration forNavigationAction:mail windowFeatures:features] == nil);
    NOTED(@"open mailto:pier@saltmarsh.example");
}

static void ends(void) {
    start();
    __weak HullPageController *weakPage = nil;
    @autoreleasepool {
        HullPageController *page = opened(USUAL);
        weakPage = page;
        [page webView:page.pages didFinishNavigation:nil];
        RunLater();
    }
    // Nothing holds the window's page for ever.
    CHECK(weakPage == nil);
    start();
    HullSceneDelegate *scene = [[HullSceneDelegate alloc] init];
    [scene scene:(UIScene *)[[UIWindowScene alloc] init] willConnectToSession:[[UISceneSession alloc] init] options:[[UISceneConnectionOptions alloc] init]];
    // This test's own bundle has no settings: it says so, and shows nothing.
    CHECK(scene.window == nil);
}

int main(int argc, char **argv) {
    start_runtime();
    @autoreleasepool {
        CHECK(argc == 2);
        siteFolder = [NSString stringWithUTF8String:argv[1]];
        starts();
        navigates();
        arrives();
        signsIn();
        asks();
        permits();
        serves();
        fails();
        scales();
        answersPages();
        downloads();
        windows();
        ends();
    }
    printf("ui: %d checks, %d failed\n", checks, failures);
    return failures != 0;
}
