// Declarations of our own: only what the shell uses. Each names its page in the platform's public documentation.
#pragma once
#import <Foundation/Foundation.h>

/// doc: coregraphics/cgfloat
typedef double CGFloat;
/// doc: coregraphics/cgpoint
typedef struct CGPoint {
    CGFloat x, y;
} CGPoint;
/// doc: coregraphics/cgsize
typedef struct CGSize {
    CGFloat width, height;
} CGSize;
/// doc: coregraphics/cgrect
typedef struct CGRect {
    CGPoint origin;
    CGSize size;
} CGRect;

/// doc: coregraphics/cgrectmake
static inline CGRect CGRectMake(CGFloat x, CGFloat y, CGFloat width, CGFloat height) {
    CGRect rect = {{x, y}, {width, height}};
    return rect;
}
