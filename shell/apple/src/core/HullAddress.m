#import "HullAddress.h"

BOOL HullBegins(NSString *text, NSString *start) {
    return start.length == 0 || [text hasPrefix:start];
}

int HullDigit(unsigned short letter) {
    if (letter >= '0' && letter <= '9') return letter - '0';
    if (letter >= 'a' && letter <= 'f') return letter - 'a' + 10;
    if (letter >= 'A' && letter <= 'F') return letter - 'A' + 10;
    return -1;
}

NSString *HullDecode(NSString *text) {
    NSMutableData *decoded = [[text dataUsingEncoding:NSUTF8StringEncoding] mutableCopy];
    if (decoded == nil) return nil;
    unsigned char *bytes = decoded.mutableBytes;
    NSUInteger length = decoded.length, end = 0;
    for (NSUInteger i = 0; i < length; i++, end++) {
        bytes[end] = bytes[i];
        if (bytes[i] != '%') continue;
        int high = i + 2 < length ? HullDigit(bytes[i + 1]) : -1;
        int low = i + 2 < length ? HullDigit(bytes[i + 2]) : -1;
        if (high < 0 || low < 0) return nil;
        bytes[end] = (unsigned char)(high * 16 + low);
        i += 2;
    }
    decoded.length = end;
    return [[NSString alloc] initWithData:decoded encoding:NSUTF8StringEncoding];
}

BOOL HullIsOneOf(NSString *word, NSString *list) {
    if ([word rangeOfString:@" "].location != NSNotFound) return NO;
    return [list rangeOfString:[NSString stringWithFormat:@" %@ ", word]].location != NSNotFound;
}

NSString *HullOrigin(NSString *scheme, NSString *host, NSInteger port) {
    NSString *end = port == 0 ? @"" : [NSString stringWithFormat:@":%ld", (long)port];
    return [NSString stringWithFormat:@"%@://%@%@", scheme, host, end];
}

BOOL HullIsWeb(NSString *text) {
    return HullIsOneOf(HullScheme(text), @" https http ");
}

NSString *HullScheme(NSString *text) {
    NSRange colon = [text rangeOfString:@":"];
    if (text == nil || colon.location == NSNotFound) return @"";
    return [[text substringToIndex:colon.location] lowercaseString];
}

/// Cuts a text at the first of a mark; what is behind it goes to `behind`, nil where the mark is not there.
static NSString *cut(NSString *text, NSString *mark, NSString *__strong *behind) {
    NSRange at = [text rangeOfString:mark];
    *behind = at.location == NSNotFound ? nil : [text substringFromIndex:at.location + 1];
    return at.location == NSNotFound ? text : [text substringToIndex:at.location];
}

HULL_DIRECT @implementation HullAddress

+ (instancetype)addressOf:(NSString *)text {
    NSString *scheme = HullScheme(text);
    NSString *start = [scheme stringByAppendingString:@"://"];
    if (scheme.length == 0 || ![text.lowercaseString hasPrefix:start]) return nil;
    NSString *behind = [text substringFromIndex:start.length];
    HullAddress *made = [[self alloc] init];
    made->_scheme = scheme;
    NSString *fragment = nil;
    NSString *query = nil;
    behind = cut(cut(behind, @"#", &fragment), @"?", &query);
    made->_fragment = fragment;
    made->_query = query;
    NSRange slash = [behind rangeOfString:@"/"];
    NSString *authority = slash.location == NSNotFound ? behind : [behind substringToIndex:slash.location];
    made->_path = slash.location == NSNotFound ? @"/" : [behind substringFromIndex:slash.location];
    NSRange at = [authority rangeOfString:@"@" options:NSBackwardsSearch];
    if (at.location != NSNotFound) authority = [authority substringFromIndex:at.location + 1];
    // A colon within brackets belongs to the address of the host (RFC 3986, section 3.2.2).
    NSRange bracket = [authority rangeOfString:@"]" options:NSBackwardsSearch];
    NSRange colon = [authority rangeOfString:@":" options:NSBackwardsSearch];
    BOOL hasPort = colon.location != NSNotFound && (bracket.location == NSNotFound || colon.location > bracket.location);
    made->_host = [hasPort ? [authority substringToIndex:colon.location] : authority lowercaseString];
    NSString *port = hasPort ? [authority substringFromIndex:colon.location + 1] : @"";
    BOOL isUsual = ([scheme isEqualToString:@"https"] && [port isEqualToString:@"443"]) ||
                   ([scheme isEqualToString:@"http"] && [port isEqualToString:@"80"]);
    made->_port = isUsual ? @"" : port;
    return made;
}

- (NSString *)decodedPath {
    return HullDecode(self.path);
}

- (NSString *)origin {
    return HullOrigin(self.scheme, self.host, self.port.integerValue);
}

- (NSString *)rest {
    NSString *query = self.query == nil ? @"" : [@"?" stringByAppendingString:self.query];
    NSString *fragment = self.fragment == nil ? @"" : [@"#" stringByAppendingString:self.fragment];
    return [NSString stringWithFormat:@"%@%@%@", self.path, query, fragment];
}

- (NSString *)valueOf:(NSString *)name {
    for (NSString *pair in [self.query componentsSeparatedByString:@"&"]) {
        NSString *value = nil;
        NSString *key = cut(pair, @"=", &value);
        if (![HullDecode(key) isEqualToString:name]) continue;
        NSString *plain = [value ?: @"" stringByReplacingOccurrencesOfString:@"+" withString:@" "];
        return HullDecode(plain);
    }
    return nil;
}

+ (BOOL)isPlain:(NSString *)text {
    for (NSUInteger i = 0; i < text.length; i++) {
        unsigned short letter = [text characterAtIndex:i];
        if (letter <= ' ' || letter == '\\' || letter == 0x7f) return NO;
    }
    NSRange start = [text rangeOfString:@"://"];
    if (start.location == NSNotFound) return NO;
    NSString *behind = [text substringFromIndex:start.location + 3];
    NSRange end = [behind rangeOfCharacterFromSet:[NSCharacterSet characterSetWithCharactersInString:@"/?#"]];
    NSString *authority = end.location == NSNotFound ? behind : [behind substringToIndex:end.location];
    return [authority rangeOfString:@"@"].location == NSNotFound && authority.length > 0;
}
@end
