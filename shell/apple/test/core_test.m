// The part of the shell that needs Foundation alone, on GNUstep's: the shared vectors, and what they do not say.
#import "HullColor.h"
#import "HullJson.h"
#import "HullPackedSite.h"
#import "HullWords.h"
#import "check.h"

int checks, failures;

@interface NSJSONSerialization (Test)
+ (NSData *)dataWithJSONObject:(id)object options:(NSUInteger)options error:(NSError **)error;
@end

/// Files as the vectors name them.
@interface NamedFiles : NSObject <HullFiles>
@property(nonatomic, copy) NSArray<NSString *> *names;
@end
@implementation NamedFiles
- (BOOL)has:(NSString *)path {
    return [self.names containsObject:path];
}
@end

static NSDictionary<NSString *, id> *vectors(NSString *folder, NSString *name) {
    NSData *data = [NSData dataWithContentsOfFile:[folder stringByAppendingPathComponent:name]];
    NSDictionary<NSString *, id> *json = [NSJSONSerialization JSONObjectWithData:data options:0 error:NULL];
    CHECK(json.count > 0);
    return json;
}

static NSData *bytes(NSString *text) {
    return [text dataUsingEncoding:NSUTF8StringEncoding];
}

/// Settings with the content types that the vectors' files have.
static HullSettings *settingsWith(NSString *members) {
    NSString *types = @"\"types\":{\"html\":\"text/html\",\"js\":\"text/javascript\",\"svg\":\"image/svg+xml\","
                       "\"pdf\":\"application/pdf\",\"webp\":\"image/webp\",\"json\":\"application/json\"}";
    return [HullSettings settingsFrom:bytes([NSString stringWithFormat:@"{%@,%@}", types, members])];
}

static NSString *textOf(HullAnswer *answer) {
    switch (answer.kind) {
        case HullAnswerFile: return [NSString stringWithFormat:@"%ld %@", (long)answer.status, answer.path];
        case HullAnswerNothing: return [NSString stringWithFormat:@"%ld", (long)answer.status];
        case HullAnswerSlash: return @"slash";
        case HullAnswerBare: return @"bare";
        case HullAnswerNetwork: return @"network";
    }
}

static NSString *json(id value);
static NSString *json(id value) {
    if ([value isKindOfClass:[NSString class]]) return HullQuote(value);
    NSMutableArray<NSString *> *parts = [NSMutableArray array];
    if ([value isKindOfClass:[NSArray class]]) {
        for (id one in (NSArray *)value) [parts addObject:json(one)];
        return [NSString stringWithFormat:@"[%@]", [parts componentsJoinedByString:@","]];
    }
    if ([value isKindOfClass:[NSDictionary class]]) {
        for (NSString *key in ((NSDictionary *)value).allKeys) {
            [parts addObject:[NSString stringWithFormat:@"%@:%@", HullQuote(key), json(((NSDictionary *)value)[key])]];
        }
        return [NSString stringWithFormat:@"{%@}", [parts componentsJoinedByString:@","]];
    }
    return [value boolValue] ? @"true" : @"false";
}

static void answers(NSString *folder) {
    for (NSDictionary<NSString *, id> *site in HullDicts(vectors(folder, @"answers.json"), @"sites")) {
        NSMutableDictionary<NSString *, id> *packed = [site mutableCopy];
        packed[@"origin"] = @"https://ferry.saltmarsh.example";
        [packed removeObjectForKey:@"requests"];
        HullSettings *settings = settingsWith([NSString stringWithFormat:@"\"packed\":%@", json(packed)]);
        NamedFiles *files = [[NamedFiles alloc] init];
        files.names = HullTexts(site, @"files");
        for (NSDictionary<NSString *, id> *request in HullDicts(site, @"requests")) {
            NSString *method = HullText(request, @"method");
            NSString *path = HullText(request, @"path");
            HullAnswer *answer = [HullAnswer answerTo:method.length == 0 ? @"GET" : method
                                                 path:path
                                                 page:HullFlag(request, @"page")
                                             settings:settings
                                                files:files];
            NSString *found = textOf(answer);
            checks++;
            if (![found isEqualToString:HullText(request, @"answer")]) {
                failures++;
                printf("%s, %s: %s\n", HullText(site, @"name").UTF8String, path.UTF8String, found.UTF8String);
            }
            NSDictionary<NSString *, id> *headers = HullDict(request, @"headers");
            if (headers.count == 0) continue;
            NSDictionary<NSString *, NSString *> *own =
                [settings headersOf:[path substringFromIndex:settings.packedBase.length]];
            CHECK(own.count == headers.count);
            for (NSString *name in headers.allKeys) SAME(own[name], HullText(headers, name));
        }
    }
}

