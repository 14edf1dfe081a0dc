#import "HullDirect.h"
#import <UIKit/UIKit.h>
#import "HullWords.h"
NS_ASSUME_NONNULL_BEGIN
/// Questions and messages, one after the other. Every one is answered once, whatever happens: the engine ends the app where an
/// answer to a page is lost.
HULL_DIRECT @interface HullDialogs : NSObject
- (instancetype)initWithPresenter:(UIViewController *)presenter words:(HullWords *)words;
- (void)tell:(nullable NSString *)title message:(nullable NSString *)message done:(nullable void (^)(void))done;
/// @param yes the word on the button that agrees
- (void)confirm:(nullable NSString *)title
        message:(nullable NSString *)message
            yes:(NSString *)yes
           done:(void (^)(BOOL confirmed))done;
- (void)prompt:(nullable NSString *)title
       message:(nullable NSString *)message
          text:(nullable NSString *)text
          done:(void (^)(NSString *_Nullable entered))done;
- (void)signIn:(NSString *)host done:(void (^)(NSString *_Nullable user, NSString *_Nullable password))done;
/// Answers all that are still open as if they were cancelled.
- (void)drop;
@end
NS_ASSUME_NONNULL_END
