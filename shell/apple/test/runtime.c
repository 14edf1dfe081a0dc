// Lets what clang compiles for the GNUstep 1.9 interface (instance variables whose places are not fixed, ARC, blocks) run on
// GCC's runtime, which Debian's GNUstep is built with. For tests alone; the platform has its own. It needs no header but
// objc/runtime.h of GCC. Structures: GNUstep, "libobjc2 ABI", version 9.
#define _GNU_SOURCE
#include <dlfcn.h>
#include <objc/message.h>
#include <objc/runtime.h>
#include <pthread.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unwind.h>

// Classes, as the compiler lays them out: first the fields that both runtimes share.

struct protocol_list {
    struct protocol_list *next;
    size_t count;
    struct protocol *list[];
};
struct protocol {
    void *isa;
    const char *name;
    struct protocol_list *list;
};
struct ivar {
    const char *name, *type;
    int offset;
};
struct ivars {
    int count;
    struct ivar list[];
};
struct class {
    struct class *isa;
    const char *super, *name;
    long version;
    unsigned long info;
    long size;
    struct ivars *ivars;
    void *methods, *dtable, *subclasses, *sibling;
    struct protocol_list *protocols;
    void *extra;
    long abi;
    int **offsets;
    void *properties, *strong, *weak;
};
struct category {
    const char *name, *class_name;
    void *instance, *klass;
    struct protocol_list *protocols;
};
struct symtab {
    unsigned long selector_count;
    void *selectors;
    unsigned short classes, categories;
    void *definitions[];
};
struct module {
    unsigned long version, size;
    const char *name;
    struct symtab *symtab;
};

enum { MOST = 512, GCC_MODULE = 8, NEW_LAYOUT = 0x10, PROTOCOL_NEW = 3, PROTOCOL_OLD = 2 };

static struct class *sized[MOST];
static int sized_count;
static struct module *waiting[MOST];
static int waiting_count;

static void take_protocols(struct protocol_list *list) {
    for (; list; list = list->next) {
        for (size_t i = 0; i < list->count; i++) {
            struct protocol *one = list->list[i];
            if ((uintptr_t)one->isa != PROTOCOL_NEW) continue;
            one->isa = (void *)PROTOCOL_OLD;
            take_protocols(one->list);
        }
    }
}

// Bytes of a superclass's instances; -1 while it is not there.
static long size_of(const char *name) {
    if (!name) return 0;
    for (int i = 0; i < sized_count; i++) {
        if (!strcmp(sized[i]->name, name) && sized[i]->size > 0) return sized[i]->size;
    }
    Class found = objc_getClass(name);
    return found ? (long)class_getInstanceSize(found) : -1;
}

// Places instance variables behind those of the superclass.
static int place_ivars(struct class *one) {
    if (one->size > 0) return 1;
    long start = size_of(one->super);
    if (start < 0) return 0;
    start = (start + 7) & ~7l;
    for (int i = 0; one->ivars && i < one->ivars->count; i++) {
        one->ivars->list[i].offset += (int)start;
        if (one->offsets) *one->offsets[i] = one->ivars->list[i].offset;
    }
    one->size = start - one->size;
    return 1;
}

static void register_module(struct module *module) {
    static void (*real)(struct module *);
    if (!real) real = dlsym(RTLD_NEXT, "__objc_exec_class");
    real(module);
}

// A module waits until the superclasses of its classes are there.
static int take_module(struct module *module) {
    struct symtab *table = module->symtab;
    for (int changed = 1, left; changed;) {
        changed = 0;
        left = 0;
        for (int i = 0; i < table->classes; i++) {
            struct class *one = table->definitions[i];
            if (one->size > 0) continue;
            if (place_ivars(one)) {
                changed = 1;
                sized[sized_count++] = one;
            } else {
                left++;
            }
        }
        if (!changed && left) return 0;
    }
    register_module(module);
    return 1;
}

