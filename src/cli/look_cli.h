/* What the commands share that look at values. */
#ifndef BIL_CLI_LOOK_CLI_H
#define BIL_CLI_LOOK_CLI_H

#include "bilancia/look.h"
#include "cli/library.h"
#include "show/looking.h"

typedef struct filter_words {
    char *group, *match, *cls;
    int safety;
} filter_words;

#define FILTER_OPTIONS(f)                                                                                              \
    {"group", 'g', POPT_ARG_STRING, &(f).group, 0, "this group of parameters alone", "GROUP"},                         \
        {"match",  'm', POPT_ARG_STRING, &(f).match, 0, "parameters whose id fits alone: * and ? stand for anything",  \
         "PATTERN"},                                                                                                   \
        {"class", 0, POPT_ARG_STRING, &(f).cls, 0, "setup, place, calibration or unit alone", "CLASS"},                \
    {                                                                                                                  \
        "safety", 0, POPT_ARG_NONE, &(f).safety, 0, "safety-relevant ones alone", NULL                                 \
    }
/* Are any given? */
bool filter_is_given(const filter_words *words);
/* What the words wish, with a progress line. -1, or the exit code; then it was said. */
int look_wish_of(const filter_words *words, bil_look_wish *wish);

/* Tells what is found between the sides, in the words of the command. The exit code: equal, different, or what went
 * wrong. */
int look_at(library *l, showing *s, const char *const *sides, size_t count, bil_look_wish *wish);
/* The same of what was opened; it is closed. */
int look_through(showing *s, bil_look *look, size_t count);

/* Is this the name of a report, or none? -1, or the exit code. */
int report_wanted(const char *path);

/* For a wish: the progress line of a read; never ends it. */
bool progress_of_reading(void *ctx, const bil_job_progress *progress);

#endif
