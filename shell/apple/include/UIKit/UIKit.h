// Declarations of our own: only what the shell uses. Each names its page in the platform's public documentation.
#pragma once
#import <CoreGraphics/CoreGraphics.h>
#import <Foundation/Foundation.h>
NS_ASSUME_NONNULL_BEGIN
@class UIView, UIWindow, UIViewController, UIScene, UIWindowScene, UISceneSession, UIApplication, UIColor, UIScrollView, UIImage,
    UISceneConnectionOptions, UIOpenURLContext, UIRefreshControl, UIControl, UITraitCollection, UIFont, UIPrintFormatter, UIAction;
/// doc: uikit/uiedgeinsets
typedef struct UIEdgeInsets {
    CGFloat top, left, bottom, right;
} UIEdgeInsets;
/// doc: uikit/uiapplicationmain(_:_:_:_:)-1yub7
extern int UIApplicationMain(int argc, char *_Nullable argv[_Nonnull], NSString *_Nullable principal, NSString *_Nullable delegate);

/// doc: uikit/uiresponder
@interface UIResponder : NSObject
@end
/// doc: uikit/uicolor
@interface UIColor : NSObject
+ (UIColor *)colorWithRed:(CGFloat)red green:(CGFloat)green blue:(CGFloat)blue alpha:(CGFloat)alpha;
+ (UIColor *)colorWithDynamicProvider:(UIColor * (^)(UITraitCollection *traits))provider;
@end
/// doc: uikit/uiuserinterfacestyle
typedef NS_ENUM(NSInteger, UIUserInterfaceStyle) {
    UIUserInterfaceStyleUnspecified = 0,
    UIUserInterfaceStyleLight = 1,
    UIUserInterfaceStyleDark = 2,
};
/// doc: uikit/uitraitcollection
@interface UITraitCollection : NSObject
@property(readonly) UIUserInterfaceStyle userInterfaceStyle;
@end
/// doc: uikit/uiview/contentmode-swift.enum
typedef NS_ENUM(NSInteger, UIViewContentMode) { UIViewContentModeCenter = 4 };
/// doc: uikit/uiview/autoresizingmask-swift.struct
typedef NS_OPTIONS(NSUInteger, UIViewAutoresizing) {
    UIViewAutoresizingFlexibleWidth = 1 << 1,
    UIViewAutoresizingFlexibleHeight = 1 << 4,
};
/// doc: uikit/nslayoutconstraint
@interface NSLayoutConstraint : NSObject
+ (void)activateConstraints:(NSArray<NSLayoutConstraint *> *)constraints;
@end
/// doc: uikit/nslayoutanchor
@interface NSLayoutAnchor : NSObject
- (NSLayoutConstraint *)constraintEqualToAnchor:(NSLayoutAnchor *)other;
- (NSLayoutConstraint *)constraintEqualToAnchor:(NSLayoutAnchor *)other constant:(CGFloat)constant;
@end
/// doc: uikit/nslayoutdimension
@interface NSLayoutDimension : NSLayoutAnchor
- (NSLayoutConstraint *)constraintEqualToConstant:(CGFloat)constant;
- (NSLayoutConstraint *)constraintLessThanOrEqualToConstant:(CGFloat)constant;
- (NSLayoutConstraint *)constraintGreaterThanOrEqualToConstant:(CGFloat)constant;
@end
/// doc: uikit/uiview
@interface UIView : UIResponder
- (instancetype)initWithFrame:(CGRect)frame;
@property CGRect frame, bounds;
@property(nullable, copy) UIColor *backgroundColor;
@property UIViewAutoresizing autoresizingMask;
@property(getter=isHidden) BOOL hidden;
@property BOOL accessibilityViewIsModal;
@property(readonly) UIEdgeInsets safeAreaInsets;
@property UIViewContentMode contentMode;
@property BOOL translatesAutoresizingMaskIntoConstraints;
@property(nullable, readonly) UIWindow *window;
@property(readonly) NSLayoutAnchor *topAnchor, *bottomAnchor, *leadingAnchor, *trailingAnchor, *centerXAnchor, *centerYAnchor;
@property(readonly) NSLayoutDimension *widthAnchor, *heightAnchor;
- (void)addSubview:(UIView *)view;
- (void)removeFromSuperview;
- (void)bringSubviewToFront:(UIView *)view;
- (UIPrintFormatter *)viewPrintFormatter;
@end
/// doc: uikit/uiimage
@interface UIImage : NSObject
+ (nullable UIImage *)imageNamed:(NSString *)name;
@end
/// doc: uikit/uiimageview
@interface UIImageView : UIView
- (instancetype)initWithImage:(nullable UIImage *)image;
@end
/// doc: uikit/uifont/textstyle
typedef NSString *UIFontTextStyle;
/// doc: uikit/uifont/textstyle/title2
extern UIFontTextStyle const UIFontTextStyleTitle2;
/// doc: uikit/uifont/textstyle/body
extern UIFontTextStyle const UIFontTextStyleBody;
/// doc: uikit/uifont
@interface UIFont : NSObject
+ (UIFont *)preferredFontForTextStyle:(UIFontTextStyle)style;
@end
/// doc: uikit/uifontmetrics
@interface UIFontMetrics : NSObject
@property(class, readonly) UIFontMetrics *defaultMetrics;
- (CGFloat)scaledValueForValue:(CGFloat)value;
@end
/// doc: uikit/nstextalignment
typedef NS_ENUM(NSInteger, NSTextAlignment) { NSTextAlignmentCenter = 1 };
/// doc: uikit/uilabel
@interface UILabel : UIView
@property(nullable, copy) NSString *text;
@property UIFont *font;
@property(null_resettable) UIColor *textColor;
@property NSTextAlignment textAlignment;
@property NSInteger numberOfLines;
@property BOOL adjustsFontForContentSizeCategory;
@end
/// doc: uikit/uicontrol/event
typedef NS_OPTIONS(NSUInteger, UIControlEvents) {
    UIControlEventTouchUpInside = 1 << 6,
    UIControlEventValueChanged = 1 << 12,
};
/// doc: uikit/uicontrol/state-swift.struct
typedef NS_OPTIONS(NSUInteger, UIControlState) { UIControlStateNormal = 0 };
/// doc: uikit/uicontrol
@interface UIControl : UIView
@property(getter=isEnabled) BOOL enabled;
- (void)addTarget:(nullable id)target action:(SEL)action forControlEvents:(UIControlEvents)events;
@end
/// doc: uikit/uibutton/buttontype-swift.enum
typedef NS_ENUM(NSInteger, UIButtonType) { UIButtonTypeSystem = 1 };
/// doc: uikit/uibutton
@interface UIButton : UIControl
+ (instancetype)buttonWithType:(UIButtonType)type;
- (void)setTitle:(nullable NSString *)title forState:(UIControlState)state;
- (void)setTitleColor:(nullable UIColor *)color forState:(UIControlState)state;
@property(nullable, readonly) UILabel *titleLabel;
@end
/// doc: uikit/uirefreshcontrol
@interface UIRefreshControl : UIControl
- (void)endRefreshing;
@end
/// doc: uikit/uiscrollview/contentinsetadjustmentbehavior-swift.enum
typedef NS_ENUM(NSInteger, UIScrollViewContentInsetAdjustmentBehavior) { UIScrollViewContentInsetAdjustmentNever = 2 };
/// doc: uikit/uiscrollview
@interface UIScrollView : UIView
@property UIScrollViewContentInsetAdjustmentBehavior contentInsetAdjustmentBehavior;
@property(nullable, strong) UIRefreshControl *refreshControl;
@end
/// doc: uikit/uiwindow
@interface UIWindow : UIView
- (instancetype)initWithWindowScene:(UIWindowScene *)scene;
@property(nullable, strong) UIViewController *rootViewController;
- (void)makeKeyAndVisible;
@end
/// doc: uikit/uistatusbarstyle
typedef NS_ENUM(NSInteger, UIStatusBarStyle) {
    UIStatusBarStyleDefault = 0,
    UIStatusBarStyleLightContent = 1,
    UIStatusBarStyleDarkContent = 3,
};
/// doc: uikit/uipopoverpresentationcontroller
@interface UIPopoverPresentationController : NSObject
@property(nullable, strong) UIView *sourceView;
@property CGRect sourceRect;
@end
/// doc: uikit/uiviewcontroller
@interface UIViewController : UIResponder
- (instancetype)initWithNibName:(nullable NSString *)name bundle:(nullable NSBundle *)bundle;
@property(null_resettable, strong) UIView *view;
@property(nullable, readonly) UIView *viewIfLoaded;
- (void)viewDidLoad;
- (void)viewDidLayoutSubviews;
- (void)traitCollectionDidChange:(nullable UITraitCollection *)previous;
@property(readonly) UITraitCollection *traitCollection;
@property(readonly) UIStatusBarStyle preferredStatusBarStyle;
@property(readonly) BOOL prefersStatusBarHidden, prefersHomeIndicatorAutoHidden;
- (void)setNeedsStatusBarAppearanceUpdate;
@property(nullable, copy) NSString *title;
- (void)presentViewController:(UIViewController *)controller
                     animated:(BOOL)animated
                   completion:(void (^_Nullable)(void))done;