static void ranges(NSString *folder) {
    for (NSDictionary<NSString *, id> *one in HullDicts(vectors(folder, @"ranges.json"), @"ranges")) {
        HullByteRange *range = [HullByteRange rangeFrom:HullText(one, @"header") length:[one[@"length"] unsignedLongLongValue]];
        id wanted = one[@"range"];
        if ([wanted isKindOfClass:[NSArray class]]) {
            CHECK(range.satisfiable && range.first == [((NSArray *)wanted)[0] unsignedLongLongValue] &&
                  range.last == [((NSArray *)wanted)[1] unsignedLongLongValue]);
        } else if ([wanted isEqual:@"whole"]) {
            CHECK(range == nil);
        } else {
            CHECK(range != nil && !range.satisfiable);
        }
    }
}

static void addresses(NSString *folder) {
    NSDictionary<NSString *, id> *all = vectors(folder, @"addresses.json");
    for (NSDictionary<NSString *, id> *one in HullDicts(all, @"rules")) {
        HullUrlRule *rule = [HullUrlRule ruleFrom:HullDict(one, @"compiled")];
        for (NSString *url in HullTexts(one, @"inside")) CHECK([rule matches:[HullAddress addressOf:url]]);
        for (NSString *url in HullTexts(one, @"outside")) CHECK(![rule matches:[HullAddress addressOf:url]]);
    }
    for (NSDictionary<NSString *, id> *one in HullDicts(all, @"links")) {
        HullLinkRule *rule = [[HullLinkRule alloc] initWith:one];
        for (NSString *url in HullTexts(one, @"opens")) {
            HullAddress *address = [HullAddress addressOf:url];
            CHECK([rule isAbout:address] && [rule allows:address]);
        }
        for (NSString *url in HullTexts(one, @"leaves")) {
            HullAddress *address = [HullAddress addressOf:url];
            CHECK([rule isAbout:address] && ![rule allows:address]);
        }
    }
}

static NSString *const FERRY =
    @"\"name\":\"Saltmarsh Ferry\",\"start\":\"https://ferry.saltmarsh.example/?from=app\",\"base\":\"https://ferry.saltmarsh.example/\","
     "\"scheme\":\"saltmarsh-ferry\",\"pageScheme\":\"hull\",\"permissions\":{\"camera\":{\"reason\":\"x\"}},"
     "\"inside\":[{\"protocol\":\"https\",\"hostname\":\"ferry\\\\.saltmarsh\\\\.example\",\"port\":\"\",\"pathname\":\"/.*\",\"search\":\".*\"}],"
     "\"packed\":{\"origin\":\"https://ferry.saltmarsh.example\",\"base\":\"/\",\"network\":true}";

static void trouble(NSString *folder) {
    for (NSDictionary<NSString *, id> *one in HullDicts(vectors(folder, @"trouble.json"), @"cases")) {
        id outcome = one[@"outcome"];
        if (![outcome isKindOfClass:[NSNumber class]]) continue;
        NSMutableArray<NSString *> *errors = [NSMutableArray array];
        NSDictionary<NSString *, id> *given = HullDict(one, @"errors");
        for (NSString *key in given) [errors addObject:[NSString stringWithFormat:@"\"%@\":\"%@\"", key, given[key]]];
        HullSettings *settings = settingsWith([NSString stringWithFormat:@"%@,\"errors\":{%@}", FERRY, [errors componentsJoinedByString:@","]]);
        NSString *host = HullFlag(one, @"own") ? @"ferry" : @"elsewhere";
        NSString *url = [NSString stringWithFormat:@"https://%@.saltmarsh.example/pier.html", host];
        NSString *why = [settings troubleOf:url status:[(NSNumber *)outcome integerValue]];
        SAME(why ?: @"page", HullText(one, @"answers"));
    }
}

