// Checks that count, and say where they fail.
#pragma once
#import <Foundation/Foundation.h>
extern int printf(const char *format, ...);
extern void start_runtime(void);
extern int checks, failures;
#define CHECK(...)                                                         \
    do {                                                                   \
        checks++;                                                          \
        if (!(__VA_ARGS__)) {                                              \
            failures++;                                                    \
            printf("%s:%d: %s\n", __FILE__, __LINE__, #__VA_ARGS__);       \
        }                                                                  \
    } while (0)
#define SAME(found, wanted)                                                                          \
    do {                                                                                             \
        NSString *_found = [NSString stringWithFormat:@"%@", (found)], *_wanted = (wanted);          \
        checks++;                                                                                    \
        if (![_found isEqualToString:_wanted]) {                                                     \
            failures++;                                                                              \
            printf("%s:%d: %s is %s\n", __FILE__, __LINE__, #found, _found.UTF8String);              \
        }                                                                                            \
    } while (0)
