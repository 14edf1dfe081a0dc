#import "HullByteRange.h"

/// Digits that fit 64 bits with a sign.
static BOOL isNumber(NSString *text) {
    if (text.length == 0 || text.length > 18) return NO;
    for (NSUInteger i = 0; i < text.length; i++) {
        unsigned short letter = [text characterAtIndex:i];
        if (letter < '0' || letter > '9') return NO;
    }
    return YES;
}

HULL_DIRECT @implementation HullByteRange

- (instancetype)initFirst:(unsigned long long)first last:(unsigned long long)last satisfiable:(BOOL)satisfiable {
    if ((self = [super init])) {
        _first = first;
        _last = last;
        _satisfiable = satisfiable;
    }
    return self;
}

+ (instancetype)rangeFrom:(NSString *)header length:(unsigned long long)length {
    if (![header hasPrefix:@"bytes="] || [header rangeOfString:@","].location != NSNotFound) return nil;
    NSCharacterSet *blanks = NSCharacterSet.whitespaceAndNewlineCharacterSet;
    NSString *range = [[header substringFromIndex:6] stringByTrimmingCharactersInSet:blanks];
    NSRange dash = [range rangeOfString:@"-"];
    if (dash.location == NSNotFound) return nil;
    NSString *from = [range substringToIndex:dash.location];
    NSString *to = [range substringFromIndex:dash.location + 1];
    if (from.length == 0) {
        if (!isNumber(to)) return nil;
        unsigned long long suffix = (unsigned long long)to.longLongValue;
        if (suffix == 0 || length == 0) return [[self alloc] initFirst:0 last:0 satisfiable:NO];
        return [[self alloc] initFirst:suffix >= length ? 0 : length - suffix last:length - 1 satisfiable:YES];
    }
    if (!isNumber(from) || (to.length != 0 && !isNumber(to))) return nil;
    unsigned long long first = (unsigned long long)from.longLongValue;
    if (first >= length) return [[self alloc] initFirst:0 last:0 satisfiable:NO];
    unsigned long long last = to.length == 0 ? length - 1 : (unsigned long long)to.longLongValue;
    if (last > length - 1) last = length - 1;
    return last < first ? nil : [[self alloc] initFirst:first last:last satisfiable:YES];
}
@end
