// Declarations of our own: only what the shell uses. Each names its page in the platform's public documentation.
#pragma once

/// doc: dispatch/dispatch_block_t
typedef void (^dispatch_block_t)(void);
/// doc: dispatch/dispatch_queue_t
@protocol OS_dispatch_queue <NSObject>
@end
typedef NSObject<OS_dispatch_queue> *dispatch_queue_t;
struct dispatch_queue_s;
extern struct dispatch_queue_s _dispatch_main_q;
/// doc: dispatch/dispatch_get_main_queue
#define dispatch_get_main_queue() ((__bridge dispatch_queue_t)(void *)&_dispatch_main_q)
/// doc: dispatch/dispatch_async
extern void dispatch_async(dispatch_queue_t queue, dispatch_block_t block);
/// doc: dispatch/dispatch_queue_create
extern dispatch_queue_t dispatch_queue_create(const char *label, id attributes);
/// doc: dispatch/dispatch_time
extern unsigned long long dispatch_time(unsigned long long when, long long delta);
/// doc: dispatch/dispatch_after
extern void dispatch_after(unsigned long long when, dispatch_queue_t queue, dispatch_block_t block);
/// doc: dispatch/dispatch_time_now
#define DISPATCH_TIME_NOW 0ull
/// doc: dispatch/nsec_per_sec
#define NSEC_PER_SEC 1000000000ull
