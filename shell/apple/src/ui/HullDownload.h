#import "HullDirect.h"
#import <WebKit/WebKit.h>
NS_ASSUME_NONNULL_BEGIN
/// A download on its way into a folder of its own, from which it is shared.
HULL_DIRECT @interface HullDownload : NSObject <WKDownloadDelegate>
/// @param done is given the file, or nil where it failed
- (instancetype)initWithDone:(void (^)(HullDownload *download, NSURL *_Nullable file))done;
/// Removes what was downloaded.
- (void)remove;
@end
/// A file's name without anything that leads elsewhere; `file` where nothing is left.
NSString *HullFileName(NSString *_Nullable suggested);
/// A new folder for passing files, which the system empties; nil where the disk is full.
NSString *_Nullable HullNewFolder(void);
NS_ASSUME_NONNULL_END