static void settings(NSString *folder) {
    for (NSDictionary<NSString *, id> *one in HullDicts(vectors(folder, @"settings.json"), @"apps")) {
        NSData *json = [NSJSONSerialization dataWithJSONObject:HullDict(one, @"settings") options:0 error:NULL];
        HullSettings *settings = [HullSettings settingsFrom:json];
        NSDictionary<NSString *, id> *window = HullDict(one, @"window");
        CHECK(settings.fullscreen == HullFlag(window, @"fullscreen") && settings.minimal == HullFlag(window, @"minimal"));
        CHECK(settings.covers == HullFlag(window, @"covers") && settings.keepScreenOn == HullFlag(window, @"keepScreenOn"));
        CHECK(settings.secure == HullFlag(window, @"secure") && settings.pullToRefresh == HullFlag(window, @"pullToRefresh"));
        NSDictionary<NSString *, id> *colors = HullDict(one, @"colors");
        NSArray<NSString *> *light = HullTexts(colors, @"light"), *dark = HullTexts(colors, @"dark");
        SAME(settings.light.theme, light[0]);
        SAME(settings.light.background, light[1]);
        SAME(settings.dark.theme, dark[0]);
        SAME(settings.dark.background, dark[1]);
        for (NSString *name in HullDict(one, @"reasons")) CHECK([settings declares:name]);
        for (NSString *name in HullTexts(one, @"undeclared")) CHECK(![settings declares:name]);
        NSDictionary<NSString *, id> *types = HullDict(one, @"types"), *headers = HullDict(one, @"headers");
        for (NSString *ending in types) SAME(HullText(settings.types, ending), types[ending]);
        for (NSString *path in headers) CHECK([[settings headersOf:path] isEqual:headers[path]]);
        SAME(settings.offlinePage ?: @"", HullText(one, @"offline"));
    }
}

static void places(void) {
    HullSettings *settings = settingsWith(FERRY);
    NSDictionary<NSString *, NSNumber *> *wanted = @{
        @"hull://ferry.saltmarsh.example/pier.html" : @(HullPlaceInside),
        @"https://ferry.saltmarsh.example/pier.html" : @(HullPlaceInside),
        @"hull://other.example/" : @(HullPlaceRefused),
        @"hull://ferry.saltmarsh.example.evil.example/" : @(HullPlaceRefused),
        @"https://other.example/" : @(HullPlaceOutside),
        @"https://ferry.saltmarsh.example@evil.example/" : @(HullPlaceRefused),
        @"https://evil.example\\@ferry.saltmarsh.example/" : @(HullPlaceRefused),
        @"http://ferry.saltmarsh.example/" : @(HullPlaceOutside),
        @"mailto:pier@saltmarsh.example" : @(HullPlaceOutside),
        @"tel:+441234" : @(HullPlaceOutside),
        @"about:blank" : @(HullPlaceInPage),
        @"blob:hull://ferry.saltmarsh.example/1" : @(HullPlaceInPage),
        @"file:///etc/passwd" : @(HullPlaceRefused),
        @"javascript:alert(1)" : @(HullPlaceRefused),
        @"" : @(HullPlaceRefused),
    };
    for (NSString *url in wanted.allKeys) {
        checks++;
        if ([settings placeOf:url] == wanted[url].integerValue) continue;
        failures++;
        printf("%s is %ld\n", url.UTF8String, (long)[settings placeOf:url]);
    }
    CHECK([settings isOwnOrigin:HullOrigin(@"hull", @"ferry.saltmarsh.example", 0)]);
    CHECK([settings isOwnOrigin:HullOrigin(@"https", @"ferry.saltmarsh.example", 0)]);
    CHECK([settings isOwnOrigin:HullOrigin(@"https", @"ferry.saltmarsh.example", 443)]);
    CHECK(![settings isOwnOrigin:HullOrigin(@"https", @"ferry.saltmarsh.example", 8443)]);
    CHECK(![settings isOwnOrigin:HullOrigin(@"https", @"evil.example", 0)]);
    CHECK(![settings isOwnOrigin:HullOrigin(@"hull", @"evil.example", 0)]);
    CHECK(![settings isOwnOrigin:HullOrigin(@"", @"", 0)]);
    SAME([settings pageMeantBy:@"saltmarsh-ferry://pier.html?x=1"], @"https://ferry.saltmarsh.example/pier.html?x=1");
    SAME([settings pageMeantBy:@"saltmarsh-ferry:/pier.html"], @"https://ferry.saltmarsh.example/pier.html");
    SAME([settings pageMeantBy:@"https://ferry.saltmarsh.example/a/"], @"https://ferry.saltmarsh.example/a/");
    CHECK([settings pageMeantBy:@"https://evil.example/"] == nil);
    CHECK([settings pageMeantBy:@"saltmarsh-ferry://a/%2e%2e/b"] == nil);
    SAME([settings webAddressOf:@"hull://ferry.saltmarsh.example/a/?b#c"], @"https://ferry.saltmarsh.example/a/?b#c");
    SAME([settings packedAddressOf:@"https://ferry.saltmarsh.example/a/?b#c"], @"hull://ferry.saltmarsh.example/a/?b#c");
    SAME([settings packedAddressOf:@"https://ferry.saltmarsh.example.evil.example/"], @"https://ferry.saltmarsh.example.evil.example/");
    CHECK([settings declares:@"camera"] && ![settings declares:@"microphone"]);
    CHECK([HullSettings settingsFrom:bytes(@"[1]")] == nil && [HullSettings settingsFrom:bytes(@"{")] == nil);
    CHECK([HullSettings settingsFrom:nil] == nil && [HullSettings settingsFrom:bytes(@"{}")] != nil);
    // Values of other kinds than they have to be are as good as missing.
    HullSettings *odd = [HullSettings settingsFrom:bytes(@"{\"inside\":[7,{\"protocol\":1}],\"packed\":3,\"links\":\"x\",\"name\":{}}")];
    CHECK(odd.packedOrigin == nil && odd.name.length == 0 && [odd placeOf:@"https://a.example/"] == HullPlaceOutside);
}

