#import "HullTroubleView.h"
#import "UIColor+Hull.h"

HullTrouble const HullTroubleOffline = @"offline";
HullTrouble const HullTroubleUnsafe = @"unsafe";
HullTrouble const HullTroubleNotFound = @"notFound";
HullTrouble const HullTroubleServer = @"server";
HullTrouble const HullTroubleStopped = @"stopped";

/// In points.
enum { MARGIN = 32, TARGET = 48 };

// Called by name.
@interface HullTroubleView ()
- (void)touched;
@end

HULL_DIRECT @implementation HullTroubleView {
    HullApp *_app;
    void (^_retry)(void);
    UILabel *_title, *_text;
    UIButton *_button;
}

- (instancetype)initWithApp:(HullApp *)app retry:(void (^)(void))retry {
    if ((self = [super initWithFrame:CGRectMake(0, 0, 0, 0)])) {
        _app = app;
        _retry = [retry copy];
        HullColors *light = app.settings.light, *dark = app.settings.dark;
        UIColor *ink = [UIColor hullInkOnLight:light.background dark:dark.background];
        self.backgroundColor = [UIColor hullLight:light.background dark:dark.background];
        self.hidden = YES;
        _title = [self label:UIFontTextStyleTitle2 ink:ink];
        _text = [self label:UIFontTextStyleBody ink:ink];
        _button = [UIButton buttonWithType:UIButtonTypeSystem];
        _button.translatesAutoresizingMaskIntoConstraints = NO;
        _button.backgroundColor = [UIColor hullLight:light.theme dark:dark.theme];
        _button.titleLabel.font = [UIFont preferredFontForTextStyle:UIFontTextStyleBody];
        _button.titleLabel.adjustsFontForContentSizeCategory = YES;
        [_button setTitleColor:[UIColor hullInkOnLight:light.theme dark:dark.theme] forState:UIControlStateNormal];
        [_button addTarget:self action:@selector(touched) forControlEvents:UIControlEventTouchUpInside];
        [self addSubview:_button];
        [NSLayoutConstraint activateConstraints:@[
            [_title.bottomAnchor constraintEqualToAnchor:_text.topAnchor constant:-12],
            [_text.centerYAnchor constraintEqualToAnchor:self.centerYAnchor],
            [_button.topAnchor constraintEqualToAnchor:_text.bottomAnchor constant:28],
            [_button.heightAnchor constraintGreaterThanOrEqualToConstant:TARGET],
            [_button.centerXAnchor constraintEqualToAnchor:self.centerXAnchor],
        ]];
    }
    return self;
}

- (UILabel *)label:(UIFontTextStyle)style ink:(UIColor *)ink {
    UILabel *label = [[UILabel alloc] initWithFrame:CGRectMake(0, 0, 0, 0)];
    label.translatesAutoresizingMaskIntoConstraints = NO;
    label.font = [UIFont preferredFontForTextStyle:style];
    label.adjustsFontForContentSizeCategory = YES;
    label.textColor = ink;
    label.textAlignment = NSTextAlignmentCenter;
    label.numberOfLines = 0;
    [self addSubview:label];
    [NSLayoutConstraint activateConstraints:@[
        [label.centerXAnchor constraintEqualToAnchor:self.centerXAnchor],
        [label.leadingAnchor constraintEqualToAnchor:self.leadingAnchor constant:MARGIN],
        [label.trailingAnchor constraintEqualToAnchor:self.trailingAnchor constant:-MARGIN],
    ]];
    return label;
}

- (void)show:(HullTrouble)why {
    _shown = why;
    _title.text = [_app.words text:[why stringByAppendingString:@"Title"]];
    _text.text = [_app.words text:[why stringByAppendingString:@"Text"]];
    [_button setTitle:[_app.words text:@"retry"] forState:UIControlStateNormal];
    _button.enabled = YES;
    self.hidden = NO;
    self.accessibilityViewIsModal = YES;
}

- (void)hide {
    _shown = nil;
    self.hidden = YES;
}

- (void)touched {
    [_button setTitle:[_app.words text:@"trying"] forState:UIControlStateNormal];
    _button.enabled = NO;
    _retry();
}
@end
