// Declarations of our own: only what the shell uses. Each names its page in the platform's public documentation.
#pragma once
#import <UIKit/UIKit.h>
NS_ASSUME_NONNULL_BEGIN
@class WKWebView, WKWebViewConfiguration, WKNavigation, WKNavigationAction, WKNavigationResponse, WKFrameInfo, WKSecurityOrigin,
    WKDownload, WKUserContentController, WKScriptMessage, WKWindowFeatures, WKContentWorld;
/// doc: webkit/wkframeinfo
@interface WKFrameInfo : NSObject
@property(readonly, getter=isMainFrame) BOOL mainFrame;
@property(readonly, copy) NSURLRequest *request;
@property(readonly) WKSecurityOrigin *securityOrigin;
@end
/// doc: webkit/wksecurityorigin
@interface WKSecurityOrigin : NSObject
@property(readonly, copy) NSString *protocol, *host;
@property(readonly) NSInteger port;
@end
/// doc: webkit/wknavigationtype
typedef NS_ENUM(NSInteger, WKNavigationType) {
    WKNavigationTypeLinkActivated = 0,
    WKNavigationTypeFormSubmitted = 1,
    WKNavigationTypeBackForward = 2,
    WKNavigationTypeReload = 3,
    WKNavigationTypeFormResubmitted = 4,
    WKNavigationTypeOther = -1,
};
/// doc: webkit/wknavigation
@interface WKNavigation : NSObject
@end
/// doc: webkit/wkwindowfeatures
@interface WKWindowFeatures : NSObject
@end
/// doc: webkit/wknavigationaction
@interface WKNavigationAction : NSObject
@property(readonly, copy) WKFrameInfo *sourceFrame;
@property(nullable, readonly, copy) WKFrameInfo *targetFrame;
@property(readonly) WKNavigationType navigationType;
@property(readonly, copy) NSURLRequest *request;
@property(readonly) BOOL shouldPerformDownload;
@end
/// doc: webkit/wknavigationresponse
@interface WKNavigationResponse : NSObject
@property(readonly, getter=isForMainFrame) BOOL forMainFrame;
@property(readonly, copy) NSURLResponse *response;
@property(readonly) BOOL canShowMIMEType;
@end
/// doc: webkit/wknavigationactionpolicy
typedef NS_ENUM(NSInteger, WKNavigationActionPolicy) {
    WKNavigationActionPolicyCancel = 0,
    WKNavigationActionPolicyAllow = 1,
    WKNavigationActionPolicyDownload = 2,
};
/// doc: webkit/wknavigationresponsepolicy
typedef NS_ENUM(NSInteger, WKNavigationResponsePolicy) {
    WKNavigationResponsePolicyCancel = 0,
    WKNavigationResponsePolicyAllow = 1,
    WKNavigationResponsePolicyDownload = 2,
};
/// doc: webkit/wkpermissiondecision
typedef NS_ENUM(NSInteger, WKPermissionDecision) {
    WKPermissionDecisionPrompt = 0,
    WKPermissionDecisionGrant = 1,
    WKPermissionDecisionDeny = 2,
};
/// doc: webkit/wkmediacapturetype
typedef NS_ENUM(NSInteger, WKMediaCaptureType) {
    WKMediaCaptureTypeCamera = 0,
    WKMediaCaptureTypeMicrophone = 1,
    WKMediaCaptureTypeCameraAndMicrophone = 2,
};
/// doc: webkit/wkaudiovisualmediatypes
typedef NS_OPTIONS(NSUInteger, WKAudiovisualMediaTypes) { WKAudiovisualMediaTypeNone = 0 };
/// doc: webkit/wknavigationdelegate
@protocol WKNavigationDelegate <NSObject>
@optional
- (void)webView:(WKWebView *)view
    decidePolicyForNavigationAction:(WKNavigationAction *)action
                    decisionHandler:(void (^)(WKNavigationActionPolicy policy))decide;
