#import "HullSchemeHandler.h"

/// A request that the network answers.
@interface HullRelayed : NSObject
@property(nonatomic, strong) id<WKURLSchemeTask> task;
@property(nonatomic, strong) NSURLSessionDataTask *running;
@end
HULL_DIRECT @implementation HullRelayed
@end

HULL_DIRECT @implementation HullSchemeHandler {
    HullApp *_app;
    /// Tasks that still want an answer: the engine raises an exception for an answer to any other. Main thread only.
    NSMutableSet *_open;
    NSMutableArray<HullRelayed *> *_relayed;
    dispatch_queue_t _queue;
    NSURLSession *_session;
}

- (instancetype)initWithApp:(HullApp *)app {
    if ((self = [super init])) {
        _app = app;
        _open = [NSMutableSet set];
        _relayed = [NSMutableArray array];
        _queue = dispatch_queue_create("hull.site", nil);
    }
    return self;
}

- (void)webView:(WKWebView *)view startURLSchemeTask:(id<WKURLSchemeTask>)task {
    (void)view;
    [_open addObject:task];
    NSURLRequest *request = task.request;
    NSURL *url = request.URL;
    NSString *method = request.HTTPMethod ?: @"GET";
    NSString *accept = [request valueForHTTPHeaderField:@"Accept"];
    NSString *range = [request valueForHTTPHeaderField:@"Range"];
    HullPackedSite *site = _app.site;
    __weak HullSchemeHandler *weakSelf = self;
    dispatch_async(_queue, ^{
        HullResponse *response = [site respondTo:method url:url.absoluteString ?: @"" accept:accept range:range];
        if (response == nil) {
            [weakSelf answer:task with:^{
                [weakSelf relay:task];
            }];
            return;
        }
        NSHTTPURLResponse *head = [[NSHTTPURLResponse alloc] initWithURL:url
                                                              statusCode:response.status
                                                             HTTPVersion:@"HTTP/1.1"
                                                            headerFields:response.headers];
        [weakSelf answer:task with:^{
            [task didReceiveResponse:head];
        }];
        [response eachPiece:^BOOL(NSData *piece) {
            [weakSelf answer:task with:^{
                [task didReceiveData:piece];
            }];
            return weakSelf != nil;
        }];
        [weakSelf answer:task with:^{
            [task didFinish];
            [weakSelf forget:task];
        }];
    });
}

/// Answers a task on the main thread, where it still wants that.
- (void)answer:(id<WKURLSchemeTask>)task with:(void (^)(void))act {
    dispatch_async(dispatch_get_main_queue(), ^{
        if ([self->_open containsObject:task]) act();
    });
}

/// What is asked of the network for a task, or by a task of the network; nil where nothing is.
- (HullRelayed *)relayed:(id)either {
    for (HullRelayed *one in _relayed) {
        if (one.task == either || one.running == either) return one;
    }
    return nil;
}

- (void)forget:(id<WKURLSchemeTask>)task {
    [_open removeObject:task];
    HullRelayed *relayed = [self relayed:task];
    if (relayed != nil) [_relayed removeObject:relayed];
}

- (void)webView:(WKWebView *)view stopURLSchemeTask:(id<WKURLSchemeTask>)task {
    (void)view;
    [[self relayed:task].running cancel];
    [self forget:task];
}

/// Asks the app's host for what is not packed.
- (void)relay:(id<WKURLSchemeTask>)task {
    NSURL *web = [NSURL URLWithString:[_app.settings webAddressOf:task.request.URL.absoluteString ?: @""]];
    if (web == nil) {
        [task didFailWithError:[NSError errorWithDomain:NSURLErrorDomain code:NSURLErrorFileDoesNotExist userInfo:nil]];
        [self forget:task];
        return;
    }
    if (_session == nil) {
        _session = [NSURLSession sessionWithConfiguration:NSURLSessionConfiguration.defaultSessionConfiguration
                                                 delegate:self
                                            delegateQueue:NSOperationQueue.mainQueue];
    }
    NSMutableURLRequest *request = [task.request mutableCopy];
    request.URL = web;
    HullRelayed *relayed = [[HullRelayed alloc] init];
    relayed.task = task;
    relayed.running = [_session dataTaskWithRequest:request];
    [_relayed addObject:relayed];
    [relayed.running resume];
}

- (id<WKURLSchemeTask>)taskOf:(NSURLSessionTask *)running {
    return [self relayed:running].task;
}

- (void)URLSession:(NSURLSession *)session
              dataTask:(NSURLSessionDataTask *)running
    didReceiveResponse:(NSURLResponse *)response
     completionHandler:(void (^)(NSURLSessionResponseDisposition))decide {
    (void)session;
    id<WKURLSchemeTask> task = [self taskOf:running];
    NSURL *own = task.request.URL;
    if (own != nil && [response isKindOfClass:[NSHTTPURLResponse class]]) {
        NSHTTPURLResponse *answer = (NSHTTPURLResponse *)response;
        NSMutableDictionary<NSString *, NSString *> *headers = [NSMutableDictionary dictionary];
        for (NSString *name in answer.allHeaderFields.allKeys) {
            NSString *lower = name.lowercaseString;
            // The session has undone these already.
            if (!HullIsOneOf(lower, @" content-encoding content-length transfer-encoding ")) {
                headers[name] = answer.allHeaderFields[name];
            }
        }
        [task didReceiveResponse:[[NSHTTPURLResponse alloc] initWithURL:own
                                                             statusCode:answer.statusCode
                                                            HTTPVersion:@"HTTP/1.1"
                                                           headerFields:headers]];
    }
    decide(own == nil ? NSURLSessionResponseCancel : NSURLSessionResponseAllow);
}

- (void)URLSession:(NSURLSession *)session dataTask:(NSURLSessionDataTask *)running didReceiveData:(NSData *)data {
    (void)session;
    [[self taskOf:running] didReceiveData:data];
}

- (void)URLSession:(NSURLSession *)session task:(NSURLSessionTask *)running didCompleteWithError:(NSError *)error {
    (void)session;
    id<WKURLSchemeTask> task = [self taskOf:running];
    if (task == nil) return;
    if (error == nil) [task didFinish];
    else [task didFailWithError:error];
    [self forget:task];
}
@end