void __objc_exec_class(struct module *module) {
    if (module->version == GCC_MODULE) {
        register_module(module);
        return;
    }
    module->version = GCC_MODULE;
    module->size = sizeof *module;
    struct symtab *table = module->symtab;
    for (int i = 0; i < table->classes; i++) {
        struct class *one = table->definitions[i];
        one->info &= ~(unsigned long)NEW_LAYOUT;
        one->isa->info &= ~(unsigned long)NEW_LAYOUT;
        take_protocols(one->protocols);
    }
    for (int i = 0; i < table->categories; i++) {
        take_protocols(((struct category *)table->definitions[table->classes + i])->protocols);
    }
    if (!take_module(module)) {
        waiting[waiting_count++] = module;
        return;
    }
    for (int changed = 1; changed;) {
        changed = 0;
        for (int i = 0; i < waiting_count; i++) {
            if (waiting[i] && take_module(waiting[i])) {
                waiting[i] = NULL;
                changed = 1;
            }
        }
    }
}

// Messages.

struct slot {
    Class owner, cached;
    const char *types;
    int version;
    IMP method;
};
static __thread struct slot slot;

struct slot *objc_msg_lookup_sender(id *receiver, SEL selector, id sender) {
    (void)sender;
    slot.method = objc_msg_lookup(*receiver, selector);
    return &slot;
}

struct slot *objc_slot_lookup_super(struct objc_super *super, SEL selector) {
    slot.method = objc_msg_lookup_super(super, selector);
    return &slot;
}

Class objc_lookup_class(const char *name) { return objc_getClass(name); }

static id send(id object, const char *name) {
    SEL selector = sel_registerName(name);
    return ((id(*)(id, SEL))objc_msg_lookup(object, selector))(object, selector);
}

// Blocks (Clang, "Block Implementation Specification").

enum { REFERENCES = 0xffff, NEEDS_FREE = 1 << 24, HAS_COPY = 1 << 25, IS_GLOBAL = 1 << 28 };
enum { IS_OBJECT = 3, IS_BLOCK = 7, IS_VARIABLE = 8, KINDS = 0x1f };

struct descriptor {
    unsigned long reserved, size;
    void (*copy)(void *, const void *);
    void (*dispose)(const void *);
};
struct block {
    void *isa;
    volatile int flags;
    int reserved;
    void *invoke;
    struct descriptor *descriptor;
};
struct variable {
    void *isa;
    struct variable *forwarding;
    volatile int flags;
    int size;
    void (*keep)(struct variable *, struct variable *);
    void (*destroy)(struct variable *);
};

void *_NSConcreteStackBlock[64], *_NSConcreteMallocBlock[64], *_NSConcreteGlobalBlock[64];

static int is_block(const void *object) {
    void *isa = *(void *const *)object;
    return isa == _NSConcreteStackBlock || isa == _NSConcreteMallocBlock || isa == _NSConcreteGlobalBlock;
}

void *_Block_copy(const void *from) {
    struct block *block = (struct block *)from;
    if (!block || block->flags & IS_GLOBAL) return block;
    if (block->flags & NEEDS_FREE) {
        __sync_fetch_and_add(&block->flags, 1);
        return block;
    }
    struct block *made = malloc(block->descriptor->size);
    memmove(made, block, block->descriptor->size);
    made->flags = (made->flags & ~REFERENCES) | NEEDS_FREE | 1;
    made->isa = _NSConcreteMallocBlock;
    if (made->flags & HAS_COPY) made->descriptor->copy(made, block);
    return made;
}

void _Block_release(const void *from) {
    struct block *block = (struct block *)from;
    if (!block || !(block->flags & NEEDS_FREE)) return;
    if ((__sync_sub_and_fetch(&block->flags, 1) & REFERENCES) != 0) return;
    if (block->flags & HAS_COPY) block->descriptor->dispose(block);
    free(block);
}

id objc_retain(id object);
void objc_release(id object);

static struct variable *keep_variable(struct variable *from) {
    struct variable *source = from->forwarding;
    if (source->flags & NEEDS_FREE) {
        __sync_fetch_and_add(&source->flags, 1);
        return source;
    }
    struct variable *made = malloc(source->size);
    memmove(made, source, source->size);
    made->flags = (source->flags & ~REFERENCES) | NEEDS_FREE | 2;
    made->forwarding = made;
    source->forwarding = made;
    if (source->flags & HAS_COPY) made->keep(made, source);
    return made;
}