- (void)webView:(WKWebView *)view
    decidePolicyForNavigationResponse:(WKNavigationResponse *)response
                      decisionHandler:(void (^)(WKNavigationResponsePolicy policy))decide;
- (void)webView:(WKWebView *)view didCommitNavigation:(null_unspecified WKNavigation *)navigation;
- (void)webView:(WKWebView *)view didFinishNavigation:(null_unspecified WKNavigation *)navigation;
- (void)webView:(WKWebView *)view
    didFailProvisionalNavigation:(null_unspecified WKNavigation *)navigation
                       withError:(NSError *)error;
- (void)webView:(WKWebView *)view
    didReceiveAuthenticationChallenge:(NSURLAuthenticationChallenge *)challenge
                    completionHandler:(void (^)(NSURLSessionAuthChallengeDisposition disposition,
                                                NSURLCredential *_Nullable credential))decide;
- (void)webViewWebContentProcessDidTerminate:(WKWebView *)view;
- (void)webView:(WKWebView *)view navigationAction:(WKNavigationAction *)action didBecomeDownload:(WKDownload *)download;
- (void)webView:(WKWebView *)view navigationResponse:(WKNavigationResponse *)response didBecomeDownload:(WKDownload *)download;
@end
/// doc: webkit/wkuidelegate
@protocol WKUIDelegate <NSObject>
@optional
- (nullable WKWebView *)webView:(WKWebView *)view
    createWebViewWithConfiguration:(WKWebViewConfiguration *)configuration
               forNavigationAction:(WKNavigationAction *)action
                    windowFeatures:(WKWindowFeatures *)features;
- (void)webViewDidClose:(WKWebView *)view;
- (void)webView:(WKWebView *)view
    runJavaScriptAlertPanelWithMessage:(NSString *)message
                      initiatedByFrame:(WKFrameInfo *)frame
                     completionHandler:(void (^)(void))done;
- (void)webView:(WKWebView *)view
    runJavaScriptConfirmPanelWithMessage:(NSString *)message
                        initiatedByFrame:(WKFrameInfo *)frame
                       completionHandler:(void (^)(BOOL confirmed))done;
- (void)webView:(WKWebView *)view
    runJavaScriptTextInputPanelWithPrompt:(NSString *)prompt
                              defaultText:(nullable NSString *)text
                         initiatedByFrame:(WKFrameInfo *)frame
                        completionHandler:(void (^)(NSString *_Nullable entered))done;
- (void)webView:(WKWebView *)view
    requestMediaCapturePermissionForOrigin:(WKSecurityOrigin *)origin
                          initiatedByFrame:(WKFrameInfo *)frame
                                      type:(WKMediaCaptureType)type
                           decisionHandler:(void (^)(WKPermissionDecision decision))decide;
- (void)webView:(WKWebView *)view
    requestDeviceOrientationAndMotionPermissionForOrigin:(WKSecurityOrigin *)origin
                                        initiatedByFrame:(WKFrameInfo *)frame
                                         decisionHandler:(void (^)(WKPermissionDecision decision))decide;
@end
/// doc: webkit/wkurlschemetask
@protocol WKURLSchemeTask <NSObject>
@property(readonly, copy) NSURLRequest *request;
- (void)didReceiveResponse:(NSURLResponse *)response;
- (void)didReceiveData:(NSData *)data;
- (void)didFinish;
- (void)didFailWithError:(NSError *)error;
@end
/// doc: webkit/wkurlschemehandler
@protocol WKURLSchemeHandler <NSObject>
- (void)webView:(WKWebView *)view startURLSchemeTask:(id<WKURLSchemeTask>)task;
- (void)webView:(WKWebView *)view stopURLSchemeTask:(id<WKURLSchemeTask>)task;
@end
/// doc: webkit/wkdownloaddelegate
@protocol WKDownloadDelegate <NSObject>
- (void)download:(WKDownload *)download
    decideDestinationUsingResponse:(NSURLResponse *)response
                 suggestedFilename:(NSString *)name
                 completionHandler:(void (^)(NSURL *_Nullable destination))done;
