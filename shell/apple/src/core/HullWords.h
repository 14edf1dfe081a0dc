#import "HullDirect.h"
#import <Foundation/Foundation.h>
NS_ASSUME_NONNULL_BEGIN
/// The shell's own words, in the user's language: from the package's table hull/words.txt, else the platform's where it has
/// them, else in English. Its first line has the keys, each further one a language and its words, divided by tabs; an empty
/// field is one that the platform has, or that is to be read in the line without a language.
HULL_DIRECT @interface HullWords : NSObject
/// @param languages of the user, the preferred one first (BCP 47)
/// @param platform gives the platform's word for an English one; the same where it has none
- (instancetype)initWithTable:(NSString *)table
                    languages:(NSArray<NSString *> *)languages
                     platform:(NSString * (^)(NSString *english))platform;
/// The key itself where it is missing, so that the gap is seen.
- (NSString *)text:(NSString *)key;
@end
NS_ASSUME_NONNULL_END
