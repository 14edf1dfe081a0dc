// Declarations of our own: only what the shell uses. Each names its page in the platform's public documentation.
#pragma once

#define NULL ((void *)0)
#define nil ((id)0)
#define Nil ((Class)0)
typedef __SIZE_TYPE__ size_t;
typedef unsigned char uint8_t;
typedef long long int64_t;
typedef unsigned long long uint64_t;
/// doc: objectivec/bool
#if __OBJC_BOOL_IS_BOOL
typedef _Bool BOOL;
#else
typedef signed char BOOL;
#endif
#define YES __objc_yes
#define NO __objc_no
/// doc: objectivec/class
typedef struct objc_class *Class;
/// doc: objectivec/id
typedef struct objc_object {
    Class _Nonnull isa;
} *id;
/// doc: objectivec/sel
typedef struct objc_selector *SEL;
/// doc: objectivec/nsinteger
typedef long NSInteger;
/// doc: objectivec/nsuinteger
typedef unsigned long NSUInteger;
/// doc: foundation/nstimeinterval
typedef double NSTimeInterval;
typedef struct _NSZone NSZone;
/// doc: foundation/nsrange
typedef struct _NSRange {
    NSUInteger location, length;
} NSRange;
#define NSIntegerMax __LONG_MAX__
#define NSUIntegerMax (__LONG_MAX__ * 2UL + 1UL)
/// doc: foundation/nsnotfound
#define NSNotFound NSIntegerMax
#define NS_ENUM(type, name) enum name : type name; enum name : type
#define NS_OPTIONS(type, name) enum name : type name; enum name : type
#define NS_ASSUME_NONNULL_BEGIN _Pragma("clang assume_nonnull begin")
#define NS_ASSUME_NONNULL_END _Pragma("clang assume_nonnull end")

static inline NSRange NSMakeRange(NSUInteger location, NSUInteger length) {
    NSRange range = {location, length};
    return range;
}

NS_ASSUME_NONNULL_BEGIN
@class NSString, NSArray<T>, NSDictionary<K, V>, NSData, NSError, NSURL, NSSet<T>, NSNumber, NSBundle, NSURLRequest, NSURLResponse,
    NSNotification, NSURLSession, NSURLSessionTask, NSURLCredential, NSURLProtectionSpace, NSURLSessionConfiguration;

/// doc: objectivec/nsobjectprotocol
// The protocol's own members are declared with the class: a program holds a copy of every protocol that it names.
@protocol NSObject
@end
/// doc: foundation/nscopying
@protocol NSCopying
- (id)copyWithZone:(nullable NSZone *)zone;
@end
/// doc: foundation/nsmutablecopying
@protocol NSMutableCopying
- (id)mutableCopyWithZone:(nullable NSZone *)zone;
@end
/// doc: foundation/nsfastenumeration
@protocol NSFastEnumeration
typedef struct {
    unsigned long state;
    id __unsafe_unretained _Nullable *_Nullable itemsPtr;
    unsigned long *_Nullable mutationsPtr;
    unsigned long extra[5];
} NSFastEnumerationState;
- (NSUInteger)countByEnumeratingWithState:(NSFastEnumerationState *)state
                                  objects:(id __unsafe_unretained _Nullable[_Nonnull])buffer
                                    count:(NSUInteger)length;
@end

/// doc: objectivec/nsobject-swift.class
__attribute__((objc_root_class)) @interface NSObject<NSObject> {
    Class isa;
}
+ (void)initialize;
- (instancetype)init;
+ (instancetype)new;
+ (instancetype)alloc;
- (void)dealloc;
+ (Class)class;
- (id)copy;
- (id)mutableCopy;
- (BOOL)isEqual:(nullable id)other;
- (Class)class;
- (BOOL)isKindOfClass:(Class)kind;
- (BOOL)respondsToSelector:(SEL)selector;
@property(readonly, copy) NSString *description;
@end