- (void)dismissViewControllerAnimated:(BOOL)animated completion:(void (^_Nullable)(void))done;
@property(nullable, readonly) UIViewController *presentedViewController;
@property(nullable, readonly) UIPopoverPresentationController *popoverPresentationController;
@end
/// doc: uikit/uialertaction/style-swift.enum
typedef NS_ENUM(NSInteger, UIAlertActionStyle) { UIAlertActionStyleDefault = 0, UIAlertActionStyleCancel = 1 };
/// doc: uikit/uialertcontroller/style
typedef NS_ENUM(NSInteger, UIAlertControllerStyle) { UIAlertControllerStyleAlert = 1 };
/// doc: uikit/uialertaction
@interface UIAlertAction : NSObject
+ (instancetype)actionWithTitle:(nullable NSString *)title
                          style:(UIAlertActionStyle)style
                        handler:(void (^_Nullable)(UIAlertAction *action))handler;
@end
/// doc: uikit/uitextfield
@interface UITextField : UIControl
@property(nullable, copy) NSString *text;
@property(nullable, copy) NSString *placeholder;
@property(getter=isSecureTextEntry) BOOL secureTextEntry;
@end
/// doc: uikit/uialertcontroller
@interface UIAlertController : UIViewController
+ (instancetype)alertControllerWithTitle:(nullable NSString *)title
                                 message:(nullable NSString *)message
                          preferredStyle:(UIAlertControllerStyle)style;
