/* A device at an address, its description found. */
#ifndef BIL_HOST_RUN_DEVICE_H
#define BIL_HOST_RUN_DEVICE_H

#include "bilancia/run.h"
#include "host/copy/files.h"
#include "host/describe/catalogue.h"
#include "host/run/links.h"
#include "host/run/login.h"
#include "host/run/secret.h"

typedef struct device {
    const char *text; /* the address as given */
    linked below;
    bil_link link; /* of it */
    bil_clock clock;
    const bil_description *description;
    bil_image image; /* identity after device_open; all values after a read */
    void *memory;
    file_store files; /* bytes of those that were read */
    uint64_t until_ms;
    login login;
    int connect_errno; /* after a device_open that failed: why the last connection did, 0 when it didn't */
} device;

/* Connects and finds the description by the identity that each one names. `from`: who gives what a device wants before
 * it tells who it is (NULL: nobody). On an error `why` says what was seen. `dev` stays where it is while it is open. */
int device_open(device *dev, const char *text, const catalogue *known, const secret_source *from, char *why,
                size_t why_size);
/* The same, looking first whether it is this model (NULL: no guess). */
int device_open_as(device *dev, const char *text, const char *model, const catalogue *known, const secret_source *from,
                   char *why, size_t why_size);
/* The same, over with this time, whatever answers (0: as long as the descriptions tried take). */
int device_open_within(device *dev, const char *text, const char *model, uint32_t within_ms, const catalogue *known,
                       const secret_source *from, char *why, size_t why_size);
/* The same over a link that is the caller's, and stays so. */
int device_open_over(device *dev, const char *text, bil_link link, bil_clock clock, const catalogue *known, char *why,
                     size_t why_size);
/* Who watches a read: asked after each action whether it is to end (BIL_E_CANCELLED); all zero: nobody. And who gives
 * what has to be unlocked for it. */
typedef struct read_watch {
    bool (*stop)(void *ctx, const bil_job_progress *progress);
    void *ctx;
    secret_source secrets;
    /* NULL, or told often while a file comes: how much of it is there. */
    void (*moving)(void *ctx, const char *id, uint64_t done, uint64_t all);
} read_watch;
/* Reads every value into the image. `counts` gets what it took, `verdict` is that of the job; both may be NULL. BIL_OK
 * (values that can't be read are marked so in the image), or why it ended. */
int device_read_all(device *dev, read_watch by, bil_job_progress *counts, bil_verdict *verdict);
/* Reads only what is chosen (host/describe/choice.h), and what tells who answers; the rest is absent afterwards. */
int device_read_chosen(device *dev, const char *choice, read_watch by, bil_job_progress *counts);
/* Why there is no such kept copy, and which there are. */
void device_keeps_no(const bil_description *d, unsigned copy, char *why, size_t size);
/* Reads what lies in a bank: what doesn't is absent afterwards; who the unit is stays. */
int device_read_bank(device *dev, const bil_bank *bank, read_watch by, bil_job_progress *counts);
/* Reads one parameter by itself into the image. */
int device_look(device *dev, uint16_t param);
void device_close(device *dev);

/* Does the device say that values in force aren't stored yet? False where its model can't tell. */
bool device_says_unstored(device *dev);
/* Does it say that all of them are? Not the opposite of the above: it may be storing, silent, or unable to tell. */
bool device_says_stored(device *dev);
/* Does it say that it isn't held? False where its model can't tell. */
bool device_says_let_go(device *dev);

/* For the hooks of a job (bil_run_hooks): where the bytes of its files go, and those that are written come from. */
bool device_bytes(device *dev, file_store *given, const bil_transfer *t, bil_bytes *bytes);

/* A new job in memory of its own, to be freed. `config` need not name kind, description and have. */
bil_job *device_job(device *dev, bil_job_kind kind, bil_job_config config);

#endif
