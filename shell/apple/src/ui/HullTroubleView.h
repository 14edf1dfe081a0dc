#import "HullDirect.h"
#import <UIKit/UIKit.h>
#import "HullApp.h"
NS_ASSUME_NONNULL_BEGIN
/// Why a page is not shown; its name begins the keys of its words.
typedef NSString *HullTrouble;
extern HullTrouble const HullTroubleOffline;
extern HullTrouble const HullTroubleUnsafe;
extern HullTrouble const HullTroubleNotFound;
extern HullTrouble const HullTroubleServer;
extern HullTrouble const HullTroubleStopped;

/// The shell's own page for a page that cannot be loaded: what happened, in a passenger's words, and a retry.
HULL_DIRECT @interface HullTroubleView : UIView
- (instancetype)initWithApp:(HullApp *)app retry:(void (^)(void))retry;
- (void)show:(HullTrouble)why;
- (void)hide;
/// nil while nothing is wrong.
@property(nonatomic, readonly, nullable) HullTrouble shown;
@end
NS_ASSUME_NONNULL_END
