/* Inside the library: what its handles share.
 *
 * Each handle begins with a `part`, by which its host knows it. A call begins with lib_begin and ends with lib_end,
 * which make a scope for its memory and keep its trouble. */
#ifndef BIL_HOST_LIBRARY_INSIDE_H
#define BIL_HOST_LIBRARY_INSIDE_H

#include <stdatomic.h>

#include "bilancia/look.h"
#include "bilancia/site.h"
#include "bilancia/write.h"
#include "host/base/arena.h"
#include "host/base/trouble.h"
#include "host/describe/choice.h"
#include "host/describe/load.h"
#include "host/look/edit.h"
#include "host/run/device.h"
#include "host/site/keeper.h"
#include "port/memory.h"

typedef struct part {
    bil_host *host;
    struct part *next, **at;        /* among the parts of the host */
    void (*end)(struct part *part); /* gives back what it holds, but not itself */
} part;

typedef struct described {
    struct described *next;
    char path[STORAGE_PATH];
    loaded_description loaded;
} described;

enum { ALIVE = 0x0b11a9c1 };

struct bil_host {
    mem_hooks hooks;
    bool has_hooks;
    bil_host_config config;
    mem_scope scope; /* of the call in progress */
    bool busy;
    uint32_t alive; /* ALIVE; what was closed isn't, as debug builds see */
    part *parts;
    catalogue known;
    described *loaded;
    char who[SITE_NAME];
    char *site; /* as given, NULL: the one around the current folder; see `nowhere` */
    bool nowhere;
    trouble trouble;
    char line[2 * STORAGE_PATH + 1500]; /* of bil_host_trouble */
    char where[STORAGE_PATH];           /* of bil_host_named */
    bool sited;                         /* of the last place: there is a site */
    char like[SITE_NAME];               /* and the name of a device that is like it, or "" */
    arena told, kit;                    /* texts of the last ending, and of the last kit */
    atomic_int cancelled;               /* the write in progress is to end */
};

/* BIL_E_BAD_CALL where the host is in another call already. */
int lib_begin(bil_host *h);
/* Keeps the error, or BIL_E_MEMORY where memory ran short; `what` and `why` may be NULL. Returns it. */
int lib_end(bil_host *h, int error, const char *what, const char *why);
/* An error of a call that is made of others, and isn't in one now. */
int lib_fail(bil_host *h, int error, const char *what, const char *why);
/* The same where the trouble was filled in already. */
int lib_end_of(bil_host *h, int error);

/* A zeroed handle of this size that belongs to the host; NULL when memory is short. */
void *lib_part(bil_host *h, size_t size, void (*end)(part *part));
void lib_drop(part *part);
/* The end of one that holds nothing. */
void lib_nothing(part *part);

/* What the program gives where values can be read only with a password. */
secret_source lib_secrets(bil_host *h);

/* Is this a struct that may be taken? `out` becomes what it says, of `known` bytes. */
bool lib_take(void *out, size_t known, const void *given);
/* A text of a person's: BIL_OK, or BIL_E_CALL and the trouble says so. */
int lib_note(bil_host *h, const char *text);
/* The keeper of what somebody named: a device of the host's site, or an address; or with `folder` what is kept there.
 */
int lib_keeper(bil_host *h, keeper *k, const char *name, const char *folder);
/* A text that belongs to the host until its next ending, or kit. */
const char *lib_told(arena *where, const char *text);
/* Where a text leads: a file, an address, or what the site calls so. `place` of STORAGE_PATH bytes, `digest` (65) of a
 * copy that the site knows, else "". */
int lib_place(bil_host *h, const char *text, char *place, char *digest);

struct bil_device {
    part part;
    char name[STORAGE_PATH]; /* as given: for the keeper */
    char address[ADDRESS_TEXT];
    device device;
    bool own_link; /* of the program's */
    bool was_read;
    unsigned kept;         /* which of the copies that it keeps was read; 0: what is in force */
    char choice[SET_TEXT]; /* of its values, which were read */
    bool unstored;         /* as it said when it was asked last */
    bool let_go;           /* a job left it held, and when it was read it said that it isn't */
    bil_job_progress counts;
    char says[BIL_ID_COUNT][BIL_VALUE_TEXT];
};
/* Does the error say that nobody answers? */
bool lib_is_silence(int error);
/* Connects, where that wasn't done yet. */
int lib_device_meet(bil_device *dev);
/* Fills in what it says of itself. */
void lib_device_says(bil_device *dev);
/* A value as text, with its unit of measure. */
int lib_value(const bil_image *image, const char *id, char *text, size_t size);

struct bil_copy {
    part part;
    char path[STORAGE_PATH]; /* "": not saved */
    char digest[65], values_digest[65];
    char called[SITE_NAME];    /* as a person named it, where a site knows it so; or "" */
    char owner[SITE_NAME];     /* the device of the site that it was named by; or "" */
    char device[STORAGE_PATH]; /* what it was read from just now, as given; "" else */
    unsigned kept;             /* it is a copy that the device keeps, of this number; 0: what was in force */
    bool unstored, let_go;     /* which said then that its values aren't stored yet; that it isn't held any more */
    edited work;               /* its values */
    bil_copy_info info;
};
void lib_copy_tells(bil_copy *copy);
/* Takes over what a look has found on this side, of a file with its bytes. As bil_copy_take_item. */
int lib_take_found(bil_copy *copy, bil_look *look, size_t side, const bil_item *item);

#endif
