#import <Foundation/Foundation.h>
NS_ASSUME_NONNULL_BEGIN
// Members of a JSON object by the kind that they have to have; what is missing or something else is empty.
NSString *HullText(NSDictionary<NSString *, id> *from, NSString *key);
BOOL HullFlag(NSDictionary<NSString *, id> *from, NSString *key);
NSDictionary<NSString *, id> *HullDict(NSDictionary<NSString *, id> *from, NSString *key);
NSArray<NSDictionary<NSString *, id> *> *HullDicts(NSDictionary<NSString *, id> *from, NSString *key);
NSArray<NSString *> *HullTexts(NSDictionary<NSString *, id> *from, NSString *key);
/// A text as a literal of JavaScript, in quotation marks.
NSString *HullQuote(NSString *text);
NS_ASSUME_NONNULL_END
