#import "HullDirect.h"
#import "HullLinkRule.h"
#import "HullUrlRule.h"
NS_ASSUME_NONNULL_BEGIN
/// Where an address leads from inside the app.
typedef NS_ENUM(NSInteger, HullPlace) {
    /// A page of the app's own.
    HullPlaceInside,
    /// Something that the page itself deals with, such as a blob.
    HullPlaceInPage,
    /// Another app's, or the browser's.
    HullPlaceOutside,
    /// It reaches into the device, and leaves no page.
    HullPlaceRefused,
};

/// The app's colours in one colour scheme, as #rrggbb.
HULL_DIRECT @interface HullColors : NSObject
@property(nonatomic, readonly, copy) NSString *theme, *background;
@end

/// What the packed app tells its shell: the one file hull/shell.json, written when the package is made.
HULL_DIRECT @interface HullSettings : NSObject
@property(nonatomic, readonly, copy) NSString *name;
/// Absolute address of the first page, and that below which the app's pages lie; the latter ends with a slash.
@property(nonatomic, readonly, copy) NSString *start, *base;
/// Scheme and authority that packed pages have on the web; nil where nothing is packed.
@property(nonatomic, readonly, copy, nullable) NSString *packedOrigin;
/// Path prefix of the packed pages: starts and ends with a slash.
@property(nonatomic, readonly, copy) NSString *packedBase;
/// Whether what is not packed may be asked of the network at the same origin.
@property(nonatomic, readonly) BOOL packedNetwork;
/// Page for navigations that nothing else answers, by its path below the base; nil for none.
@property(nonatomic, readonly, copy, nullable) NSString *packedFallback;
/// Beginnings of paths below the base that it never answers.
@property(nonatomic, readonly, copy) NSArray<NSString *> *packedExcept;
/// Scheme that packed pages have in the app: https itself cannot be answered by one.
@property(nonatomic, readonly, copy) NSString *pageScheme;
@property(nonatomic, readonly) BOOL fullscreen, minimal, covers, keepScreenOn, secure, pullToRefresh, appBound;
@property(nonatomic, readonly) HullColors *light, *dark;
/// A packed page for when there is no network; nil for the shell's own words.
@property(nonatomic, readonly, copy, nullable) NSString *offlinePage;
/// What runs in each of the app's own pages.
@property(nonatomic, readonly, copy) NSString *script;
/// What pages learn of capabilities that the app does not declare, by W3C name.
@property(nonatomic, readonly, copy) NSDictionary<NSString *, id> *states;
/// Content types by lower-case file name extension.
@property(nonatomic, readonly, copy) NSDictionary<NSString *, id> *types;
/// Origins whose frames may use camera and microphone, where the page around them allows it.
@property(nonatomic, readonly, copy) NSArray<NSString *> *frames;
/// A scheme of the app's own; nil for none.
@property(nonatomic, readonly, copy, nullable) NSString *scheme;

/// nil where the data is not a JSON object.
+ (nullable instancetype)settingsFrom:(nullable NSData *)data;
/// What the shell says in place of a page of the app's that comes with a status, by the first part of its words; nil where the page is shown.
- (nullable NSString *)troubleOf:(NSString *)url status:(NSInteger)status;
/// Whether a capability is declared, by its W3C name.
- (BOOL)declares:(NSString *)capability;
/// Header fields of the answer to a path below the base; of two with one name, the later.
- (NSDictionary<NSString *, NSString *> *)headersOf:(NSString *)path;
- (HullPlace)placeOf:(NSString *)url;
/// Whether an origin belongs to pages of the app's own.
- (BOOL)isOwnOrigin:(NSString *)origin;
/// Whether a link from elsewhere opens in the app, as far as its rules about the host say.
- (BOOL)opens:(HullAddress *)address;
/// An address as the web has it: that of a packed page under its https origin.
- (NSString *)webAddressOf:(NSString *)url;
/// A page's address under the scheme that the app answers, where its origin is that of packed pages.
- (NSString *)packedAddressOf:(NSString *)webAddress;
/// Whether an address is one that the app answers.
- (BOOL)isPacked:(NSString *)url;
/// The page that another app, a link or the icon's menu means; nil where that is none of the app's own.
- (nullable NSString *)pageMeantBy:(NSString *)url;
@end
NS_ASSUME_NONNULL_END
