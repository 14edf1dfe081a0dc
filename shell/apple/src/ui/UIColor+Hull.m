#import "UIColor+Hull.h"
#import "HullColor.h"

static UIColor *inkOn(NSString *hex) {
    return [UIColor hullColor:HullIsDark(hex) ? @"#ffffff" : @"#1c2326"];
}

@implementation UIColor (Hull)

+ (UIColor *)hullColor:(NSString *)hex {
    HullRgb rgb = HullRgbOf(hex);
    return [UIColor colorWithRed:rgb.red green:rgb.green blue:rgb.blue alpha:1];
}

+ (UIColor *)hullDay:(UIColor *)day night:(UIColor *)night {
    return [UIColor colorWithDynamicProvider:^UIColor *(UITraitCollection *traits) {
        return traits.userInterfaceStyle == UIUserInterfaceStyleDark ? night : day;
    }];
}

+ (UIColor *)hullLight:(NSString *)light dark:(NSString *)dark {
    return [self hullDay:[self hullColor:light] night:[self hullColor:dark]];
}

+ (UIColor *)hullInkOnLight:(NSString *)light dark:(NSString *)dark {
    return [self hullDay:inkOn(light) night:inkOn(dark)];
}
@end
