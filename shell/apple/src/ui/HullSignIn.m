#import "HullSignIn.h"

HULL_DIRECT @implementation HullSignIn {
    UIWindow * (^_window)(void);
    ASWebAuthenticationSession *_running;
}

- (instancetype)initWithWindow:(UIWindow * (^)(void))window {
    if ((self = [super init])) _window = [window copy];
    return self;
}

+ (BOOL)isRequest:(NSString *)url settings:(HullSettings *)settings {
    HullAddress *address = [HullAddress addressOf:url];
    if (settings.scheme == nil || ![address.scheme isEqualToString:@"https"]) return NO;
    BOOL asks = [address valueOf:@"response_type"].length != 0 && [address valueOf:@"client_id"].length != 0;
    return asks && [HullScheme([address valueOf:@"redirect_uri"]) isEqualToString:settings.scheme];
}

- (void)start:(NSURL *)url scheme:(NSString *)scheme done:(void (^)(NSURL *))done {
    __weak HullSignIn *weakSelf = self;
    [_running cancel];
    _running = [[ASWebAuthenticationSession alloc] initWithURL:url
                                             callbackURLScheme:scheme
                                             completionHandler:^(NSURL *callback, NSError *error) {
                                                 (void)error;
                                                 dispatch_async(dispatch_get_main_queue(), ^{
                                                     [weakSelf ended];
                                                     done(callback);
                                                 });
                                             }];
    _running.presentationContextProvider = self;
    if (![_running start]) [self ended];
}

- (void)ended {
    _running = nil;
}

- (UIWindow *)presentationAnchorForWebAuthenticationSession:(ASWebAuthenticationSession *)session {
    (void)session;
    return _window();
}
@end
