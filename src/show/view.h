/* Ways to show findings: on a terminal or as text, as JSON, as CSV, as a page. Each is told the beginning, each
 * finding, and the end; all can look at the same findings at once. */
#ifndef BIL_SHOW_VIEW_H
#define BIL_SHOW_VIEW_H

#include "host/look/finding.h"
#include "host/look/lines.h"
#include "show/channels.h"
#include "show/values.h"

typedef struct view view;

typedef struct view_ops {
    void (*begin)(view *v, const findings *f);
    void (*row)(view *v, const findings *f, const finding *one);
    /* False when something couldn't be written; errno says why. */
    bool (*end)(view *v, const findings *f);
} view_ops;

struct view {
    const view_ops *ops;
    screen screen;
    bool all; /* equal parameters too */
    /* own */
    char group[BIL_ID_MAX + 1];
    long heading; /* where the counts of the group go; 0: nothing of it is shown yet */
    bool any;
    value_table values;
    channels channels; /* that wait for the last of them */
    bool failed;
    FILE *rows, *sheet; /* what comes behind the rest */
    unsigned sheet_rows;
    bool sheet_cut;
    void *list; /* of the groups */
    size_t groups;
    char title[SET_TEXT + 40];
};

enum { SHEET_MOST = BIL_PARAMS_MAX }; /* rows that a page shows of all values; no description has more */

view view_text(screen l, bool all);
view view_json(FILE *out, bool all);
view view_json_copy(FILE *out); /* one copy, as it is */

/* A kind of file in which findings are reported. It is listed by being defined in a file of this folder. */
typedef struct report_kind {
    const char *ending;                /* of the file: ".csv" */
    view (*make)(FILE *out, bool all); /* `all`: equal values, too */
    uint32_t most; /* values up to which equal ones are shown: more are of no use to anybody there; 0: no limit */
} report_kind;
/* All of them, ended by NULL, and the one for a file of this name, or NULL. */
extern const report_kind *const report_kinds[];
const report_kind *report_kind_of(const char *path);

/* "Left" and "Right" of two sides, "A", "B" ... of more, "Value" of one. */
const char *side_label(const findings *f, size_t which);
/* What a side is, in a line: "device now crusher", and who it is: "Esempio ED-30, firmware 2.4.1, ...". */
void side_line(const side *s, char *what, size_t what_size, char *who, size_t who_size);
/* For bits that differ: which are set on one side only; "" for everything else. */
void bits_text(const findings *f, const finding *one, char *out, size_t size);
/* For two files that are short texts and differ: each line that only one of them has; nothing for everything else. */
void file_lines(const findings *f, const finding *one, lines_tell *tell, void *ctx);
/* Such a line as it is shown: tabs as blanks, and of a very long one the beginning, whole characters. */
enum { LINE_TEXT = 1000 };
void line_text(const char *text, size_t length, char out[LINE_TEXT]);

#endif