/// doc: foundation/nsstringencoding
typedef NS_ENUM(NSUInteger, NSStringEncoding) { NSUTF8StringEncoding = 4, NSISOLatin1StringEncoding = 5 };
/// doc: foundation/nsstring/compareoptions
typedef NS_OPTIONS(NSUInteger, NSStringCompareOptions) { NSLiteralSearch = 2, NSBackwardsSearch = 4 };
@class NSCharacterSet;
/// doc: foundation/nsstring
@interface NSString : NSObject <NSCopying, NSMutableCopying>
@property(readonly) NSUInteger length;
- (unsigned short)characterAtIndex:(NSUInteger)index;
+ (instancetype)string;
+ (instancetype)stringWithFormat:(NSString *)format, ... __attribute__((format(__NSString__, 1, 2)));
+ (nullable instancetype)stringWithUTF8String:(const char *)bytes;
- (nullable instancetype)initWithData:(NSData *)data encoding:(NSStringEncoding)encoding;
@property(readonly, nullable) const char *UTF8String;
@property(readonly, copy) NSString *lowercaseString;
@property(readonly, copy) NSString *pathExtension;
@property(readonly, copy) NSString *lastPathComponent;
@property(readonly) NSInteger integerValue;
@property(readonly) long long longLongValue;
- (NSString *)stringByAppendingString:(NSString *)other;
- (NSString *)stringByAppendingPathComponent:(NSString *)other;
- (NSString *)substringFromIndex:(NSUInteger)index;
- (NSString *)substringToIndex:(NSUInteger)index;
- (NSString *)substringWithRange:(NSRange)range;
- (BOOL)isEqualToString:(NSString *)other;
- (BOOL)hasPrefix:(NSString *)other;
- (BOOL)hasSuffix:(NSString *)other;
- (NSRange)rangeOfString:(NSString *)other;
- (NSRange)rangeOfString:(NSString *)other options:(NSStringCompareOptions)options;
- (NSRange)rangeOfCharacterFromSet:(NSCharacterSet *)set;
- (NSArray<NSString *> *)componentsSeparatedByString:(NSString *)separator;
- (NSString *)stringByTrimmingCharactersInSet:(NSCharacterSet *)set;
- (NSString *)stringByReplacingOccurrencesOfString:(NSString *)target withString:(NSString *)replacement;
- (nullable NSData *)dataUsingEncoding:(NSStringEncoding)encoding;
@end
/// doc: foundation/nsmutablestring
@interface NSMutableString : NSString
- (void)appendString:(NSString *)other;
@end
@interface NSSimpleCString : NSString
@end
@interface NSConstantString : NSSimpleCString
@end
/// doc: foundation/nscharacterset
@interface NSCharacterSet : NSObject
+ (NSCharacterSet *)whitespaceAndNewlineCharacterSet;
+ (NSCharacterSet *)characterSetWithCharactersInString:(NSString *)characters;
@end
/// doc: foundation/nsvalue
@interface NSValue : NSObject <NSCopying>
@end
/// doc: foundation/nsnumber
@interface NSNumber : NSValue
+ (NSNumber *)numberWithBool:(BOOL)value;
+ (NSNumber *)numberWithInt:(int)value;
+ (NSNumber *)numberWithInteger:(NSInteger)value;
+ (NSNumber *)numberWithLong:(long)value;
+ (NSNumber *)numberWithUnsignedInteger:(NSUInteger)value;
+ (NSNumber *)numberWithUnsignedLong:(unsigned long)value;
+ (NSNumber *)numberWithDouble:(double)value;
@property(readonly) BOOL boolValue;
@property(readonly) NSInteger integerValue;
@property(readonly) unsigned long long unsignedLongLongValue;
@end
/// doc: foundation/nsarray
@interface NSArray<__covariant T> : NSObject <NSCopying, NSMutableCopying, NSFastEnumeration>
@property(readonly) NSUInteger count;
- (T)objectAtIndexedSubscript:(NSUInteger)index;
@property(nullable, readonly) T firstObject;
@property(nullable, readonly) T lastObject;
- (BOOL)containsObject:(T)object;
- (NSString *)componentsJoinedByString:(NSString *)separator;
+ (instancetype)array;
+ (instancetype)arrayWithObjects:(const T _Nonnull[_Nullable])objects count:(NSUInteger)count;
@end
/// doc: foundation/nsmutablearray
@interface NSMutableArray<T> : NSArray <T>
- (void)addObject:(T)object;
- (void)removeObject:(T)object;
- (void)removeObjectAtIndex:(NSUInteger)index;
@end
/// doc: foundation/nsdictionary
@interface NSDictionary<__covariant K, __covariant V> : NSObject <NSCopying, NSMutableCopying, NSFastEnumeration>
@property(readonly) NSUInteger count;
- (nullable V)objectForKey:(K)key;
- (nullable V)objectForKeyedSubscript:(K)key;
@property(readonly, copy) NSArray<K> *allKeys;
+ (instancetype)dictionary;
+ (instancetype)dictionaryWithObjects:(const V _Nonnull[_Nullable])objects
                              forKeys:(const K<NSCopying> _Nonnull[_Nullable])keys
                                count:(NSUInteger)count;
