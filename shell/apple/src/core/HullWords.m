#import "HullWords.h"
#import "HullAddress.h"

/// Under which names the table may have a language: the exact one first.
static NSArray<NSString *> *namesOf(NSString *tag) {
    NSMutableArray<NSString *> *names = [NSMutableArray array];
    [names addObject:tag];
    NSArray<NSString *> *parts = [tag componentsSeparatedByString:@"-"];
    NSString *language = parts.firstObject ?: @"";
    BOOL isTraditional = NO;
    BOOL isSimplified = NO;
    for (NSString *part in parts) {
        if (HullIsOneOf(part, @" Hant TW HK MO ")) isTraditional = YES;
        if ([part isEqualToString:@"Hans"]) isSimplified = YES;
    }
    if ([language isEqualToString:@"zh"] && isTraditional && !isSimplified) [names addObject:@"zh-Hant"];
    [names addObject:language];
    // Older names of languages, and such as are read by who speaks another.
    NSString *aliases = @" iw=he in=id no=nb nn=nb ";
    NSRange alias = [aliases rangeOfString:[NSString stringWithFormat:@" %@=", language]];
    if (alias.location != NSNotFound) [names addObject:[aliases substringWithRange:NSMakeRange(alias.location + alias.length, 2)]];
    return names;
}

HULL_DIRECT @implementation HullWords {
    NSDictionary<NSString *, NSString *> *_spoken, *_otherwise;
    NSString * (^_platform)(NSString *);
}

- (instancetype)initWithTable:(NSString *)table
                    languages:(NSArray<NSString *> *)languages
                     platform:(NSString * (^)(NSString *))platform {
    if ((self = [super init])) {
        _platform = [platform copy];
        NSDictionary<NSString *, NSDictionary<NSString *, NSString *> *> *all = [self read:table];
        _otherwise = all[@""] ?: @{};
        for (NSString *tag in languages) {
            for (NSString *name in namesOf(tag)) {
                if (_spoken == nil) _spoken = all[name];
            }
        }
    }
    return self;
}

- (NSDictionary<NSString *, NSDictionary<NSString *, NSString *> *> *)read:(NSString *)table {
    NSMutableDictionary<NSString *, NSDictionary<NSString *, NSString *> *> *all = [NSMutableDictionary dictionary];
    NSArray<NSString *> *keys = nil;
    for (NSString *line in [table componentsSeparatedByString:@"\n"]) {
        NSArray<NSString *> *fields = [line componentsSeparatedByString:@"\t"];
        if (keys == nil) {
            keys = fields;
        } else if (fields.count > 1) {
            NSMutableDictionary<NSString *, NSString *> *words = [NSMutableDictionary dictionary];
            for (NSUInteger i = 1; i < fields.count && i < keys.count; i++) {
                if (fields[i].length != 0) words[keys[i]] = fields[i];
            }
            all[fields[0]] = words;
        }
    }
    return all;
}

- (NSString *)text:(NSString *)key {
    NSString *own = _spoken[key];
    if (own != nil) return own;
    NSString *english = _otherwise[key];
    return english == nil ? key : _platform(english);
}
@end
