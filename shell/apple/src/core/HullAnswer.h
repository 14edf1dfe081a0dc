#import "HullDirect.h"
#import "HullSettings.h"
NS_ASSUME_NONNULL_BEGIN
/// Which files there are, by path below the folder.
@protocol HullFiles
- (BOOL)has:(NSString *)path;
@end

typedef NS_ENUM(NSInteger, HullAnswerKind) {
    HullAnswerFile,
    HullAnswerNothing,
    /// The same address with a slash at its end.
    HullAnswerSlash,
    /// The same address without the slash at its end, so that the page's relative addresses are right.
    HullAnswerBare,
    /// Left to the network.
    HullAnswerNetwork,
};

/// What answers a request to the packed pages: rules without bytes, held to by shell/vectors/answers.json.
HULL_DIRECT @interface HullAnswer : NSObject
@property(nonatomic, readonly) HullAnswerKind kind;
@property(nonatomic, readonly) NSInteger status;
/// nil where no file answers.
@property(nonatomic, readonly, copy, nullable) NSString *path;
/// @param path of the address, its percent-encoding undone
/// @param page whether a page is asked for
+ (instancetype)answerTo:(NSString *)method
                    path:(NSString *)path
                    page:(BOOL)page
                settings:(HullSettings *)settings
                   files:(id<HullFiles>)files;
@end
/// The lower-case ending of a file's name; empty where it has none.
NSString *HullExtension(NSString *path);
NS_ASSUME_NONNULL_END
