/* Decisions on what differs between a saved copy and a device: which of them wins, or a new value.
 *
 * A file of decisions is a JSON object:
 *   {"bilancia_decisions": 0, "decisions": [{"id": PATTERN, "wins": "device", "saved" or "value", "value": TEXT}, ...]}
 * In a pattern * and ? stand for anything; the first decision that fits a parameter counts. The format may change
 * freely until the first release. */
#ifndef BIL_HOST_LOOK_DECISIONS_H
#define BIL_HOST_LOOK_DECISIONS_H

#include <jansson.h>

#include "host/look/edit.h"

typedef enum winner { WINS_OPEN, WINS_DEVICE, WINS_SAVED, WINS_VALUE } winner;

typedef struct decision {
    winner wins;
    const char *value; /* of WINS_VALUE; borrowed from the list */
} decision;

/* A list of decisions: a JSON array as in the file. */
/* Adds "PATTERN=device", "PATTERN=saved" or "PATTERN=VALUE". BIL_E_CALL when it is none of these. */
int decisions_add_words(json_t *list, const char *words);
void decisions_add(json_t *list, const char *pattern, winner wins, const char *value);
/* Adds those of a file. BIL_E_FILE_OPEN, BIL_E_DECISIONS; `why` says what and where. */
int decisions_add_file(json_t *list, const char *path, char *why, size_t why_size);
decision decisions_find(const json_t *list, const char *id);

/* Writes a list as a new file; `path` tells where. */
int decisions_save(const json_t *list, const char *who, const char *saved, const char *against, const char *folder,
                   const char *name, char *path);

#endif
