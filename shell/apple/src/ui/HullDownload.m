#import "HullDownload.h"

NSString *HullFileName(NSString *suggested) {
    NSString *name = suggested.lastPathComponent ?: @"";
    NSString *plain = [name stringByReplacingOccurrencesOfString:@":" withString:@"_"];
    while ([plain hasPrefix:@"."]) plain = [plain substringFromIndex:1];
    return plain.length == 0 ? @"file" : plain;
}

NSString *HullNewFolder(void) {
    NSString *folder = [NSTemporaryDirectory() stringByAppendingPathComponent:[NSUUID UUID].UUIDString];
    BOOL made = [[NSFileManager defaultManager] createDirectoryAtPath:folder
                                          withIntermediateDirectories:YES
                                                           attributes:nil
                                                                error:NULL];
    return made ? folder : nil;
}

HULL_DIRECT @implementation HullDownload {
    void (^_done)(HullDownload *, NSURL *);
    NSString *_folder;
    NSURL *_file;
}

- (instancetype)initWithDone:(void (^)(HullDownload *, NSURL *))done {
    if ((self = [super init])) _done = [done copy];
    return self;
}

- (void)download:(WKDownload *)download
    decideDestinationUsingResponse:(NSURLResponse *)response
                 suggestedFilename:(NSString *)name
                 completionHandler:(void (^)(NSURL *))done {
    (void)download;
    (void)response;
    _folder = HullNewFolder();
    _file = _folder == nil ? nil : [NSURL fileURLWithPath:[_folder stringByAppendingPathComponent:HullFileName(name)]];
    done(_file);
    if (_file == nil) [self end:nil];
}

- (void)downloadDidFinish:(WKDownload *)download {
    (void)download;
    [self end:_file];
}

- (void)download:(WKDownload *)download didFailWithError:(NSError *)error resumeData:(NSData *)data {
    (void)download;
    (void)error;
    (void)data;
    [self remove];
    [self end:nil];
}

- (void)end:(NSURL *)file {
    void (^done)(HullDownload *, NSURL *) = _done;
    _done = nil;
    if (done != nil) done(self, file);
}

- (void)remove {
    if (_folder != nil) [[NSFileManager defaultManager] removeItemAtPath:_folder error:NULL];
    _folder = nil;
}
@end
