#import "HullPackedSite.h"

enum { PIECE = 256 * 1024 };

@interface HullResponse ()
- (instancetype)initStatus:(NSInteger)status headers:(NSDictionary<NSString *, NSString *> *)headers;
@property(nonatomic, copy, nullable) NSString *file;
@property(nonatomic, copy, nullable) NSData *body;
@property(nonatomic) unsigned long long offset, length;
@end

HULL_DIRECT @implementation HullResponse

- (instancetype)initStatus:(NSInteger)status headers:(NSDictionary<NSString *, NSString *> *)headers {
    if ((self = [super init])) {
        _status = status;
        _headers = headers;
    }
    return self;
}

- (void)eachPiece:(BOOL (^)(NSData *piece))take {
    if (self.body != nil) take(self.body);
    if (self.file == nil) return;
    NSFileHandle *handle = [NSFileHandle fileHandleForReadingAtPath:self.file];
    [handle seekToFileOffset:self.offset];
    unsigned long long left = self.length;
    BOOL more = YES;
    while (left > 0 && more) {
        @autoreleasepool {
            NSData *piece = [handle readDataOfLength:left < PIECE ? (NSUInteger)left : PIECE];
            if (piece.length == 0) break;
            left -= piece.length;
            more = take(piece);
        }
    }
    [handle closeFile];
}
@end

HULL_DIRECT @implementation HullPackedSite {
    NSString *_root;
    HullSettings *_settings;
}

- (instancetype)initWithRoot:(NSString *)root settings:(HullSettings *)settings {
    if ((self = [super init])) {
        _root = root;
        _settings = settings;
    }
    return self;
}

- (NSString *)fileAt:(NSString *)path {
    return [_root stringByAppendingPathComponent:path];
}

- (BOOL)has:(NSString *)path {
    BOOL isFolder = NO;
    return [[NSFileManager defaultManager] fileExistsAtPath:[self fileAt:path] isDirectory:&isFolder] && !isFolder;
}

- (HullAnswer *)answerTo:(NSString *)method url:(NSString *)url page:(BOOL)page {
    NSString *path = [HullAddress addressOf:url].decodedPath;
    // A path whose percent-encoding is broken is nobody's: it is asked for as it cannot be.
    return [HullAnswer answerTo:method path:path ?: [_settings.packedBase stringByAppendingString:@".."]
                           page:page
                       settings:_settings
                          files:self];
}

- (NSString *)addressOfPage:(NSString *)webAddress {
    NSString *packed = [_settings packedAddressOf:webAddress];
    if (![_settings isPacked:packed]) return webAddress;
    return [self answerTo:@"GET" url:packed page:YES].kind == HullAnswerNetwork ? webAddress : packed;
}

static HullResponse *page(NSInteger status, NSString *html) {
    NSData *body = [html dataUsingEncoding:NSUTF8StringEncoding];
    HullResponse *response = [[HullResponse alloc] initStatus:status headers:@{
        @"Content-Type" : @"text/html; charset=utf-8",
        @"Content-Length" : [NSString stringWithFormat:@"%lu", (unsigned long)body.length],
        @"Cache-Control" : @"no-store",
    }];
    response.body = body;
    return response;
}

/// Sends the page on to the same address with another path: the engine follows no redirects of a scheme like this.
static HullResponse *redirect(NSString *path) {
    NSString *html = [NSString stringWithFormat:
        @"<!doctype html><meta charset=utf-8><title></title><script>location.replace(%@ + location.search + location.hash)</script>",
        path];
    return page(200, html);
}

- (NSString *)typeOf:(NSString *)path {
    id type = _settings.types[HullExtension(path)];
    if (![type isKindOfClass:[NSString class]]) return @"application/octet-stream";
    BOOL isText = [type hasPrefix:@"text/"] || [type hasSuffix:@"json"] || [type hasSuffix:@"xml"];
    return isText ? [type stringByAppendingString:@"; charset=utf-8"] : type;
}

- (HullResponse *)respondTo:(NSString *)method url:(NSString *)url accept:(NSString *)accept range:(NSString *)range {
    BOOL isPage = [accept rangeOfString:@"text/html"].location != NSNotFound && accept != nil;
    HullAnswer *answer = [self answerTo:method url:url page:isPage];
    switch (answer.kind) {
        case HullAnswerNetwork: return nil;
        case HullAnswerSlash: return redirect(@"location.pathname + '/'");
        case HullAnswerBare: return redirect(@"location.pathname.slice(0, -1)");
        case HullAnswerNothing: return page(answer.status, @"");
        case HullAnswerFile: return [self file:answer method:method url:url range:range];
    }
}

- (HullResponse *)file:(HullAnswer *)answer method:(NSString *)method url:(NSString *)url range:(NSString *)range {
    NSString *file = [self fileAt:answer.path ?: @""];
    NSFileHandle *handle = [NSFileHandle fileHandleForReadingAtPath:file];
    if (handle == nil) return page(500, @"");
    unsigned long long size = [handle seekToEndOfFile];
    [handle closeFile];
    NSMutableDictionary<NSString *, NSString *> *headers = [NSMutableDictionary dictionary];
    headers[@"Accept-Ranges"] = @"bytes";
    headers[@"Cache-Control"] = @"no-cache";
    NSString *path = [HullAddress addressOf:url].decodedPath ?: @"";
    NSDictionary<NSString *, NSString *> *own =
        path.length < _settings.packedBase.length ? @{} : [_settings headersOf:[path substringFromIndex:_settings.packedBase.length]];
    for (NSString *name in own) headers[name] = own[name];
    headers[@"Content-Type"] = headers[@"Content-Type"] ?: [self typeOf:answer.path ?: @""];
    HullByteRange *part = answer.status == 200 ? [HullByteRange rangeFrom:range length:size] : nil;
    if (part != nil && !part.satisfiable) {
        headers[@"Content-Range"] = [NSString stringWithFormat:@"bytes */%llu", size];
        headers[@"Content-Length"] = @"0";
        return [[HullResponse alloc] initStatus:416 headers:headers];
    }
    unsigned long long length = part == nil ? size : part.last - part.first + 1;
    if (part != nil) {
        headers[@"Content-Range"] = [NSString stringWithFormat:@"bytes %llu-%llu/%llu", part.first, part.last, size];
    }
    headers[@"Content-Length"] = [NSString stringWithFormat:@"%llu", length];
    HullResponse *response = [[HullResponse alloc] initStatus:part == nil ? answer.status : 206 headers:headers];
    if (![method isEqualToString:@"HEAD"]) {
        response.file = file;
        response.offset = part == nil ? 0 : part.first;
        response.length = length;
    }
    return response;
}
@end
