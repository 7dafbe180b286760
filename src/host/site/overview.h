/* The state of every device of a site. */
#ifndef BIL_HOST_SITE_OVERVIEW_H
#define BIL_HOST_SITE_OVERVIEW_H

#include <stdio.h>

#include "host/site/index.h"

/* X(NAME, "name", "mark", "text"), the ones to look at first first */
/* clang-format off */
#define OVERVIEW_STATES(X) \
    X(DISPUTED, "disputed", "!", "two places of the site disagree") \
    X(NO_ANSWER, "no_answer", "✗", "doesn't answer") \
    X(UNSTORED, "unstored", "!", "values not stored yet") \
    X(DRIFTED, "drifted", "≠", "differs from the baseline") \
    X(DAMAGED, "damaged", "✗", "the last copy is damaged") \
    X(NO_COPY, "no_copy", "○", "no copy yet") \
    X(NO_BASELINE, "no_baseline", "·", "no baseline marked") \
    X(WELL, "well", "✓", "as the baseline") \
    X(RETIRED, "retired", "–", "out of service")
/* clang-format on */

typedef enum overview_state {
#define OVERVIEW_ENUM(NAME, name, mark, text) OVERVIEW_##NAME,
    OVERVIEW_STATES(OVERVIEW_ENUM)
#undef OVERVIEW_ENUM
        OVERVIEW_STATE_COUNT
} overview_state;

const char *overview_state_name(overview_state state);
const char *overview_state_mark(overview_state state);
const char *overview_state_text(overview_state state);

typedef struct overview_row {
    char name[SITE_NAME], group[SITE_NAME], address[SET_TEXT], model[100], last[40], why[SET_TEXT], since[40];
    char folder[SITE_FOLDER];
    overview_state state;
    int drift; /* from the baseline; -1: not known */
    int copies;
} overview_row;

typedef struct overview {
    const site *place;
    overview_row *rows; /* what to look at first, first; then by group and name */
    size_t count, room;
    unsigned states[OVERVIEW_STATE_COUNT];
    int copies;
    int only_here;                          /* copies made since the last second copy of the site */
    char second[SET_TEXT], second_when[40]; /* where and when that was; "" where there is none */
} overview;

void overview_make(overview *o, site_index *index);
void overview_free(overview *o);

#endif
