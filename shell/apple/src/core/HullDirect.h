// Methods that only the shell itself calls are called directly, without the runtime's search by name: that makes a third less
// code. What protocols declare and superclasses have stays dynamic. Runtimes other than the platform's own do not know it.
#pragma once
#ifdef HULL_DYNAMIC
#define HULL_DIRECT
#else
#define HULL_DIRECT __attribute__((objc_direct_members))
#endif
