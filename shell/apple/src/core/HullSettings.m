#import "HullSettings.h"
#import "HullJson.h"

@interface HullColors ()
- (instancetype)initWith:(NSDictionary<NSString *, id> *)json;
@end

HULL_DIRECT @implementation HullColors
- (instancetype)initWith:(NSDictionary<NSString *, id> *)json {
    if ((self = [super init])) {
        _theme = HullText(json, @"themeColor");
        _background = HullText(json, @"backgroundColor");
    }
    return self;
}
@end

/// A text that is there; nil where it is not.
static NSString *given(NSDictionary<NSString *, id> *from, NSString *key) {
    NSString *text = HullText(from, key);
    return text.length == 0 ? nil : text;
}

HULL_DIRECT @implementation HullSettings {
    NSArray<HullUrlRule *> *_inside;
    NSArray<HullLinkRule *> *_links;
    NSArray<NSDictionary<NSString *, id> *> *_headers;
    NSDictionary<NSString *, id> *_permissions;
    NSDictionary<NSString *, id> *_errors;
}

+ (instancetype)settingsFrom:(NSData *)data {
    if (data == nil) return nil;
    NSDictionary<NSString *, id> *json = [NSJSONSerialization JSONObjectWithData:data options:0 error:NULL];
    return [json isKindOfClass:[NSDictionary class]] ? [[self alloc] initWith:json] : nil;
}

- (instancetype)initWith:(NSDictionary<NSString *, id> *)json {
    if ((self = [super init])) {
        _name = HullText(json, @"name");
        _start = HullText(json, @"start");
        _base = HullText(json, @"base");
        [self readPacked:HullDict(json, @"packed")];
        _pageScheme = given(json, @"pageScheme") ?: @"hull";
        NSString *display = HullText(json, @"display");
        _fullscreen = [display isEqualToString:@"fullscreen"];
        _minimal = [display isEqualToString:@"minimal-ui"];
        _light = [[HullColors alloc] initWith:json];
        _dark = [[HullColors alloc] initWith:HullDict(json, @"dark")];
        if (_dark.theme.length == 0) _dark = _light;
        NSDictionary<NSString *, id> *window = HullDict(json, @"window");
        _covers = [HullText(window, @"edges") isEqualToString:@"cover"];
        _keepScreenOn = HullFlag(window, @"keepScreenOn");
        _secure = HullFlag(window, @"secure");
        _pullToRefresh = HullFlag(window, @"pullToRefresh");
        _errors = HullDict(json, @"errors");
        _offlinePage = given(_errors, @"offline");
        _script = HullText(json, @"script");
        _states = HullDict(json, @"states");
        _types = HullDict(json, @"types");
        _frames = HullTexts(json, @"frames");
        _scheme = given(json, @"scheme");
        _appBound = HullFlag(json, @"appBound");
        _permissions = HullDict(json, @"permissions");
        NSMutableArray<HullUrlRule *> *inside = [NSMutableArray array];
        for (NSDictionary<NSString *, id> *one in HullDicts(json, @"inside")) {
            HullUrlRule *rule = [HullUrlRule ruleFrom:one];
            if (rule != nil) [inside addObject:rule];
        }
        _inside = inside;
        NSMutableArray<HullLinkRule *> *links = [NSMutableArray array];
        for (NSDictionary<NSString *, id> *one in HullDicts(json, @"links")) {
            [links addObject:[[HullLinkRule alloc] initWith:one]];
        }
        _links = links;
    }
    return self;
}

- (void)readPacked:(NSDictionary<NSString *, id> *)packed {
    _packedOrigin = given(packed, @"origin");
    _packedBase = given(packed, @"base") ?: @"/";
    _packedNetwork = HullFlag(packed, @"network");
    _packedFallback = given(packed, @"fallback");
    _packedExcept = HullTexts(packed, @"except");
    _headers = HullDicts(packed, @"headers");
}

- (BOOL)declares:(NSString *)capability {
    return _permissions[capability] != nil;
}

- (NSDictionary<NSString *, NSString *> *)headersOf:(NSString *)path {
    NSMutableDictionary<NSString *, NSString *> *found = [NSMutableDictionary dictionary];
    for (NSDictionary<NSString *, id> *row in _headers) {
        NSString *pattern = HullText(row, @"path");
        BOOL begins = [pattern hasSuffix:@"*"] && HullBegins(path, [pattern substringToIndex:pattern.length - 1]);
        if (!begins && ![pattern isEqualToString:path]) continue;
        NSDictionary<NSString *, id> *fields = HullDict(row, @"fields");
        for (NSString *name in fields.allKeys) {
            for (NSString *other in found.allKeys) {
                if ([other.lowercaseString isEqualToString:name.lowercaseString]) [found removeObjectForKey:other];
            }
            found[name] = HullText(fields, name);
        }
    }
    return found;
}

