/* Where what belongs to a device is kept: its copies and its records, who has a say in what is written to it, and who
 * wants to know what became of it. It may be a plain folder, or a device of a site (host/site/keeper.h). */
#ifndef BIL_HOST_COPY_KEEP_H
#define BIL_HOST_COPY_KEEP_H

#include "host/base/trouble.h"
#include "host/copy/set_file.h"

/* A write that is about to begin, for those who have a say in it. */
typedef struct keep_case {
    const char *who, *login;              /* who writes, and whom the computer knows as the person logged in */
    const char *copy, *digest;            /* what is to be written; "" and "" for a reset */
    const char *record;                   /* folder of the record that is gone on with, or NULL */
    const char *address, *model, *serial; /* where it goes, and who answers there */
    bool tries;                           /* values are only tried, or it goes back to what was before */
    bool despite;                         /* a person goes on though it isn't clear who may write */
    bool unsigned_too;                    /* and though nobody signed what is written */
} keep_case;

/* Each may be NULL: then everybody may, nothing is known, and nobody wants to know. All but `allows` return BIL_OK or
 * why it couldn't be noted. */
typedef struct keep_ops {
    int (*allows)(void *ctx, const keep_case *c, trouble *t);
    /* Is this serial number another device's, too? */
    bool (*serial_shared)(void *ctx, const char *model, const char *serial);
    /* Was a copy that was signed after this one written to it before? `when` of KEEP_WHEN bytes. */
    bool (*had_later)(void *ctx, const char *digest, char *when);
    int (*sent)(void *ctx, const char *who, const char *digest, const char *serial);
    int (*proved)(void *ctx, const char *who, const char *digest, const char *serial, const char *by);
    int (*moved)(void *ctx, const char *who, const char *address);
    /* It answered just now, and its values in force are stored; or it didn't answer, and `why` tells what was seen. */
    int (*reached)(void *ctx, const char *who, const char *why);
} keep_ops;

enum { KEEP_WHEN = 40 };

/* Texts belong to whoever made it. */
typedef struct keep {
    const keep_ops *ops;
    void *ctx;
    bool in_site;
    const char *name;             /* what people call the device; NULL in a plain folder */
    const char *address;          /* where it answers */
    const char *copies, *records; /* folders */
    const char *collected;        /* and one for what it measured, which may not be there yet */
    /* the newest copy of it, "" where there is none or that isn't known; and the one that counts as right */
    const char *last, *last_when, *last_serial, *baseline;
    const char *scope; /* what part of its values a copy has that is saved; NULL: all */
    unsigned highest;  /* in a site: the highest number that a copy of it has or had, as far as that is known */
} keep;

/* A plain folder. */
keep keep_in_folder(const char *folder, const char *address);

int keep_allows(const keep *k, const keep_case *c, trouble *t);
bool keep_serial_shared(const keep *k, const char *model, const char *serial);
bool keep_had_later(const keep *k, const char *digest, char when[KEEP_WHEN]);
int keep_sent(const keep *k, const char *who, const char *digest, const char *serial);
int keep_proved(const keep *k, const char *who, const char *digest, const char *serial, const char *by);
int keep_moved(const keep *k, const char *who, const char *address);
int keep_reached(const keep *k, const char *who, const char *why);

/* Of values read from a device just now: who read them, why, at which address, and the digest of the copy before this
 * one, "" where there is none. Texts that are too long are cut. */
void keep_origin(set_origin *origin, const bil_image *image, const char *who, const char *why, const char *from,
                 const char *parent);

/* The name of a new file that begins with a stem (set_file_stem) and ends with ".bset" or ".brec". In a folder of a
 * person's own that is told by the stem and `what` ("" or what sets it apart); in a site by a digest instead, so that
 * no other place gives the same one: that has STORAGE_DIGEST in it. A copy of a site has its number in its name, too:
 * "-n14-" behind the stem, one more than the highest that is known, or that the folder has. It means that copy from
 * then on, wherever the file is brought. Behind KEEP_NUMBERS there are none: then a copy goes by its digest. */
enum { KEEP_NUMBERS = 99999 };
void keep_name(const keep *k, const char *stem, const char *what, const char *ending, char *out, size_t size);

/* The number in the name of a copy; 0: it has none. */
unsigned keep_number(const char *file);

/* Saves values read from the device just now as a copy of it, named by `stem`, or by what they say (NULL); but not
 * where their digest is the one in `unless` (hex; "": in any case), and then `path` is "". `origin`, `path`
 * (STORAGE_PATH bytes) and `totals` tell what it became. */
int keep_values(const keep *k, const bil_image *have, file_store *files, const char *who, const char *why,
                const char *stem, const char *what, const char *unless, set_origin *origin, char *path,
                bil_set_totals *totals);

#endif
