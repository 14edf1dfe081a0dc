// Declarations of our own: only what the shell uses. Each names its page in the platform's public documentation.
#pragma once
#import <UIKit/UIKit.h>
NS_ASSUME_NONNULL_BEGIN
@class ASWebAuthenticationSession;
/// doc: authenticationservices/aswebauthenticationpresentationcontextproviding
@protocol ASWebAuthenticationPresentationContextProviding <NSObject>
- (UIWindow *)presentationAnchorForWebAuthenticationSession:(ASWebAuthenticationSession *)session;
@end
/// doc: authenticationservices/aswebauthenticationsession
@interface ASWebAuthenticationSession : NSObject
- (instancetype)initWithURL:(NSURL *)url
          callbackURLScheme:(nullable NSString *)scheme
          completionHandler:(void (^)(NSURL *_Nullable callback, NSError *_Nullable error))done;
@property(nullable, weak) id<ASWebAuthenticationPresentationContextProviding> presentationContextProvider;
- (BOOL)start;
- (void)cancel;
@end
NS_ASSUME_NONNULL_END
