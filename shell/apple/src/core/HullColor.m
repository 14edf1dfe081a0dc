#import "HullColor.h"
#import "HullAddress.h"

HullRgb HullRgbOf(NSString *hex) {
    HullRgb white = {1, 1, 1};
    if (hex.length != 7 || ![hex hasPrefix:@"#"]) return white;
    double parts[3];
    for (NSUInteger i = 0; i < 3; i++) {
        int high = HullDigit([hex characterAtIndex:1 + 2 * i]);
        int low = HullDigit([hex characterAtIndex:2 + 2 * i]);
        if (high < 0 || low < 0) return white;
        parts[i] = (high * 16 + low) / 255.0;
    }
    HullRgb rgb = {parts[0], parts[1], parts[2]};
    return rgb;
}

/// x to the power of 2.4, by the fifth root of its twelfth power: without the mathematics library.
static double power24(double x) {
    if (x <= 0) return 0;
    double square = x * x;
    double wanted = square * square * square;
    wanted *= wanted;
    double root = 1;
    for (int i = 0; i < 80; i++) {
        double fourth = root * root * root * root;
        root = (4 * root + wanted / fourth) / 5;
    }
    return root;
}

static double linear(double part) {
    return part <= 0.04045 ? part / 12.92 : power24((part + 0.055) / 1.055);
}

BOOL HullIsDark(NSString *hex) {
    HullRgb rgb = HullRgbOf(hex);
    return 0.2126 * linear(rgb.red) + 0.7152 * linear(rgb.green) + 0.0722 * linear(rgb.blue) < 0.18;
}
