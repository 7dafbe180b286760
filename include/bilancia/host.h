/* bilancia/host.h - the library for Linux: a program's handle, the descriptions at hand, what went wrong.
 *
 *     bil_host *host;
 *     if (bil_host_open(&host, NULL) == BIL_OK) {
 *         ...
 *         bil_host_close(host);    closes all that was opened with it
 *     }
 *
 * Errors are numbers (error.h, host_error.h); BIL_OK is 0. What a call that failed was about, and what was seen, stands
 * in the handle until its next call. Nothing here prints, asks at a terminal, ends the program or keeps memory between
 * calls beside its handles. When memory is short a call ends with BIL_E_MEMORY, and nothing half done stays.
 *
 * Structs that the caller fills in begin with struct_size: set it to sizeof the struct, and all else to zero but for
 * what is wanted. A shorter one of an older program is taken, and so is a longer one of a newer program that has zeros
 * behind what is known here; else BIL_E_BAD_CALL. Structs that the library gives may grow at their end.
 *
 * Texts are UTF-8. Paths and names given to a call needn't outlive it; texts that come back belong to the handle that
 * they were asked of, and stay good as long as that is open unless it is said otherwise.
 *
 * Handles closed twice, or used after they or their host were closed, are errors of the program; builds with BIL_DEBUG
 * stop at them. So are NULL where a manual wants a handle or a place for a result.
 *
 * Thread rules: a host and all that was opened with it belong to one thread at a time; different hosts know nothing of
 * each other and may be used by different threads at once. Calls that have hooks call them in the same
 * thread, unless it is said otherwise, and one at a time; a hook
 * may ask the handles that it is given, but neither begin another call with the same host (BIL_E_BAD_CALL) nor close.
 */
#ifndef BILANCIA_HOST_H
#define BILANCIA_HOST_H

#include "bilancia/description.h"
#include "bilancia/host_error.h"
#include "bilancia/link.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The program's handle. */
typedef struct bil_host bil_host;

/* What a program may say when it opens the library. */
typedef struct bil_host_config {
    size_t struct_size;
    /* Who acts: what copies, notes and records say, and what a site knows as the name of a person. NULL: the name of
     * the user that the program runs as. */
    const char *who;
    /* The folder of the site whose names mean devices and copies, and whose descriptions are at hand. NULL: the one
     * that the current folder lies in, if it does; "": none. */
    const char *site;
    /* A description in YAML that goes before all others of its model; or NULL. */
    const char *description;
    /* Told once for each thing that isn't as it should be and ends no call, such as a description of the site that
     * can't be read: its error, what it is about, what was seen. May be NULL. */
    void (*log)(void *ctx, int error, const char *what, const char *why);
    /* The memory of the library's own, as realloc: with size 0 it gives `memory` back. NULL: malloc and free. It may be
     * called by threads of the library, several at once. (What OpenSSL, SQLite, jansson and libyaml take is theirs.) */
    void *(*resize)(void *ctx, void *memory, size_t size);
    void *ctx; /* for all of them */
    /* The password or code without which a device shows no values, or takes none where a call has no hook of its own
     * for that: ended by a NUL, at most `size` bytes with it. First (`may_ask` false) one that is at hand already; then
     * what a person may be asked for. `where` is the address of the device; `which` the name of it in the description,
     * or "" for the first one as long as nobody is asked. With `may_ask` false it may be called by threads of the
     * library, one at a time. False, or NULL: there is none, and the device isn't read (BIL_E_NO_PASSWORD). */
    bool (*password)(void *ctx, const char *where, const char *which, bool may_ask, char *out, size_t size);
    /* A device wants its password before it tells who it is, over a link that doesn't prove that either: may whoever
     * is at this address and says this of itself be given it? `before` is what was said there when that was agreed to,
     * or "". True is remembered, for the person at this computer: bil_host_knows. False, or NULL: it isn't given
     * (BIL_E_NEW_THERE, BIL_E_OTHER_THERE). */
    bool (*trust)(void *ctx, const char *where, const char *says, const char *before);
} bil_host_config;

/* Opens the library for a program; `config` NULL: as usual. On an error *host is NULL where memory was short or the
 * call is wrong, else a handle that only tells what it was about, and is to be closed. BIL_E_YAML, BIL_E_NO_SITE,
 * BIL_E_SITE_FILE, BIL_E_CALL (a name that can't be one), BIL_E_MEMORY, BIL_E_BAD_CALL. */
int bil_host_open(bil_host **host, const bil_host_config *config);

/* Closes it with all that was opened with it. NULL does nothing. */
void bil_host_close(bil_host *host);

