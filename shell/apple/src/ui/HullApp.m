#import "HullApp.h"

HULL_DIRECT @implementation HullApp

- (instancetype)initWithFolder:(NSString *)folder {
    if ((self = [super init])) {
        NSData *json = [NSData dataWithContentsOfFile:[folder stringByAppendingPathComponent:@"hull/shell.json"]];
        HullSettings *settings = [HullSettings settingsFrom:json];
        if (settings == nil) return nil;
        _settings = settings;
        NSData *table = [NSData dataWithContentsOfFile:[folder stringByAppendingPathComponent:@"hull/words.txt"]];
        NSBundle *system = [NSBundle bundleForClass:[UIApplication class]];
        _words = [[HullWords alloc]
            initWithTable:[[NSString alloc] initWithData:table ?: [NSData data] encoding:NSUTF8StringEncoding] ?: @""
                languages:NSLocale.preferredLanguages
                 platform:^NSString *(NSString *english) {
                     return [system localizedStringForKey:english value:english table:nil];
                 }];
        if (settings.packedOrigin != nil) {
            NSString *root = [folder stringByAppendingPathComponent:@"hull/site"];
            _site = [[HullPackedSite alloc] initWithRoot:root settings:settings];
        }
    }
    return self;
}
@end
