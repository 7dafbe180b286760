/* What the commands share that look at values: sides, filters, reports, long output. */
#ifndef BIL_CLI_LOOK_CLI_H
#define BIL_CLI_LOOK_CLI_H

#include "cli/site_cli.h"
#include "show/view.h"

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
/* The filter that the words make. BIL_OK or an error that was said. */
int filter_of(const filter_words *words, finding_filter *filter);

/* Opens what somebody named as sides: files, devices, names of the site, "factory". -1, or the exit code; then nothing
 * is open. */
int sides_open(side *sides, const char *const *texts, size_t count, const catalogue *m, const char *site_given);
void sides_close(side *sides, size_t count);
/* Refuses sides of different models. */
int sides_fit(const side *sides, size_t count);

/* Tells `shown` (and, when given, a report) what is found. The exit code: equal, different, or what went wrong. */
typedef struct showing {
    findings found;
    bool json, all;
    const char *report; /* a file to make: .html, .csv, .txt; NULL: none */
} showing;
int show_findings(showing *s, side *sides, size_t count, const finding_filter *filter);

/* Is this the name of a report? Else it was said what is wanted. */
bool report_is_good(const char *path);

/* Writes what stands in a temporary file to standard output; through a pager when that is a terminal with fewer lines
 * than it has. */
void say_spooled(FILE *spool);

#endif
