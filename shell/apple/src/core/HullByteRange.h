#import "HullDirect.h"
#import <Foundation/Foundation.h>
NS_ASSUME_NONNULL_BEGIN
/// A single byte range of a request (RFC 9110, section 14.1.2), resolved against a length.
HULL_DIRECT @interface HullByteRange : NSObject
/// First and last byte, both included; meaningless where it cannot be satisfied.
@property(nonatomic, readonly) unsigned long long first, last;
/// NO where a well-formed range lies outside the length: the answer is 416.
@property(nonatomic, readonly) BOOL satisfiable;
/// nil where there is none that is understood: then the whole is sent.
+ (nullable instancetype)rangeFrom:(nullable NSString *)header length:(unsigned long long)length;
@end
NS_ASSUME_NONNULL_END
