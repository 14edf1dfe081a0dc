#import "HullLinkRule.h"
#import "HullJson.h"

BOOL HullWildcard(NSString *pattern, NSString *text) {
    NSUInteger p = 0, t = 0, star = NSNotFound, kept = 0;
    while (t < text.length) {
        if (p < pattern.length && [pattern characterAtIndex:p] == '*') {
            star = p++;
            kept = t;
        } else if (p < pattern.length && [pattern characterAtIndex:p] == [text characterAtIndex:t]) {
            p++;
            t++;
        } else if (star != NSNotFound) {
            p = star + 1;
            t = ++kept;
        } else {
            return NO;
        }
    }
    while (p < pattern.length && [pattern characterAtIndex:p] == '*') p++;
    return p == pattern.length;
}

/// A text that has to be there; alone, `*` stands for any that is not empty.
static BOOL matchesText(NSString *pattern, NSString *text) {
    if (text == nil) return NO;
    return [pattern isEqualToString:@"*"] ? text.length != 0 : HullWildcard(pattern, text);
}

HULL_DIRECT @implementation HullLinkRule {
    NSString *_host;
    NSArray<NSDictionary<NSString *, id> *> *_rules;
}

- (instancetype)initWith:(NSDictionary<NSString *, id> *)json {
    if ((self = [super init])) {
        _host = HullText(json, @"host");
        _rules = HullDicts(json, @"rules");
    }
    return self;
}

- (BOOL)isAbout:(HullAddress *)address {
    if ([_host hasPrefix:@"*."]) return [address.host hasSuffix:[_host substringFromIndex:1]];
    return [address.host isEqualToString:_host];
}

- (BOOL)allows:(HullAddress *)address {
    BOOL allowed = NO;
    for (NSDictionary<NSString *, id> *rule in _rules) {
        if (![self rule:rule isAbout:address]) continue;
        if (!HullFlag(rule, @"allow")) return NO;
        allowed = YES;
    }
    return allowed;
}

- (BOOL)rule:(NSDictionary<NSString *, id> *)rule isAbout:(HullAddress *)address {
    if (!HullWildcard(HullText(rule, @"pattern"), address.decodedPath ?: @"")) return NO;
    NSString *fragment = HullDecode(address.fragment);
    if (rule[@"fragment"] != nil && !matchesText(HullText(rule, @"fragment"), fragment)) return NO;
    NSDictionary<NSString *, id> *query = HullDict(rule, @"query");
    for (NSString *name in query.allKeys) {
        if (!matchesText(HullText(query, name), [address valueOf:name])) return NO;
    }
    return YES;
}
@end
