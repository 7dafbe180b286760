/* bilancia/settle.h - deciding what counts where a saved copy and a device (or another copy) differ.
 *
 * Each value that differs is decided: by a list, by a file of decisions, by a rest, or by whoever is asked. What comes
 * of it is the saved copy with other values in memory, to be saved as a new one; nothing is sent to the device.
 *
 * A file of decisions is a JSON object:
 *   {"bilancia_decisions": 0, "decisions": [{"id": PATTERN, "wins": "device", "saved" or "value", "value": TEXT}, ...]}
 * In a pattern * and ? stand for anything; the first decision that fits a value counts. The format may change freely
 * until the first release.
 *
 * Thread rules: as host.h. */
#ifndef BILANCIA_SETTLE_H
#define BILANCIA_SETTLE_H

#include "bilancia/look.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What was settled; see host.h for handles. */
typedef struct bil_settling bil_settling;

/* Which side wins. */
typedef enum bil_winner {
    BIL_WINS_OPEN, /* that isn't decided */
    BIL_WINS_DEVICE,
    BIL_WINS_SAVED,
    BIL_WINS_VALUE, /* neither: a new value */
    BIL_WINNER_COUNT
} bil_winner;

/* What is settled, and how. Texts and lists needn't outlive the call. */
typedef struct bil_settle_wish {
    size_t struct_size;
    const bil_look_wish *look;    /* what it is about; NULL: everything that differs */
    const char *const *decisions; /* each "PATTERN=device", "PATTERN=saved" or "PATTERN=VALUE" */
    size_t decision_count;
    const char *file; /* more of them, or NULL */
    bil_winner rest;  /* of what these don't decide: DEVICE, SAVED, or OPEN */
    /* Where nobody decided: for VALUE the value goes into `value`. `rest` may be set, for all that follow. OPEN ends it
     * (BIL_E_DECLINED). May be NULL: BIL_E_PERSON. It may ask the settling, and call bil_copy_try with its copy. */
    bil_winner (*ask)(void *ctx, bil_settling *s, const bil_finding *one, bil_winner *rest, char *value, size_t size);
    void *ctx;
} bil_settle_wish;

/* Settles what differs between two sides, named as in look.h; the first one is a saved copy. BIL_E_CALL,
 * BIL_E_DECISIONS, BIL_E_DECLINED, BIL_E_PERSON, BIL_E_UNREADABLE (a value that the device didn't give can't win), or
 * as bil_copy_open, bil_look_open and bil_copy_set. On an error *out is NULL. */
int bil_settle(bil_host *host, const char *saved, const char *device, const bil_settle_wish *wish, bil_settling **out);

/* NULL does nothing. */
void bil_settling_close(bil_settling *s);

/* The copy as it was settled: bil_copy_save makes a new one of it. It belongs to the settling. */
bil_copy *bil_settling_copy(bil_settling *s);

/* The two sides beside each other, for bil_look_text and its like. It belongs to the settling. */
const bil_look *bil_settling_look(const bil_settling *s);

/* How many values this side won. */
unsigned bil_settling_count(const bil_settling *s, bil_winner winner);

/* A new table (RFC 4180) with the columns id, value and unit of what the device has in another way than settled; how
 * many these are comes back by pointer. BIL_E_FILE_WRITE, BIL_E_DISK_FULL, BIL_E_FILE_EXISTS. */
int bil_settling_list(bil_settling *s, const char *path, unsigned *values);

/* What was decided, as a new file of decisions. Errors as bil_settling_list. */
int bil_settling_record(bil_settling *s, const char *path);

/* Keeps what was decided with the device in the site that its copy is of; where it is of none, nothing is done. */
int bil_settling_note(bil_settling *s);

#ifdef __cplusplus
}
#endif

#endif
