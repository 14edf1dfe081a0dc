// Stand-ins of the frameworks' classes, which note what they are told. For tests alone.
#import <AuthenticationServices/AuthenticationServices.h>
#import <UserNotifications/UserNotifications.h>
#import <WebKit/WebKit.h>

/// What was noted, in order.
extern NSMutableArray<NSString *> *Notes(void);
/// Runs what waits for the main queue, until nothing does.
extern void RunQueue(void);
/// Runs what was put off for some time.
extern void RunLater(void);
/// What the system says: its scheme, the scale of letters, whether other apps open addresses, whether notices are allowed.
typedef struct System {
    BOOL isNight, opens, allows, hasWindow;
    double scale;
} System;
extern System theSystem;

@interface UIAlertController (Fake)
/// The box that is shown now, nil where there is none; touching a button closes it.
+ (UIAlertController *)shown;
- (void)touch:(NSString *)title;
@property(nonatomic, readonly, copy) NSString *boxTitle, *boxMessage;
@end
@interface UIActivityViewController (Fake)
+ (UIActivityViewController *)shown;
@property(nonatomic, readonly, copy) NSArray *items;
@end
@interface UIViewController (Fake)
- (void)forget;
@end
@interface WKWebViewConfiguration (Fake)
@property(nonatomic, readonly) NSMutableDictionary<NSString *, id> *schemes;
@end
@interface WKUserContentController (Fake)
@property(nonatomic, readonly) id<WKScriptMessageHandlerWithReply> handler;
@end
@interface WKWebView (Fake)
@property(nonatomic, readonly) WKWebViewConfiguration *given;
@property(nonatomic, copy) NSURL *now;
@end
@interface NSURLSession (Fake)
+ (NSURLSession *)made;
@property(nonatomic, readonly) id<NSURLSessionDataDelegate> told;
@property(nonatomic, readonly) NSURLSessionDataTask *lastTask;
@property(nonatomic, readonly) NSURLRequest *lastRequest;
@end
@interface ASWebAuthenticationSession (Fake)
+ (void)lead:(NSString *)url;
@end

// What tests need of Foundation besides.
@interface NSFileManager (Tests)
- (BOOL)copyItemAtPath:(NSString *)from toPath:(NSString *)to error:(NSError **)error;
@end
@interface NSMutableURLRequest (Tests)
- (void)setHTTPMethod:(NSString *)method;
- (void)setValue:(NSString *)value forHTTPHeaderField:(NSString *)field;
@end
@interface NSURLProtectionSpace (Tests)
- (instancetype)initWithHost:(NSString *)host
                        port:(NSInteger)port
                    protocol:(NSString *)protocol
                       realm:(NSString *)realm
        authenticationMethod:(NSString *)method;
@end

@interface GivenFrame : WKFrameInfo
+ (instancetype)frame:(NSString *)scheme host:(NSString *)host main:(BOOL)main;
@end
@interface GivenAction : WKNavigationAction
+ (instancetype)action:(NSString *)url frame:(WKFrameInfo *)frame;
@property(nonatomic, copy) NSString *method;
@property(nonatomic) WKNavigationType kind;
@property(nonatomic) BOOL downloads;
@end
@interface GivenResponse : WKNavigationResponse
+ (instancetype)status:(NSInteger)status headers:(NSDictionary *)headers;
@property(nonatomic) BOOL unknownType;
@end
@interface GivenMessage : WKScriptMessage
+ (instancetype)message:(id)body frame:(WKFrameInfo *)frame;
@end
@interface GivenTask : NSObject <WKURLSchemeTask>
+ (instancetype)task:(NSString *)url headers:(NSDictionary *)headers;
@property(nonatomic, readonly) NSInteger status;
@property(nonatomic, readonly, copy) NSDictionary *answered;
@property(nonatomic, readonly) unsigned long got;
@property(nonatomic, readonly) BOOL finished, failed;
@end
@interface GivenChallenge : NSURLAuthenticationChallenge
+ (instancetype)challenge:(NSString *)method host:(NSString *)host;
@end
