/* Many devices at once: each line has one owner, who takes its devices in turn; lines are read beside each other. */
#ifndef BIL_HOST_SITE_FLEET_H
#define BIL_HOST_SITE_FLEET_H

#include <stdatomic.h>

#include "host/run/device.h"
#include "host/site/index.h"

/* How the read of one device ended. */
typedef enum fleet_end {
    FLEET_SAVED,     /* a new copy */
    FLEET_SAME,      /* read, and the values are those of the last copy: nothing was saved */
    FLEET_UNCHANGED, /* the device's own counter says that nothing changed: nothing was read */
    FLEET_PARTLY,    /* a new copy, with values that could not be read */
    FLEET_FAILED     /* see `error` and `why` */
} fleet_end;

const char *fleet_end_name(fleet_end end);

typedef struct fleet_task {
    /* what is wanted; texts outlive the run */
    const char *name, *folder, *address;
    const char *model;            /* expected, or "" */
    char last_path[STORAGE_PATH]; /* of the last copy, or "" */
    char last_digest[65], last_values[65], last_serial[100], last_model[100];
    bool only_changed;
    bool said_held;   /* a job left it held, as far as is known: it is asked whether it is */
    unsigned highest; /* number of a copy of it */
    /* how it ended */
    fleet_end end;
    int error;
    char why[300];
    bool opened;       /* there was a connection, and it was known who answers */
    int connect_errno; /* of the try, where there was none */
    char path[STORAGE_PATH];
    set_origin *origin; /* of what was read; NULL when nothing was */
    bool unstored, let_go;
    char values_now[65]; /* values digest of what was read; "" where not all was */
    bool has_starts;     /* and its counter of starts */
    uint32_t starts;
    unsigned values, unreadable, requests;
    /* inside */
    char line[ADDRESS_TEXT];
} fleet_task;

typedef struct fleet_orders {
    const site *site;
    const catalogue *models;
    const char *who, *why;
    unsigned at_once;       /* lines read beside each other; 0: as many as is sensible */
    const atomic_int *stop; /* not NULL: no new device is begun once this is true */
    secret_source secrets;  /* what is at hand; nobody is asked */
    /* After each device, one call at a time. */
    void (*done)(void *ctx, const fleet_task *task, size_t finished, size_t count);
    void *ctx;
} fleet_orders;

/* Reads them all. Each copy is saved as soon as it is whole. */
void fleet_read(const fleet_orders *orders, fleet_task *tasks, size_t count);

/* Notes what a read told about the device beside its values, where that is news; `owner` is its row before the read,
 * `why` what is to be said where it failed. BIL_OK, or the error of the note. */
int fleet_note(const site *place, const device_row *owner, const fleet_task *task, const char *why, const char *who);
/* Notes the proof of an earlier write, where this read is one (standing_seen). */
int fleet_seen(site_index *index, const device_row *owner, const fleet_task *task, const char *who);
/* Both, of one device that was read and saved just now: it answers. BIL_OK, or the error of a note. */
int fleet_saved(site_index *index, const device_row *owner, const bil_image *image, const bil_set_totals *totals,
                bool unstored, bool let_go, const char *who);
/* Frees what a task holds. */
void fleet_task_free(fleet_task *task);

#endif
