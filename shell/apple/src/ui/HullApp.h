#import "HullDirect.h"
#import <UIKit/UIKit.h>
#import "HullPackedSite.h"
#import "HullWords.h"
NS_ASSUME_NONNULL_BEGIN
/// What of the package every part of the shell needs: settings, words, packed pages.
HULL_DIRECT @interface HullApp : NSObject
@property(nonatomic, readonly) HullSettings *settings;
@property(nonatomic, readonly) HullWords *words;
/// nil where nothing is packed.
@property(nonatomic, readonly, nullable) HullPackedSite *site;
/// nil where the bundle has no readable settings: such a package cannot run.
- (nullable instancetype)initWithFolder:(NSString *)folder;
@end
NS_ASSUME_NONNULL_END
