#import "HullDirect.h"
#import <Foundation/Foundation.h>
NS_ASSUME_NONNULL_BEGIN
/// A web address in its parts, read from its text: the platform's own accessors drop a slash at the end of a path
/// and undo percent-encoding (RFC 3986, section 3).
HULL_DIRECT @interface HullAddress : NSObject
/// In lower case.
@property(nonatomic, readonly, copy) NSString *scheme, *host;
/// Empty where it is the scheme's own.
@property(nonatomic, readonly, copy) NSString *port;
/// As it is written; a slash where there is none.
@property(nonatomic, readonly, copy) NSString *path;
/// As they are written, without their mark; nil where there is none.
@property(nonatomic, readonly, copy, nullable) NSString *query, *fragment;
/// nil for what has no authority, such as mail addresses.
+ (nullable instancetype)addressOf:(nullable NSString *)text;
/// Its path with the percent-encoding undone; nil where that is broken.
@property(nonatomic, readonly, copy, nullable) NSString *decodedPath;
/// Scheme, host and port, as in `https://ferry.saltmarsh.example`.
@property(nonatomic, readonly, copy) NSString *origin;
/// What follows the authority: path, query and fragment.
@property(nonatomic, readonly, copy) NSString *rest;
/// The value of a name in the query, decoded; nil where it is not there.
- (nullable NSString *)valueOf:(NSString *)name;
/// Whether every reader finds the same host in it: no blanks, no backslashes, no name before an at sign.
+ (BOOL)isPlain:(NSString *)text;
@end
/// Whether a text begins with another, which may be empty: of that the platform's own method says no.
BOOL HullBegins(NSString *text, NSString *start);
/// Percent-encoding undone (RFC 3986, section 2.1); nil where it is broken, or what it says is no UTF-8.
NSString *_Nullable HullDecode(NSString *_Nullable text);
/// Whether a word is one of a list that is divided, begun and ended by blanks.
BOOL HullIsOneOf(NSString *_Nullable word, NSString *list);
/// Whether an address is one of the web: https or http.
BOOL HullIsWeb(NSString *_Nullable text);
/// The value of a hexadecimal digit; -1 for anything else.
int HullDigit(unsigned short letter);
/// An origin as text; the port 0 is the scheme's own.
NSString *HullOrigin(NSString *scheme, NSString *host, NSInteger port);
/// The scheme of any address, in lower case; empty where there is none.
NSString *HullScheme(NSString *_Nullable text);
NS_ASSUME_NONNULL_END