@end
/// doc: foundation/nsmutabledictionary
@interface NSMutableDictionary<K, V> : NSDictionary <K, V>
- (void)setObject:(nullable V)object forKeyedSubscript:(K<NSCopying>)key;
- (void)removeObjectForKey:(K)key;
@end
/// doc: foundation/nsset
@interface NSSet<__covariant T> : NSObject <NSCopying, NSFastEnumeration>
@property(readonly) NSUInteger count;
- (nullable T)anyObject;
- (BOOL)containsObject:(T)object;
@end
/// doc: foundation/nsmutableset
@interface NSMutableSet<T> : NSSet <T>
+ (instancetype)set;
- (void)addObject:(T)object;
- (void)removeObject:(T)object;
@end
/// doc: foundation/nsdata
@interface NSData : NSObject <NSCopying, NSMutableCopying>
@property(readonly) NSUInteger length;
@property(readonly) const void *bytes;
+ (instancetype)data;
+ (nullable instancetype)dataWithContentsOfFile:(NSString *)path;
- (nullable instancetype)initWithBase64EncodedString:(NSString *)text options:(NSUInteger)options;
@end
/// doc: foundation/nsmutabledata
@interface NSMutableData : NSData
@property NSUInteger length;
@property(readonly) void *mutableBytes;
@end
/// doc: foundation/nserror
@interface NSError : NSObject <NSCopying>
+ (instancetype)errorWithDomain:(NSString *)domain code:(NSInteger)code userInfo:(nullable NSDictionary *)info;
@property(readonly) NSInteger code;
@property(readonly, copy) NSString *domain;
@property(readonly, copy) NSString *localizedDescription;
@end
/// doc: foundation/nsurlerrordomain
extern NSString *const NSURLErrorDomain;
/// doc: foundation/1508628-url-loading-system-error-codes
enum {
    NSURLErrorCancelled = -999,
    NSURLErrorFileDoesNotExist = -1100,
    NSURLErrorSecureConnectionFailed = -1200,
    NSURLErrorServerCertificateHasBadDate = -1201,
    NSURLErrorServerCertificateUntrusted = -1202,
    NSURLErrorServerCertificateHasUnknownRoot = -1203,
    NSURLErrorServerCertificateNotYetValid = -1204,
    NSURLErrorClientCertificateRejected = -1205,
    NSURLErrorClientCertificateRequired = -1206,
    NSURLErrorAppTransportSecurityRequiresSecureConnection = -1022,
};
/// doc: foundation/nsurl
@interface NSURL : NSObject <NSCopying>
+ (nullable instancetype)URLWithString:(NSString *)text;
+ (NSURL *)fileURLWithPath:(NSString *)path;
@property(nullable, readonly, copy) NSString *scheme, *host, *path;
@property(nullable, readonly, copy) NSString *absoluteString;
@end
/// doc: foundation/nsurlrequest
@interface NSURLRequest : NSObject <NSCopying, NSMutableCopying>
+ (instancetype)requestWithURL:(NSURL *)url;
@property(nullable, readonly, copy) NSURL *URL;
@property(nullable, readonly, copy) NSString *HTTPMethod;
@property(nullable, readonly, copy) NSDictionary<NSString *, NSString *> *allHTTPHeaderFields;
- (nullable NSString *)valueForHTTPHeaderField:(NSString *)field;
@end
/// doc: foundation/nsmutableurlrequest
@interface NSMutableURLRequest : NSURLRequest
@property(nullable, copy) NSURL *URL;
@end
/// doc: foundation/nsurlresponse
@interface NSURLResponse : NSObject
@property(nullable, readonly, copy) NSURL *URL;
@end
/// doc: foundation/nshttpurlresponse
@interface NSHTTPURLResponse : NSURLResponse
- (nullable instancetype)initWithURL:(NSURL *)url
                          statusCode:(NSInteger)status
                         HTTPVersion:(nullable NSString *)version
                        headerFields:(nullable NSDictionary<NSString *, NSString *> *)fields;
