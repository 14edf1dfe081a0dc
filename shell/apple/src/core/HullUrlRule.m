#import "HullUrlRule.h"

HULL_DIRECT @implementation HullUrlRule {
    NSArray<NSRegularExpression *> *_parts;
}

+ (instancetype)ruleFrom:(NSDictionary<NSString *, id> *)json {
    NSMutableArray<NSRegularExpression *> *parts = [NSMutableArray array];
    for (NSString *component in @[ @"protocol", @"hostname", @"port", @"pathname", @"search" ]) {
        id text = json[component];
        if (![text isKindOfClass:[NSString class]]) return nil;
        // The whole of a component has to match.
        NSString *whole = [NSString stringWithFormat:@"\\A(?:%@)\\z", text];
        NSRegularExpression *expression = [NSRegularExpression regularExpressionWithPattern:whole options:0 error:NULL];
        if (expression == nil) return nil;
        [parts addObject:expression];
    }
    HullUrlRule *made = [[self alloc] init];
    made->_parts = parts;
    return made;
}

- (BOOL)matches:(HullAddress *)address {
    NSArray<NSString *> *texts = @[ address.scheme, address.host, address.port, address.path, address.query ?: @"" ];
    for (NSUInteger i = 0; i < _parts.count; i++) {
        NSRange all = NSMakeRange(0, texts[i].length);
        if ([_parts[i] rangeOfFirstMatchInString:texts[i] options:0 range:all].location == NSNotFound) return NO;
    }
    return YES;
}
@end
