#include "show/sheet.h"

#include <stdlib.h>

#include "show/need.h"
#include "show/view.h"

enum { SHEET_WIDTH = 100 };

int sheet_write(const char *copy, const catalogue *m, FILE *out, char *why, size_t size)
{
    side *s = need(1, sizeof *s);
    findings *f = need(1, sizeof *f);
    side_parse(s, copy);
    int error = side_open(s, m, NULL, why, size);
    if (!error) {
        finding one;
        side_collect_left_out(s);
        findings_begin(f, s, 1, &(finding_filter){0}, false);
        view v = view_text((screen){out, SHEET_WIDTH, false}, true);
        v.ops->begin(&v, f);
        while (findings_next(f, &one) == 1)
            v.ops->row(&v, f, &one);
        error = v.ops->end(&v, f) ? f->error : storage_error();
        snprintf(why, size, "%s", f->error ? side_why(s) : bil_host_error_text(error));
        side_close(s);
    }
    free(f);
    free(s);
    return error;
}
