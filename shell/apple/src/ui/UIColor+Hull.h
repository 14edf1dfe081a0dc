#import <UIKit/UIKit.h>
#import "HullSettings.h"
NS_ASSUME_NONNULL_BEGIN
@interface UIColor (Hull)
/// A colour written as #rrggbb.
+ (UIColor *)hullColor:(NSString *)hex;
/// One of the settings' colours, by the scheme that counts where it is drawn.
+ (UIColor *)hullLight:(NSString *)light dark:(NSString *)dark;
/// White or nearly black, whichever reads on a colour.
+ (UIColor *)hullInkOnLight:(NSString *)light dark:(NSString *)dark;
@end
NS_ASSUME_NONNULL_END