static void pages(NSString *root) {
    HullSettings *settings = settingsWith(FERRY);
    HullPackedSite *site = [[HullPackedSite alloc] initWithRoot:root settings:settings];
    NSString *html = @"text/html,application/xhtml+xml";
    HullResponse *response = [site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/" accept:html range:nil];
    CHECK(response.status == 200);
    SAME(response.headers[@"Content-Type"], @"text/html; charset=utf-8");
    SAME(response.headers[@"Cache-Control"], @"no-cache");
    __block unsigned long got = 0, pieces = 0;
    response = [site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/big.webp" accept:@"*/*" range:nil];
    [response eachPiece:^BOOL(NSData *piece) {
        got += piece.length;
        pieces++;
        return YES;
    }];
    CHECK(got == 1000000 && pieces == 4);
    SAME(response.headers[@"Content-Type"], @"image/webp");
    got = 0;
    [response eachPiece:^BOOL(NSData *piece) {
        got += piece.length;
        return NO;
    }];
    CHECK(got == 256 * 1024);
    response = [site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/big.webp" accept:nil range:@"bytes=10-19"];
    CHECK(response.status == 206);
    SAME(response.headers[@"Content-Range"], @"bytes 10-19/1000000");
    SAME(response.headers[@"Content-Length"], @"10");
    response = [site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/big.webp" accept:nil range:@"bytes=1000000-"];
    CHECK(response.status == 416);
    SAME(response.headers[@"Content-Range"], @"bytes */1000000");
    response = [site respondTo:@"HEAD" url:@"hull://ferry.saltmarsh.example/big.webp" accept:nil range:nil];
    got = 0;
    [response eachPiece:^BOOL(NSData *piece) {
        got += piece.length;
        return YES;
    }];
    CHECK(response.status == 200 && got == 0);
    SAME(response.headers[@"Content-Length"], @"1000000");
    CHECK([site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/account" accept:html range:nil] == nil);
    CHECK([site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/%2e%2e/secret" accept:html range:nil].status == 404);
    CHECK([site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/%" accept:html range:nil].status == 404);
    CHECK([site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/sub" accept:html range:nil].status == 200);
    response = [site respondTo:@"GET" url:@"hull://ferry.saltmarsh.example/a%20b.html?x#y" accept:html range:nil];
    CHECK(response.status == 200);
    SAME([site addressOfPage:@"https://ferry.saltmarsh.example/"], @"hull://ferry.saltmarsh.example/");
    SAME([site addressOfPage:@"https://ferry.saltmarsh.example/account"], @"https://ferry.saltmarsh.example/account");
    SAME([site addressOfPage:@"https://other.example/"], @"https://other.example/");
}

static void words(void) {
    NSString *table = @"\tofflineTitle\tcancel\n\tNo connection\tCancel\nde\tKeine Verbindung\t\nzh-Hant\t沒有連線\t\nnb\tIngen\t\n";
    NSString * (^platform)(NSString *) = ^NSString *(NSString *english) {
        return [english isEqualToString:@"Cancel"] ? @"Abbrechen" : english;
    };
    HullWords *german = [[HullWords alloc] initWithTable:table languages:@[ @"fr", @"de-AT", @"en" ] platform:platform];
    SAME([german text:@"offlineTitle"], @"Keine Verbindung");
    SAME([german text:@"cancel"], @"Abbrechen");
    SAME([german text:@"gap"], @"gap");
    HullWords *none = [[HullWords alloc] initWithTable:table languages:@[ @"fr" ] platform:platform];
    SAME([none text:@"offlineTitle"], @"No connection");
    SAME([[[HullWords alloc] initWithTable:table languages:@[ @"zh-TW" ] platform:platform] text:@"offlineTitle"], @"沒有連線");
    SAME([[[HullWords alloc] initWithTable:table languages:@[ @"zh-Hans-HK" ] platform:platform] text:@"offlineTitle"], @"No connection");
    SAME([[[HullWords alloc] initWithTable:table languages:@[ @"no" ] platform:platform] text:@"offlineTitle"], @"Ingen");
    SAME([[[HullWords alloc] initWithTable:@"" languages:@[ @"en" ] platform:platform] text:@"ok"], @"ok");
}

static void small(void) {
    CHECK(HullWildcard(@"*", @"") && HullWildcard(@"/a/*/c", @"/a/b/b/c") && !HullWildcard(@"/a/*/c", @"/a/b"));
    CHECK(HullWildcard(@"a*b*c", @"aXbXbXc") && !HullWildcard(@"", @"a") && HullWildcard(@"", @""));
    CHECK(HullIsDark(@"#0b4f6c") && !HullIsDark(@"#f4f1ea") && HullIsDark(@"#000000") && !HullIsDark(@"#ffffff"));
    CHECK(!HullIsDark(@"#767676") && HullIsDark(@"#757575") && !HullIsDark(@"red"));
    SAME(HullQuote(@"a\"</script>\n\u2028é"), @"\"a\\u0022\\u003c/script>\\u000a\\u2028\\u00e9\"");
    HullAddress *address = [HullAddress addressOf:@"HTTPS://user@Ferry.Example:8443/a%2Fb/?q=1+2&r=%20#f#g"];
    SAME(address.origin, @"https://ferry.example:8443");
    SAME(address.path, @"/a%2Fb/");
    SAME([address valueOf:@"q"], @"1 2");
    SAME([address valueOf:@"r"], @" ");
    CHECK([address valueOf:@"s"] == nil);
    SAME(address.fragment, @"f#g");
    SAME([HullAddress addressOf:@"https://[::1]:8080/x"].host, @"[::1]");
    SAME([HullAddress addressOf:@"https://a.example"].path, @"/");
    SAME([HullAddress addressOf:@"https://a.example?x"].rest, @"/?x");
    CHECK([HullAddress addressOf:@"mailto:a@b.c"] == nil && [HullAddress addressOf:nil] == nil && [HullAddress addressOf:@""] == nil);
    SAME(HullScheme(@"TEL:+44"), @"tel");
    CHECK(HullIsWeb(@"HTTPS://a") && !HullIsWeb(@"https http://a") && !HullIsWeb(nil) && !HullIsWeb(@"ahttps://a"));
    CHECK(HullIsOneOf(@"", @"  a ") && !HullIsOneOf(@"", @" a "));
}

int main(int argc, char **argv) {
    start_runtime();
    @autoreleasepool {
        CHECK(argc == 3);
        NSString *folder = [NSString stringWithUTF8String:argv[1]];
        answers(folder);
        ranges(folder);
        addresses(folder);
        trouble(folder);
        settings(folder);
        places();
        pages([NSString stringWithUTF8String:argv[2]]);
        words();
        small();
    }
    printf("core: %d checks, %d failed\n", checks, failures);
    return failures != 0;
}