/* Of the last call that took this host, or a handle opened with it: the error; what it is about (a file, an address, a
 * name, or ""); what was seen (or ""); the folder of the site that it is about, where a site had a say that wasn't
 * named (or ""); and all of it as one line for a person. */
int bil_host_error(const bil_host *host);
const char *bil_host_what(const bil_host *host);
const char *bil_host_why(const bil_host *host);
const char *bil_host_of_site(const bil_host *host);
const char *bil_host_trouble(const bil_host *host);

/* Who acts, as given or found; "" where that can't be told. */
const char *bil_host_who(const bil_host *host);

/* Would this be taken as a note, a reason or a name: a line of printable text of less than 400 bytes? NULL would.
 * BIL_OK or BIL_E_CALL. */
int bil_host_takes(bil_host *host, const char *note);

/* What a text leads to. */
typedef enum bil_named {
    BIL_NAMED_FILE,  /* a file, whether it is there or not */
    BIL_NAMED_DEVICE /* a device, or a bank of one */
} bil_named;

/* What a text means here, as every call that takes a device or a copy understands it: a file or an address stays what
 * it is; DEVICE#COPY of the site is its file, and the name of a device its address. `where` is good until the next call
 * with the host. BIL_E_NO_DEVICE, BIL_E_NO_COPY, BIL_E_DISPUTED, BIL_E_SITE_BROKEN. */
int bil_host_named(bil_host *host, const char *text, bil_named *kind, const char **where);

/* The i-th of the descriptions at hand, counted from 0: those given, those of the site, those built in. NULL behind the
 * last one. A device is recognised by the first that fits it. */
const bil_description *bil_host_description(const bil_host *host, size_t i);

/* The file that the i-th was read from; "" for one that is built in, or a table of the program's; NULL behind the last.
 * Good until the host is closed. */
const char *bil_host_description_file(const bil_host *host, size_t i);

/* One more description in YAML, before all others. BIL_E_YAML: `why` says file, line and column; BIL_E_FILE_OPEN. */
int bil_host_add_description(bil_host *host, const char *path);

/* The same for a table of the program's own, which outlives the host and is looked at first (bil_description_check).
 * BIL_E_TABLE. */
int bil_host_add_table(bil_host *host, const bil_description *table);

/* The digest of all that a description says: 64 lower case hex digits and a NUL. */
int bil_host_digest(bil_host *host, const bil_description *description, char hex[65]);

/* Does another one at hand describe the same model in another way than the i-th does, and nobody has decided? Then
 * nothing is written by either. */
bool bil_host_disputed(const bil_host *host, size_t i);

/* Of two descriptions of one model that differ the one with this digest (six of its digits at least) counts in the
 * host's site, for the person at this computer. BIL_E_NO_SITE, BIL_E_CALL where no description at hand has it, or two.
 */
int bil_host_decide(bil_host *host, const char *digits, const bil_description **description);

/* Whoever says this of itself at this address, before it tells who it is, may be given its password from now on, by the
 * person at this computer: what `trust` of bil_host_config would ask. BIL_E_ADDRESS, BIL_E_CALL, BIL_E_FILE_WRITE,
 * BIL_E_DISK_FULL. */
int bil_host_knows(bil_host *host, const char *where, const char *says);

/* What is done with a device by a description, in requests. */
typedef struct bil_forecast {
    size_t struct_size;
    unsigned who_requests;                    /* to make sure who answers */
    unsigned read, read_requests;             /* values of a copy, and who answers among them */
    unsigned written, write_requests, stages; /* a write of every value, calibration too, in so many stages */
} bil_forecast;

/* The members that the caller's `struct_size` has are filled in. BIL_E_MEMORY, BIL_E_BAD_CALL. */
int bil_host_forecast(bil_host *host, const bil_description *description, bil_forecast *forecast);

/* Cells, or bits, that no parameter has: a row of them between those of two values. */
typedef struct bil_unused {
    uint8_t table; /* bil_cell_table (cells.h) */
    int16_t unit;  /* who answers there, as in bil_space */
    uint16_t first, last;
    bool across;   /* they may be read across */
    uint16_t next; /* where to go on */
} bil_unused;

/* The next row of them, by place: all zero before the first one, and then as the call before has left it. False behind
 * the last one. */
bool bil_host_unused(bil_host *host, const bil_description *description, bil_unused *row);

/* The i-th thing of a description, counted from 0, that can't be done, or not be proved, with a device, as a sentence;
 * "" behind the last one. Such a model can be read all the same. `text` has `size` bytes; 300 suffice. */
int bil_host_doubt(bil_host *host, const bil_description *description, unsigned i, char *text, size_t size);

#ifdef __cplusplus
}
#endif

#endif
