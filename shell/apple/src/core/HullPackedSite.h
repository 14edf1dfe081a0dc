#import "HullDirect.h"
#import "HullAnswer.h"
#import "HullByteRange.h"
NS_ASSUME_NONNULL_BEGIN
/// An answer's head, and where its bytes are.
HULL_DIRECT @interface HullResponse : NSObject
@property(nonatomic, readonly) NSInteger status;
@property(nonatomic, readonly, copy) NSDictionary<NSString *, NSString *> *headers;
/// Gives the bytes in pieces of at most 256 KiB; the block says whether more are wanted.
- (void)eachPiece:(BOOL (^)(NSData *piece))take;
@end

/// The packed pages as a web host: answers requests from the bundle.
HULL_DIRECT @interface HullPackedSite : NSObject <HullFiles>
/// @param root folder of the packed pages
- (instancetype)initWithRoot:(NSString *)root settings:(HullSettings *)settings;
/// What answers a request for an address of the app's own scheme.
- (HullAnswer *)answerTo:(NSString *)method url:(NSString *)url page:(BOOL)page;
/// nil where the network has to answer.
- (nullable HullResponse *)respondTo:(NSString *)method
                                 url:(NSString *)url
                              accept:(nullable NSString *)accept
                               range:(nullable NSString *)range;
/// The page under the address that it has in the app: the app's own scheme where it is packed, else that of the web.
- (NSString *)addressOfPage:(NSString *)webAddress;
@end
NS_ASSUME_NONNULL_END