- (void)addAction:(UIAlertAction *)action;
- (void)addTextFieldWithConfigurationHandler:(void (^_Nullable)(UITextField *field))configure;
@property(nullable, readonly) NSArray<UITextField *> *textFields;
@end
/// doc: uikit/uiactivityviewcontroller
@interface UIActivityViewController : UIViewController
- (instancetype)initWithActivityItems:(NSArray *)items applicationActivities:(nullable NSArray *)activities;
@property(nullable, copy) void (^completionWithItemsHandler)
    (NSString *_Nullable type, BOOL completed, NSArray *_Nullable returned, NSError *_Nullable error);
@end
/// doc: uikit/uiprintformatter
@interface UIPrintFormatter : NSObject
@end
/// doc: uikit/uiprintinfo
@interface UIPrintInfo : NSObject
+ (UIPrintInfo *)printInfo;
@property(copy) NSString *jobName;
@end
/// doc: uikit/uiprintinteractioncontroller
@interface UIPrintInteractionController : NSObject
@property(class, readonly, strong) UIPrintInteractionController *sharedPrintController;
@property(nullable, strong) UIPrintInfo *printInfo;
@property(nullable, strong) UIPrintFormatter *printFormatter;
- (BOOL)presentAnimated:(BOOL)animated
      completionHandler:(nullable void (^)(UIPrintInteractionController *controller, BOOL completed, NSError *_Nullable error))done;
@end
/// doc: uikit/uipasteboard
@interface UIPasteboard : NSObject
@property(class, readonly, strong) UIPasteboard *generalPasteboard;
@property(nullable, copy) NSString *string;
@end
/// doc: uikit/uiscene
@interface UIScene : UIResponder
@end
/// doc: uikit/uiwindowscene
@interface UIWindowScene : UIScene
@end
/// doc: uikit/uiopenurlcontext
@interface UIOpenURLContext : NSObject
@property(readonly, copy) NSURL *URL;
@end
/// doc: uikit/uiapplicationshortcutitem
@interface UIApplicationShortcutItem : NSObject
@property(nullable, copy) NSDictionary *userInfo;
@end
/// doc: uikit/uiscene/connectionoptions
@interface UISceneConnectionOptions : NSObject
@property(readonly, copy) NSSet<UIOpenURLContext *> *URLContexts;
@property(readonly, copy) NSSet<NSUserActivity *> *userActivities;
@property(nullable, readonly) UIApplicationShortcutItem *shortcutItem;
@end
/// doc: uikit/uiscenesession
@interface UISceneSession : NSObject
@property(nullable, readonly) NSUserActivity *stateRestorationActivity;
@end
/// doc: uikit/uiscenedelegate
@protocol UISceneDelegate <NSObject>
@optional
- (void)scene:(UIScene *)scene willConnectToSession:(UISceneSession *)session options:(UISceneConnectionOptions *)options;
- (void)scene:(UIScene *)scene openURLContexts:(NSSet<UIOpenURLContext *> *)contexts;
- (void)scene:(UIScene *)scene continueUserActivity:(NSUserActivity *)activity;
- (nullable NSUserActivity *)stateRestorationActivityForScene:(UIScene *)scene;
- (void)sceneDidBecomeActive:(UIScene *)scene;
- (void)sceneWillResignActive:(UIScene *)scene;
@end
/// doc: uikit/uiwindowscenedelegate
@protocol UIWindowSceneDelegate <UISceneDelegate>
@optional
@property(nullable, nonatomic, strong) UIWindow *window;
- (void)windowScene:(UIWindowScene *)scene
    performActionForShortcutItem:(UIApplicationShortcutItem *)item
               completionHandler:(void (^)(BOOL succeeded))done;
@end
/// doc: uikit/uiapplicationdelegate
@protocol UIApplicationDelegate <NSObject>
@optional
- (BOOL)application:(UIApplication *)application didFinishLaunchingWithOptions:(nullable NSDictionary *)options;
@end
/// doc: uikit/uiapplication
@interface UIApplication : UIResponder
@property(class, readonly) UIApplication *sharedApplication;
@property(getter=isIdleTimerDisabled) BOOL idleTimerDisabled;
- (void)openURL:(NSURL *)url
              options:(NSDictionary<NSString *, id> *)options
    completionHandler:(void (^_Nullable)(BOOL success))done;
@end
/// doc: uikit/uicontentsizecategory/didchangenotification
extern NSString *const UIContentSizeCategoryDidChangeNotification;
NS_ASSUME_NONNULL_END