- (BOOL)isInside:(HullAddress *)address {
    for (HullUrlRule *rule in _inside) {
        if ([rule matches:address]) return YES;
    }
    return NO;
}

- (NSString *)troubleOf:(NSString *)url status:(NSInteger)status {
    NSString *why = status == 404 || status == 410 ? @"notFound" : status >= 500 ? @"server" : @"";
    return [HullText(_errors, why) isEqualToString:@"shell"] && [self placeOf:url] == HullPlaceInside ? why : nil;
}

- (HullPlace)placeOf:(NSString *)url {
    NSString *scheme = HullScheme(url);
    if (HullIsOneOf(scheme, @" about blob data ")) return HullPlaceInPage;
    if (HullIsOneOf(scheme, @"  file javascript ")) return HullPlaceRefused;
    BOOL isPacked = [self isPacked:url];
    if (!isPacked && [scheme isEqualToString:self.pageScheme]) return HullPlaceRefused;
    NSString *web = [self webAddressOf:url];
    NSString *webScheme = HullScheme(web);
    if (![webScheme isEqualToString:@"https"] && ![webScheme isEqualToString:@"http"]) return HullPlaceOutside;
    HullAddress *address = [HullAddress addressOf:web];
    if (address == nil || ![HullAddress isPlain:web]) return HullPlaceRefused;
    return [self isInside:address] ? HullPlaceInside : HullPlaceOutside;
}

- (BOOL)isOwnOrigin:(NSString *)origin {
    if ([self isPacked:origin]) return YES;
    HullAddress *address = [HullAddress addressOf:[origin stringByAppendingString:@"/"]];
    HullAddress *base = [HullAddress addressOf:self.base];
    if (address == nil) return NO;
    // A rule may be for paths alone; the app's own host is its own on every path.
    return [address.origin isEqualToString:base.origin] || [self isInside:address];
}

- (BOOL)opens:(HullAddress *)address {
    for (HullLinkRule *rule in _links) {
        if ([rule isAbout:address]) return [rule allows:address];
    }
    return YES;
}

/// What packed addresses begin with.
- (NSString *)packedStart {
    NSString *authority = [self.packedOrigin substringFromIndex:[self.packedOrigin rangeOfString:@"://"].location];
    return [self.pageScheme stringByAppendingString:authority];
}

static BOOL isBelow(NSString *url, NSString *origin) {
    if (![url hasPrefix:origin]) return NO;
    if (url.length == origin.length) return YES;
    unsigned short next = [url characterAtIndex:origin.length];
    return next == '/' || next == '?' || next == '#';
}

- (BOOL)isPacked:(NSString *)url {
    return self.packedOrigin != nil && isBelow(url, [self packedStart]);
}

- (NSString *)webAddressOf:(NSString *)url {
    return [self isPacked:url] ? [self.packedOrigin stringByAppendingString:[url substringFromIndex:[self packedStart].length]] : url;
}

- (NSString *)packedAddressOf:(NSString *)webAddress {
    if (self.packedOrigin == nil || !isBelow(webAddress, self.packedOrigin)) return webAddress;
    return [[self packedStart] stringByAppendingString:[webAddress substringFromIndex:self.packedOrigin.length]];
}

- (NSString *)pageMeantBy:(NSString *)url {
    NSString *web = [self webAddressOf:url];
    if (self.scheme != nil && [HullScheme(url) isEqualToString:self.scheme]) {
        // ferry://pier.html and ferry:/pier.html both mean the page below the app's own address.
        NSString *rest = [url substringFromIndex:self.scheme.length + 1];
        NSUInteger start = 0;
        while (start < rest.length && [rest characterAtIndex:start] == '/') start++;
        web = [self.base stringByAppendingString:[rest substringFromIndex:start]];
    }
    HullAddress *address = [HullAddress addressOf:web];
    if (address == nil || ![HullAddress isPlain:web] || ![self isInside:address]) return nil;
    NSString *path = address.decodedPath;
    return path == nil || [path rangeOfString:@"/../"].location != NSNotFound ? nil : web;
}
@end