@property(readonly) NSInteger statusCode;
@property(readonly, copy) NSDictionary *allHeaderFields;
@end
/// doc: foundation/nsurlsession/responsedisposition
typedef NS_ENUM(NSInteger, NSURLSessionResponseDisposition) {
    NSURLSessionResponseCancel = 0,
    NSURLSessionResponseAllow = 1,
};
/// doc: foundation/nsurlsession/authchallengedisposition
typedef NS_ENUM(NSInteger, NSURLSessionAuthChallengeDisposition) {
    NSURLSessionAuthChallengeUseCredential = 0,
    NSURLSessionAuthChallengePerformDefaultHandling = 1,
    NSURLSessionAuthChallengeCancelAuthenticationChallenge = 2,
    NSURLSessionAuthChallengeRejectProtectionSpace = 3,
};
/// doc: foundation/nsurlsessiontask
@interface NSURLSessionTask : NSObject
- (void)resume;
- (void)cancel;
@end
/// doc: foundation/nsurlsessiondatatask
@interface NSURLSessionDataTask : NSURLSessionTask
@end
/// doc: foundation/nsurlsessionconfiguration
@interface NSURLSessionConfiguration : NSObject
@property(class, readonly) NSURLSessionConfiguration *defaultSessionConfiguration;
@end
@class NSOperationQueue;
/// doc: foundation/nsoperationqueue
@interface NSOperationQueue : NSObject
@property(class, readonly) NSOperationQueue *mainQueue;
@end
/// doc: foundation/nsurlsessiondelegate
@protocol NSURLSessionDelegate <NSObject>
@end
/// doc: foundation/nsurlsessiontaskdelegate
@protocol NSURLSessionTaskDelegate <NSURLSessionDelegate>
@optional
- (void)URLSession:(NSURLSession *)session task:(NSURLSessionTask *)task didCompleteWithError:(nullable NSError *)error;
@end
/// doc: foundation/nsurlsessiondatadelegate
@protocol NSURLSessionDataDelegate <NSURLSessionTaskDelegate>
@optional
- (void)URLSession:(NSURLSession *)session
              dataTask:(NSURLSessionDataTask *)task
    didReceiveResponse:(NSURLResponse *)response
     completionHandler:(void (^)(NSURLSessionResponseDisposition disposition))decide;
- (void)URLSession:(NSURLSession *)session dataTask:(NSURLSessionDataTask *)task didReceiveData:(NSData *)data;
@end
/// doc: foundation/nsurlsession
@interface NSURLSession : NSObject
+ (NSURLSession *)sessionWithConfiguration:(NSURLSessionConfiguration *)configuration
                                  delegate:(nullable id<NSURLSessionDelegate>)delegate
                             delegateQueue:(nullable NSOperationQueue *)queue;
- (NSURLSessionDataTask *)dataTaskWithRequest:(NSURLRequest *)request;
@end
/// doc: foundation/nsurlcredential/persistence-swift.enum
typedef NS_ENUM(NSUInteger, NSURLCredentialPersistence) {
    NSURLCredentialPersistenceNone = 0,
    NSURLCredentialPersistenceForSession = 1,
};
/// doc: foundation/nsurlcredential
@interface NSURLCredential : NSObject
+ (NSURLCredential *)credentialWithUser:(NSString *)user
                               password:(NSString *)password
                            persistence:(NSURLCredentialPersistence)persistence;
