/* Groups that are all alike but for their number, as one table: a line for each of them, a column for each value. */
#ifndef BIL_SHOW_CHANNELS_H
#define BIL_SHOW_CHANNELS_H

#include <stdio.h>

#include "show/columns.h"

typedef struct channel_value {
    char *id, *name, *text; /* all of it its own; `id` is the whole one */
    const char *mark;       /* as value_row has it */
} channel_value;

/* Groups of one name that follow each other, and their values. All zero at first. */
typedef struct channels {
    char name[64];
    channel_value *values;
    size_t count, room;
} channels;

/* Does this group go on with those that are collected, or begin such ones? "channel_12" does, "tank" doesn't, nor does
 * anything where there are as many values as a description can have. */
bool channels_goes_on(const channels *c, const char *group);
/* False: there is no memory for it. */
bool channels_add(channels *c, const char *group, const channel_value *value);
/* Do they make a table on this screen: at least two groups of at most 24 values each, and no value as wide as that? */
bool channels_make_a_table(const channels *c, const screen *l);
/* Writes it, in as many parts beside each other as the screen has room for; forgets them. False: it couldn't. */
bool channels_put(channels *c, const screen *l, FILE *out);
void channels_forget(channels *c);

#endif
