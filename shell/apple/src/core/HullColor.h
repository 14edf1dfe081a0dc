#import <Foundation/Foundation.h>
NS_ASSUME_NONNULL_BEGIN
/// Red, green and blue of a colour, 0 to 1 each.
typedef struct HullRgb {
    double red, green, blue;
} HullRgb;
/// A colour written as #rrggbb; white where it is something else.
HullRgb HullRgbOf(NSString *hex);
/// Relative luminance below the middle (WCAG 2.2, "relative luminance"): white reads on it.
BOOL HullIsDark(NSString *hex);
NS_ASSUME_NONNULL_END
