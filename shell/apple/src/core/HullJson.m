#import "HullJson.h"

static id member(NSDictionary<NSString *, id> *from, NSString *key, Class kind) {
    id value = from[key];
    return [value isKindOfClass:kind] ? value : nil;
}

/// The members of an array that are of a kind.
static NSArray *members(NSDictionary<NSString *, id> *from, NSString *key, Class kind) {
    NSMutableArray *found = [NSMutableArray array];
    for (id one in (NSArray *)member(from, key, [NSArray class]) ?: @[]) {
        if ([one isKindOfClass:kind]) [found addObject:one];
    }
    return found;
}

NSString *HullText(NSDictionary<NSString *, id> *from, NSString *key) {
    return member(from, key, [NSString class]) ?: @"";
}

BOOL HullFlag(NSDictionary<NSString *, id> *from, NSString *key) {
    return [member(from, key, [NSNumber class]) boolValue];
}

NSDictionary<NSString *, id> *HullDict(NSDictionary<NSString *, id> *from, NSString *key) {
    return member(from, key, [NSDictionary class]) ?: @{};
}

NSArray<NSDictionary<NSString *, id> *> *HullDicts(NSDictionary<NSString *, id> *from, NSString *key) {
    return members(from, key, [NSDictionary class]);
}

NSArray<NSString *> *HullTexts(NSDictionary<NSString *, id> *from, NSString *key) {
    return members(from, key, [NSString class]);
}

NSString *HullQuote(NSString *text) {
    NSMutableString *quoted = [[NSString string] mutableCopy];
    [quoted appendString:@"\""];
    for (NSUInteger i = 0; i < text.length; i++) {
        unsigned short letter = [text characterAtIndex:i];
        // Angle brackets and line separators too: the literal then is safe in HTML and in old engines.
        BOOL isPlain = letter >= ' ' && letter < 0x7f && letter != '"' && letter != '\\' && letter != '<';
        [quoted appendString:isPlain ? [text substringWithRange:NSMakeRange(i, 1)]
                                     : [NSString stringWithFormat:@"\\u%04x", letter]];
    }
    [quoted appendString:@"\""];
    return quoted;
}
