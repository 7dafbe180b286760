/* The screen of the tool: its colours and width, messages about trouble, and a line that tells how far a job is. */
#ifndef BIL_SHOW_SCREEN_H
#define BIL_SHOW_SCREEN_H

#include "bilancia/image.h"
#include "show/columns.h"
#include "show/terminal.h"

bool use_colour(FILE *file);
const char *bold(void);
const char *good(void);
const char *bad(void);
const char *warn(void);
const char *plain(void);

/* Standard output: its colours, and the width of the terminal, 80 where there is none. */
screen the_screen(void);
size_t screen_width(void);

/* Words on lines of the screen's width, each begun with so many blanks. */
void put_wrapped(FILE *out, const char *text, int indent);

/* The value of a parameter with its unit. */
void param_text(const bil_image *image, uint16_t index, char *out, size_t size);

/* The options of the command that runs, as advice_for takes them; they outlive it. */
void advise_with(const char *const *options);

/* "bilancia: what: why" and what to do now, on stderr; `what` in red where it is `grave`. Without `why` the text of
 * the error stands there. */
void tell_trouble(bool grave, const char *what, int error, const char *why);

/* A progress line on stderr, when that is a terminal: "Reading: 23 of 60 values, 2 requests, about 3 minutes left".
 * `what` outlives it; `total` 0: that isn't known; `requests` 0: they aren't told. */
void progress_line(const char *what, const char *of, uint32_t done, uint32_t total, uint32_t requests);
/* The same of one file, at most a few times a second: what happens with it, and how far that is. `all` 0: not known. */
void progress_file(const char *what, const char *id, uint64_t done, uint64_t all);
void progress_clear(void);

#endif
