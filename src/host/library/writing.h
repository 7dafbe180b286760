/* Inside the library: a write in progress, for those who begin one. */
#ifndef BIL_HOST_LIBRARY_WRITING_H
#define BIL_HOST_LIBRARY_WRITING_H

#include "host/base/json.h"
#include "host/library/inside.h"
#include "host/write/again.h"

struct bil_writing {
    write_call w;
    bil_host *host;
    bil_write_wish wish;
    keeper at;
    catalogue known; /* an own list: what a story was begun with goes first in it */
    char copy[STORAGE_PATH];
    again *again; /* the story that it goes on with; or NULL */
};

/* One with what is wished; where that makes no sense, it is to be ended all the same. */
int lib_writing_begin(bil_host *h, const bil_write_wish *wish, bil_job_kind kind, bil_writing **out);
/* An ending of a call that had nothing to do. */
bil_ending lib_nothing_done(const char *address);
/* Tells what it is about, before the engine does. */
void lib_doing(bil_writing *x, bil_write_phase phase);
int lib_writing_keep(bil_writing *x, const bil_device *dev);
/* The write itself, up to its ending. */
int lib_writing_run(bil_writing *x, bil_ending *ending);
/* What the engine asks, by the hooks of the wish. */
write_answers lib_answers(bil_writing *x);
/* Plays it on the unit that the program has for that: `ending` tells how that ended, and whether it `goes_on` to the
 * device. An error where there is no such unit. */
int lib_rehearse(bil_writing *x, bil_ending *ending, bool *goes_on);
void lib_writing_end(bil_writing *x);
/* The device is spoken to over one connection at a time: this one is closed, and opened again by the next read. */
void lib_let_line_go(bil_device *dev);
/* May that be filled in? NULL may. */
bool lib_is_ending(const bil_ending *ending);
/* Ends the call: gives back what it holds (`x` and `dev` may be NULL), and tells how it ended. */
int lib_writing_over(bil_host *h, bil_writing *x, bil_device *dev, int error, const bil_ending *ending,
                     bil_ending *out);

#endif