void _Block_object_assign(void *to, const void *from, const int kind) {
    int what = kind & KINDS;
    if (what == IS_OBJECT) *(id *)to = objc_retain((id)from);
    else if (what == IS_BLOCK) *(void **)to = _Block_copy(from);
    else if (what & IS_VARIABLE) *(void **)to = keep_variable((struct variable *)from);
    else *(const void **)to = from;
}

void _Block_object_dispose(const void *object, const int kind) {
    int what = kind & KINDS;
    if (what == IS_OBJECT) objc_release((id)object);
    else if (what == IS_BLOCK) _Block_release(object);
    else if (what & IS_VARIABLE) {
        struct variable *one = ((struct variable *)object)->forwarding;
        if (!(one->flags & NEEDS_FREE) || (__sync_sub_and_fetch(&one->flags, 1) & REFERENCES) != 0) return;
        if (one->flags & HAS_COPY) one->destroy(one);
        free(one);
    }
}

static id block_retain(id self, SEL selector) {
    (void)selector;
    return _Block_copy(self);
}
static void block_release(id self, SEL selector) {
    (void)selector;
    _Block_release(self);
}
static id block_copy(id self, SEL selector, void *zone) {
    (void)selector;
    (void)zone;
    return _Block_copy(self);
}

// Automatic reference counting (Clang, "Objective-C Automatic Reference Counting", runtime support).

id objc_retain(id object) {
    if (!object) return object;
    return is_block(object) ? _Block_copy(object) : send(object, "retain");
}
void objc_release(id object) {
    if (!object) return;
    if (is_block(object)) _Block_release(object);
    else send(object, "release");
}
id objc_autorelease(id object) { return object ? send(object, "autorelease") : object; }
id objc_retainAutorelease(id object) { return objc_autorelease(objc_retain(object)); }
id objc_autoreleaseReturnValue(id object) { return objc_autorelease(object); }
id objc_retainAutoreleaseReturnValue(id object) { return objc_retainAutorelease(object); }
id objc_retainAutoreleasedReturnValue(id object) { return objc_retain(object); }
id objc_unsafeClaimAutoreleasedReturnValue(id object) { return object; }
id objc_retainBlock(id object) { return _Block_copy(object); }
void objc_storeStrong(id *place, id value) {
    id old = *place;
    if (old == value) return;
    objc_retain(value);
    *place = value;
    objc_release(old);
}
void *objc_autoreleasePoolPush(void) { return send(send((id)objc_getClass("NSAutoreleasePool"), "alloc"), "init"); }
void objc_autoreleasePoolPop(void *pool) { send(pool, "release"); }
void objc_setProperty_nonatomic(id object, SEL selector, id value, ptrdiff_t offset) {
    (void)selector;
    objc_storeStrong((id *)((char *)object + offset), value);
}
void objc_setProperty_atomic(id object, SEL selector, id value, ptrdiff_t offset) {
    objc_setProperty_nonatomic(object, selector, value, offset);
}
void objc_setProperty_nonatomic_copy(id object, SEL selector, id value, ptrdiff_t offset) {
    (void)selector;
    id made = !value ? value : is_block(value) ? _Block_copy(value) : send(value, "copy");
    id *place = (id *)((char *)object + offset);
    id old = *place;
    *place = made;
    objc_release(old);
}
void objc_setProperty_atomic_copy(id object, SEL selector, id value, ptrdiff_t offset) {
    objc_setProperty_nonatomic_copy(object, selector, value, offset);
}

// Weak references: the places that hold one, by the object.

enum { BUCKETS = 1024 };
struct weak {
    id *place, object;
    struct weak *next;
};
static struct weak *weaks[BUCKETS];
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;

static struct weak **bucket_of(const void *object) { return &weaks[((uintptr_t)object >> 4) % BUCKETS]; }

static void forget_weak(id *place) {
    if (!*place) return;
    for (struct weak **at = bucket_of(*place); *at; at = &(*at)->next) {
        if ((*at)->place != place) continue;
        struct weak *gone = *at;
        *at = gone->next;
        free(gone);
        return;
    }
}

