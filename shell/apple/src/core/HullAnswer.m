#import "HullAnswer.h"

NSString *HullExtension(NSString *path) {
    NSRange slash = [path rangeOfString:@"/" options:NSBackwardsSearch];
    NSString *name = slash.location == NSNotFound ? path : [path substringFromIndex:slash.location + 1];
    NSRange dot = [name rangeOfString:@"." options:NSBackwardsSearch];
    return dot.location == NSNotFound || dot.location == 0 ? @"" : [name substringFromIndex:dot.location + 1].lowercaseString;
}

static BOOL climbs(NSString *name) {
    for (NSString *step in [name componentsSeparatedByString:@"/"]) {
        if ([step isEqualToString:@".."] || [step isEqualToString:@"."]) return YES;
    }
    for (NSUInteger i = 0; i < name.length; i++) {
        unsigned short letter = [name characterAtIndex:i];
        if (letter == 0 || letter == '\\') return YES;
    }
    return NO;
}

/// Whether the app routes a path by itself: it does not end as the name of a file does, and is not excepted.
static BOOL isRouted(HullSettings *settings, NSString *name) {
    if (settings.packedFallback == nil || settings.types[HullExtension(name)] != nil) return NO;
    for (NSString *start in settings.packedExcept) {
        if (HullBegins(name, start)) return NO;
    }
    return YES;
}

HULL_DIRECT @implementation HullAnswer

- (instancetype)initKind:(HullAnswerKind)kind status:(NSInteger)status path:(NSString *)path {
    if ((self = [super init])) {
        _kind = kind;
        _status = status;
        _path = path;
    }
    return self;
}

+ (instancetype)file:(NSString *)path {
    return [[self alloc] initKind:HullAnswerFile status:200 path:path];
}

+ (instancetype)kind:(HullAnswerKind)kind {
    return [[self alloc] initKind:kind status:0 path:nil];
}

+ (instancetype)nothing:(NSInteger)status {
    return [[self alloc] initKind:HullAnswerNothing status:status path:nil];
}

+ (instancetype)answerTo:(NSString *)method
                    path:(NSString *)path
                    page:(BOOL)page
                settings:(HullSettings *)settings
                   files:(id<HullFiles>)files {
    NSString *base = settings.packedBase;
    if (![[path stringByAppendingString:@"/"] hasPrefix:base]) return [self kind:HullAnswerNetwork];
    if (![method isEqualToString:@"GET"] && ![method isEqualToString:@"HEAD"]) {
        return settings.packedNetwork ? [self kind:HullAnswerNetwork] : [self nothing:405];
    }
    if (![path hasPrefix:base]) return [self kind:HullAnswerSlash];
    NSString *name = [path substringFromIndex:base.length];
    if (climbs(name)) return [self nothing:404];
    BOOL isFolder = name.length == 0 || [name hasSuffix:@"/"];
    NSString *first = isFolder ? [name stringByAppendingString:@"index.html"] : name;
    if ([files has:first]) return [self file:first];
    if (name.length != 0) {
        NSString *bare = isFolder ? [name substringToIndex:name.length - 1] : name;
        NSString *second = [bare stringByAppendingString:@".html"];
        if ([files has:second]) return isFolder && page ? [self kind:HullAnswerBare] : [self file:second];
        NSString *index = [name stringByAppendingString:@"/index.html"];
        if (!isFolder && [files has:index]) return [self kind:HullAnswerSlash];
    }
    if (page && isRouted(settings, name)) return [self file:settings.packedFallback];
    if (settings.packedNetwork) return [self kind:HullAnswerNetwork];
    if (page && [files has:@"404.html"]) {
        return [[self alloc] initKind:HullAnswerFile status:404 path:@"404.html"];
    }
    return [self nothing:404];
}
@end
