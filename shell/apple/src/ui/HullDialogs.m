#import "HullDialogs.h"

/// One dialog on its way.
@interface HullDialog : NSObject
@property(nonatomic, strong) UIAlertController *box;
@property(nonatomic, copy) void (^cancelled)(void);
@end
HULL_DIRECT @implementation HullDialog
@end

HULL_DIRECT @implementation HullDialogs {
    __weak UIViewController *_presenter;
    HullWords *_words;
    NSMutableArray<HullDialog *> *_waiting;
    HullDialog *_shown;
}

- (instancetype)initWithPresenter:(UIViewController *)presenter words:(HullWords *)words {
    if ((self = [super init])) {
        _presenter = presenter;
        _words = words;
        _waiting = [NSMutableArray array];
    }
    return self;
}

- (void)show:(UIAlertController *)box cancelled:(void (^)(void))cancelled {
    HullDialog *dialog = [[HullDialog alloc] init];
    dialog.box = box;
    dialog.cancelled = cancelled;
    [_waiting addObject:dialog];
    [self next];
}

- (void)next {
    HullDialog *dialog = _waiting.firstObject;
    if (_shown != nil || dialog == nil) return;
    [_waiting removeObjectAtIndex:0];
    UIViewController *top = _presenter;
    while (top.presentedViewController != nil) top = top.presentedViewController;
    if (top.viewIfLoaded.window == nil) {
        dialog.cancelled();
        [self next];
        return;
    }
    _shown = dialog;
    [top presentViewController:dialog.box animated:YES completion:nil];
}

- (void)ended {
    _shown = nil;
    // The box is still on its way out; the next one is shown once it is gone.
    __weak HullDialogs *weakSelf = self;
    dispatch_async(dispatch_get_main_queue(), ^{
        [weakSelf next];
    });
}

- (UIAlertController *)box:(NSString *)title message:(NSString *)message {
    return [UIAlertController alertControllerWithTitle:title message:message preferredStyle:UIAlertControllerStyleAlert];
}

- (void)add:(NSString *)title style:(UIAlertActionStyle)style to:(UIAlertController *)box does:(void (^)(void))act {
    [box addAction:[UIAlertAction actionWithTitle:title style:style handler:^(UIAlertAction *action) {
        (void)action;
        act();
        [self ended];
    }]];
}

- (void)tell:(NSString *)title message:(NSString *)message done:(void (^)(void))done {
    UIAlertController *box = [self box:title message:message];
    void (^finish)(void) = ^{
        if (done != nil) done();
    };
    [self add:[_words text:@"ok"] style:UIAlertActionStyleDefault to:box does:finish];
    [self show:box cancelled:finish];
}

- (void)confirm:(NSString *)title message:(NSString *)message yes:(NSString *)yes done:(void (^)(BOOL))done {
    UIAlertController *box = [self box:title message:message];
    void (^no)(void) = ^{
        done(NO);
    };
    [self add:[_words text:@"cancel"] style:UIAlertActionStyleCancel to:box does:no];
    [self add:yes style:UIAlertActionStyleDefault to:box does:^{
        done(YES);
    }];
    [self show:box cancelled:no];
}

- (void)prompt:(NSString *)title message:(NSString *)message text:(NSString *)text done:(void (^)(NSString *))done {
    UIAlertController *box = [self box:title message:message];
    [box addTextFieldWithConfigurationHandler:^(UITextField *field) {
        field.text = text;
    }];
    void (^no)(void) = ^{
        done(nil);
    };
    __weak UIAlertController *weakBox = box;
    [self add:[_words text:@"cancel"] style:UIAlertActionStyleCancel to:box does:no];
    [self add:[_words text:@"ok"] style:UIAlertActionStyleDefault to:box does:^{
        done(weakBox.textFields.firstObject.text ?: @"");
    }];
    [self show:box cancelled:no];
}

- (void)signIn:(NSString *)host done:(void (^)(NSString *, NSString *))done {
    UIAlertController *box = [self box:[_words text:@"signIn"] message:host];
    NSString *user = [_words text:@"user"];
    NSString *password = [_words text:@"password"];
    [box addTextFieldWithConfigurationHandler:^(UITextField *field) {
        field.placeholder = user;
    }];
    [box addTextFieldWithConfigurationHandler:^(UITextField *field) {
        field.placeholder = password;
        field.secureTextEntry = YES;
    }];
    void (^no)(void) = ^{
        done(nil, nil);
    };
    __weak UIAlertController *weakBox = box;
    [self add:[_words text:@"cancel"] style:UIAlertActionStyleCancel to:box does:no];
    [self add:[_words text:@"signIn"] style:UIAlertActionStyleDefault to:box does:^{
        NSArray<UITextField *> *fields = weakBox.textFields;
        done(fields.firstObject.text ?: @"", fields.lastObject.text ?: @"");
    }];
    [self show:box cancelled:no];
}

- (void)drop {
    NSMutableArray<HullDialog *> *all = [_waiting mutableCopy];
    _waiting = [NSMutableArray array];
    if (_shown != nil) [all addObject:_shown];
    _shown = nil;
    for (HullDialog *dialog in all) dialog.cancelled();
}
@end