id objc_storeWeak(id *place, id object) {
    pthread_mutex_lock(&lock);
    forget_weak(place);
    *place = object;
    if (object) {
        struct weak **bucket = bucket_of(object);
        struct weak *made = malloc(sizeof *made);
        *made = (struct weak){place, object, *bucket};
        *bucket = made;
    }
    pthread_mutex_unlock(&lock);
    return object;
}
id objc_initWeak(id *place, id object) {
    *place = NULL;
    return objc_storeWeak(place, object);
}
void objc_destroyWeak(id *place) { objc_storeWeak(place, NULL); }
id objc_loadWeakRetained(id *place) {
    pthread_mutex_lock(&lock);
    id object = objc_retain(*place);
    pthread_mutex_unlock(&lock);
    return object;
}
id objc_loadWeak(id *place) { return objc_autorelease(objc_loadWeakRetained(place)); }
void objc_copyWeak(id *to, id *from) {
    id object = objc_loadWeakRetained(from);
    objc_initWeak(to, object);
    objc_release(object);
}
void objc_moveWeak(id *to, id *from) {
    objc_copyWeak(to, from);
    objc_destroyWeak(from);
}

static IMP plain_dealloc;

static void dealloc_with_arc(id self, SEL selector) {
    SEL destruct = sel_registerName(".cxx_destruct");
    IMP last = NULL;
    for (Class one = object_getClass(self); one; one = class_getSuperclass(one)) {
        Method method = class_getInstanceMethod(one, destruct);
        IMP found = method ? method_getImplementation(method) : NULL;
        if (!found || found == last) continue;
        ((void (*)(id, SEL))found)(self, destruct);
        last = found;
    }
    pthread_mutex_lock(&lock);
    for (struct weak **at = bucket_of(self); *at;) {
        if ((*at)->object != self) {
            at = &(*at)->next;
            continue;
        }
        struct weak *gone = *at;
        *gone->place = NULL;
        *at = gone->next;
        free(gone);
    }
    pthread_mutex_unlock(&lock);
    ((void (*)(id, SEL))plain_dealloc)(self, selector);
}

/// To be called first thing in main.
void start_runtime(void) {
    Class root = objc_getClass("NSObject");
    Method dealloc = class_getInstanceMethod(root, sel_registerName("dealloc"));
    plain_dealloc = method_setImplementation(dealloc, (IMP)dealloc_with_arc);
    // Collections hold blocks as objects: they get a class, whose bytes are where the compiler points.
    Class block = objc_allocateClassPair(root, "TestBlock", 0);
    class_addMethod(block, sel_registerName("retain"), (IMP)block_retain, "@@:");
    class_addMethod(block, sel_registerName("release"), (IMP)block_release, "v@:");
    class_addMethod(block, sel_registerName("copyWithZone:"), (IMP)block_copy, "@@:^v");
    objc_registerClassPair(block);
    send((id)block, "class");
    class_getMethodImplementation(block, sel_registerName("retain"));
    void **all[] = {_NSConcreteStackBlock, _NSConcreteMallocBlock, _NSConcreteGlobalBlock};
    for (int i = 0; i < 3; i++) memcpy(all[i], block, 13 * sizeof(void *));
    for (int i = 0; i < waiting_count; i++) {
        if (waiting[i]) fprintf(stderr, "a class of %s has no superclass\n", waiting[i]->name);
    }
}

// Exceptions: the tables are those of GCC's runtime.

extern _Unwind_Reason_Code __gnu_objc_personality_v0(
    int, _Unwind_Action, _Unwind_Exception_Class, struct _Unwind_Exception *, struct _Unwind_Context *);
_Unwind_Reason_Code __gnustep_objc_personality_v0(int version,
                                                  _Unwind_Action action,
                                                  _Unwind_Exception_Class kind,
                                                  struct _Unwind_Exception *exception,
                                                  struct _Unwind_Context *context) {
    return __gnu_objc_personality_v0(version, action, kind, exception, context);
}
