/* What a person or a program sees of devices and copies side by side, and the reports made of it. */
#ifndef BIL_SHOW_LOOKING_H
#define BIL_SHOW_LOOKING_H

#include "bilancia/look.h"

typedef struct showing {
    bool json, all;
    bool as_copy;       /* JSON of one copy: whole, with what it says of its unit */
    const char *report; /* a file to make: .html, .csv, .txt; NULL: none */
    /* what went wrong: what it is about, and why, "" where the error says it all */
    char what[4200], why[300];
} showing;

/* Tells on standard output (and, when wished, in a report) what is found. BIL_OK, or an error: `what` is about a file
 * that couldn't be written, or the wish that nothing fits. */
int show_look(showing *s, bil_look *look);

/* Is this the name of a report? Else `why` says which there are. */
bool report_is_good(const char *path, char *why, size_t why_size);

#endif