@end
/// doc: foundation/nsurlprotectionspace
@interface NSURLProtectionSpace : NSObject
@property(readonly, copy) NSString *host;
@property(readonly, copy) NSString *authenticationMethod;
@end
/// doc: foundation/nsurlauthenticationmethodhttpbasic
extern NSString *const NSURLAuthenticationMethodHTTPBasic;
/// doc: foundation/nsurlauthenticationmethodhttpdigest
extern NSString *const NSURLAuthenticationMethodHTTPDigest;
/// doc: foundation/nsurlauthenticationchallenge
@interface NSURLAuthenticationChallenge : NSObject
@property(readonly, copy) NSURLProtectionSpace *protectionSpace;
@property(readonly) NSInteger previousFailureCount;
@end
/// doc: foundation/bundle
@interface NSBundle : NSObject
+ (NSBundle *)mainBundle;
+ (NSBundle *)bundleForClass:(Class)of;
@property(nullable, readonly, copy) NSString *resourcePath;
- (NSString *)localizedStringForKey:(NSString *)key value:(nullable NSString *)value table:(nullable NSString *)table;
@end
/// doc: foundation/filehandle
@interface NSFileHandle : NSObject
+ (nullable instancetype)fileHandleForReadingAtPath:(NSString *)path;
+ (nullable instancetype)fileHandleForWritingAtPath:(NSString *)path;
- (NSData *)readDataOfLength:(NSUInteger)length;
- (void)writeData:(NSData *)data;
- (unsigned long long)seekToEndOfFile;
- (void)seekToFileOffset:(unsigned long long)offset;
- (void)closeFile;
@end
/// doc: foundation/filemanager
@interface NSFileManager : NSObject
+ (NSFileManager *)defaultManager;
- (BOOL)fileExistsAtPath:(NSString *)path isDirectory:(nullable BOOL *)isFolder;
- (BOOL)createFileAtPath:(NSString *)path contents:(nullable NSData *)data attributes:(nullable NSDictionary *)attributes;
- (BOOL)createDirectoryAtPath:(NSString *)path
    withIntermediateDirectories:(BOOL)all
                     attributes:(nullable NSDictionary *)attributes
                          error:(NSError *_Nullable *_Nullable)error;
- (BOOL)moveItemAtPath:(NSString *)from toPath:(NSString *)to error:(NSError *_Nullable *_Nullable)error;
- (BOOL)removeItemAtPath:(NSString *)path error:(NSError *_Nullable *_Nullable)error;
@end
/// doc: foundation/nstemporarydirectory
extern NSString *NSTemporaryDirectory(void);
/// doc: foundation/nsjsonserialization
@interface NSJSONSerialization : NSObject
+ (nullable id)JSONObjectWithData:(NSData *)data options:(NSUInteger)options error:(NSError *_Nullable *_Nullable)error;
@end
/// doc: foundation/nsregularexpression
@interface NSRegularExpression : NSObject
+ (nullable NSRegularExpression *)regularExpressionWithPattern:(NSString *)pattern
                                                       options:(NSUInteger)options
                                                         error:(NSError *_Nullable *_Nullable)error;
- (NSRange)rangeOfFirstMatchInString:(NSString *)text options:(NSUInteger)options range:(NSRange)range;
@end
/// doc: foundation/nslocale
@interface NSLocale : NSObject
@property(class, readonly, copy) NSArray<NSString *> *preferredLanguages;
@end
/// doc: foundation/nsuuid
@interface NSUUID : NSObject
+ (instancetype)UUID;
@property(readonly, copy) NSString *UUIDString;
@end
/// doc: foundation/nsdate
@interface NSDate : NSObject <NSCopying>
+ (instancetype)date;
@property(readonly) NSTimeInterval timeIntervalSinceReferenceDate;
@end
/// doc: foundation/nsnotification
@interface NSNotification : NSObject
@end
/// doc: foundation/notificationcenter
@interface NSNotificationCenter : NSObject
@property(class, readonly, strong) NSNotificationCenter *defaultCenter;
- (void)addObserver:(id)observer selector:(SEL)selector name:(nullable NSString *)name object:(nullable id)object;
@end
/// doc: foundation/nsuseractivity
@interface NSUserActivity : NSObject
- (instancetype)initWithActivityType:(NSString *)type;
@property(readonly, copy) NSString *activityType;
@property(nullable, copy) NSURL *webpageURL;
@property(nullable, copy) NSDictionary *userInfo;
@end
/// doc: foundation/nsuseractivitytypebrowsingweb
extern NSString *const NSUserActivityTypeBrowsingWeb;
/// doc: foundation/nslog
extern void NSLog(NSString *format, ...) __attribute__((format(__NSString__, 1, 2)));
/// doc: foundation/nsstringfromclass(_:)
extern NSString *NSStringFromClass(Class kind);
NS_ASSUME_NONNULL_END
#import <dispatch/dispatch.h>
