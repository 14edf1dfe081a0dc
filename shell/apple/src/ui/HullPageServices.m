#import "HullPageServices.h"
#import "HullDownload.h"
#import "HullJson.h"

/// Names of DOMExceptions (Web IDL) that a page gets instead of an answer.
static NSString *const NOT_ALLOWED = @"NotAllowedError";
static NSString *const DATA = @"DataError";

/// A file that a page hands over in pieces.
@interface HullInbox : NSObject
@property(nonatomic, copy, nullable) NSString *folder;
@property(nonatomic, strong, nullable) NSFileHandle *handle;
@end
HULL_DIRECT @implementation HullInbox
@end

HULL_DIRECT @implementation HullPageServices {
    HullApp *_app;
    HullNotices *_notices;
    NSMutableDictionary<NSNumber *, HullInbox *> *_inboxes;
}

- (instancetype)initWithApp:(HullApp *)app notices:(HullNotices *)notices {
    if ((self = [super init])) {
        _app = app;
        _notices = notices;
        _inboxes = [NSMutableDictionary dictionary];
    }
    return self;
}

- (void)userContentController:(WKUserContentController *)controller
      didReceiveScriptMessage:(WKScriptMessage *)message
                 replyHandler:(void (^)(id, NSString *))reply {
    (void)controller;
    WKFrameInfo *frame = message.frameInfo;
    BOOL isOwn = frame.mainFrame && [_app.settings isOwnOrigin:HullOriginOf(frame.securityOrigin)];
    if (!isOwn || ![message.body isKindOfClass:[NSDictionary class]]) {
        reply(nil, NOT_ALLOWED);
        return;
    }
    NSDictionary<NSString *, id> *body = message.body;
    [self serve:HullText(body, @"what") details:HullDict(body, @"details") reply:reply];
}

- (void)serve:(NSString *)what details:(NSDictionary<NSString *, id> *)details reply:(void (^)(id, NSString *))reply {
    if ([what isEqualToString:@"states"]) {
        [self states:reply];
    } else if ([what isEqualToString:@"take"]) {
        reply([self take:details] ? @YES : nil, nil);
    } else if ([what isEqualToString:@"share"]) {
        [self share:details reply:reply];
    } else if ([what isEqualToString:@"print"]) {
        [self print:HullText(details, @"title") reply:reply];
    } else if ([what isEqualToString:@"clipboard"]) {
        // The system asks by itself whether the page may paste.
        BOOL may = [_app.settings declares:@"clipboard-read"];
        reply(may ? UIPasteboard.generalPasteboard.string ?: @"" : nil, may ? nil : NOT_ALLOWED);
    } else if ([what isEqualToString:@"askNotices"]) {
        if (![self notifies]) reply(@"denied", nil);
        else [_notices ask:^(NSString *state) {
            reply(state, nil);
        }];
    } else if ([what isEqualToString:@"showNotice"]) {
        if ([self notifies]) [_notices show:details];
        reply(nil, nil);
    } else if ([what isEqualToString:@"closeNotice"]) {
        [_notices close:HullText(details, @"id")];
        reply(nil, nil);
    } else {
        reply(nil, DATA);
    }
}

- (BOOL)notifies {
    return [_app.settings declares:@"notifications"] || [_app.settings declares:@"push"];
}

- (void)states:(void (^)(id, NSString *))reply {
    NSMutableDictionary<NSString *, id> *states = [_app.settings.states mutableCopy];
    if (![self notifies]) {
        reply(states, nil);
        return;
    }
    [_notices refresh:^(NSString *state) {
        states[@"notifications"] = state;
        reply(states, nil);
    }];
}

#pragma mark - Sharing

- (BOOL)take:(NSDictionary<NSString *, id> *)details {
    id number = details[@"number"];
    NSString *data = HullText(details, @"data");
    NSRange comma = [data rangeOfString:@","];
    if (![number isKindOfClass:[NSNumber class]] || comma.location == NSNotFound) return NO;
    NSData *bytes = [[NSData alloc] initWithBase64EncodedString:[data substringFromIndex:comma.location + 1] options:0];
    HullInbox *inbox = _inboxes[number];
    if (inbox == nil) {
        inbox = [[HullInbox alloc] init];
        inbox.folder = HullNewFolder();
        _inboxes[number] = inbox;
    }
    if (bytes == nil || inbox.folder == nil) return NO;
    // Its name comes with the end: until then it has one of ours.
    if (inbox.handle == nil) {
        NSString *file = [inbox.folder stringByAppendingPathComponent:@"taken"];
        [[NSFileManager defaultManager] createFileAtPath:file contents:nil attributes:nil];
        inbox.handle = [NSFileHandle fileHandleForWritingAtPath:file];
    }
    [inbox.handle writeData:bytes];
    return inbox.handle != nil;
}

/// A file that was taken, under its own name; nil where it did not arrive.
- (NSString *)file:(NSDictionary<NSString *, id> *)one {
    id number = one[@"number"];
    HullInbox *inbox = [number isKindOfClass:[NSNumber class]] ? _inboxes[number] : nil;
    if (inbox.folder == nil) return nil;
    [inbox.handle closeFile];
    [_inboxes removeObjectForKey:number];
    NSFileManager *files = [NSFileManager defaultManager];
    NSString *taken = [inbox.folder stringByAppendingPathComponent:@"taken"];
    NSString *named = [inbox.folder stringByAppendingPathComponent:HullFileName(HullText(one, @"name"))];
    BOOL isFolder = NO;
    if (![files fileExistsAtPath:taken isDirectory:&isFolder]) [files createFileAtPath:taken contents:nil attributes:nil];
    if ([named isEqualToString:taken]) return taken;
    return [files moveItemAtPath:taken toPath:named error:NULL] ? named : nil;
}

- (void)share:(NSDictionary<NSString *, id> *)details reply:(void (^)(id, NSString *))reply {
    NSMutableArray *items = [NSMutableArray array];
    NSString *text = HullText(details, @"text");
    NSURL *url = [NSURL URLWithString:[_app.settings webAddressOf:HullText(details, @"url")]];
    if (text.length != 0) [items addObject:text];
    if (url.scheme != nil) [items addObject:url];
    for (NSDictionary<NSString *, id> *one in HullDicts(details, @"files")) {
        NSString *file = [self file:one];
        if (file == nil) {
            reply(nil, DATA);
            return;
        }
        [items addObject:[NSURL fileURLWithPath:file]];
    }
    if (items.count == 0 && HullText(details, @"title").length != 0) [items addObject:HullText(details, @"title")];
    if (items.count == 0) {
        reply(nil, DATA);
        return;
    }
    [self.page shareItems:items done:nil];
    reply(@"", nil);
}

- (void)print:(NSString *)title reply:(void (^)(id, NSString *))reply {
    UIPrintInteractionController *printing = UIPrintInteractionController.sharedPrintController;
    UIPrintInfo *info = [UIPrintInfo printInfo];
    info.jobName = title.length == 0 ? _app.settings.name : title;
    printing.printInfo = info;
    printing.printFormatter = self.page.pages.viewPrintFormatter;
    [printing presentAnimated:YES completionHandler:^(UIPrintInteractionController *controller, BOOL completed, NSError *error) {
        (void)controller;
        (void)completed;
        (void)error;
        reply(@"", nil);
    }];
}
@end