@optional
- (void)downloadDidFinish:(WKDownload *)download;
- (void)download:(WKDownload *)download didFailWithError:(NSError *)error resumeData:(nullable NSData *)data;
@end
/// doc: webkit/wkdownload
@interface WKDownload : NSObject
@property(nullable, weak) id<WKDownloadDelegate> delegate;
@end
/// doc: webkit/wkscriptmessagehandlerwithreply
@protocol WKScriptMessageHandlerWithReply <NSObject>
- (void)userContentController:(WKUserContentController *)controller
      didReceiveScriptMessage:(WKScriptMessage *)message
                 replyHandler:(void (^)(id _Nullable reply, NSString *_Nullable error))reply;
@end
/// doc: webkit/wkscriptmessage
@interface WKScriptMessage : NSObject
@property(readonly, copy) id body;
@property(readonly, copy) WKFrameInfo *frameInfo;
@end
/// doc: webkit/wkuserscriptinjectiontime
typedef NS_ENUM(NSInteger, WKUserScriptInjectionTime) { WKUserScriptInjectionTimeAtDocumentStart = 0 };
/// doc: webkit/wkuserscript
@interface WKUserScript : NSObject
- (instancetype)initWithSource:(NSString *)source
                 injectionTime:(WKUserScriptInjectionTime)time
              forMainFrameOnly:(BOOL)mainFrameOnly;
@end
/// doc: webkit/wkcontentworld
@interface WKContentWorld : NSObject
@property(class, readonly) WKContentWorld *pageWorld;
@end
/// doc: webkit/wkusercontentcontroller
@interface WKUserContentController : NSObject
- (void)addScriptMessageHandlerWithReply:(id<WKScriptMessageHandlerWithReply>)handler
                            contentWorld:(WKContentWorld *)world
                                    name:(NSString *)name;
- (void)addUserScript:(WKUserScript *)script;
@end
/// doc: webkit/wkpreferences
@interface WKPreferences : NSObject
@property BOOL javaScriptCanOpenWindowsAutomatically;
@end
/// doc: webkit/wkwebviewconfiguration
@interface WKWebViewConfiguration : NSObject
@property(strong) WKUserContentController *userContentController;
@property(strong) WKPreferences *preferences;
@property BOOL allowsInlineMediaPlayback;
@property WKAudiovisualMediaTypes mediaTypesRequiringUserActionForPlayback;
@property(nullable, copy) NSString *applicationNameForUserAgent;
@property BOOL limitsNavigationsToAppBoundDomains;
- (void)setURLSchemeHandler:(nullable id<WKURLSchemeHandler>)handler forURLScheme:(NSString *)scheme;
@end
/// doc: webkit/wkwebview
@interface WKWebView : UIView
- (instancetype)initWithFrame:(CGRect)frame configuration:(WKWebViewConfiguration *)configuration;
@property(nullable, weak) id<WKNavigationDelegate> navigationDelegate;
@property(nullable, weak) id<WKUIDelegate> UIDelegate;
@property(readonly, strong) UIScrollView *scrollView;
@property(nullable, readonly, copy) NSURL *URL;
@property(nullable, readonly, copy) NSString *title;
@property(readonly) BOOL canGoBack;
@property BOOL allowsBackForwardNavigationGestures;
@property(null_resettable, copy) UIColor *underPageBackgroundColor;
- (nullable WKNavigation *)loadRequest:(NSURLRequest *)request;
- (nullable WKNavigation *)reload;
- (nullable WKNavigation *)goBack;
- (void)evaluateJavaScript:(NSString *)script
         completionHandler:(void (^_Nullable)(id _Nullable result, NSError *_Nullable error))done;
@end
NS_ASSUME_NONNULL_END
