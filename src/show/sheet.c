#include "show/sheet.h"

#include "host/library/seen.h"
#include "port/storage.h"
#include "show/view.h"

enum { SHEET_WIDTH = 100 };

int sheet_write(bil_look *look, FILE *out)
{
    findings *f = lib_look_findings(look);
    finding one;
    side_collect_left_out(&f->sides[0]);
    view v = view_text((screen){out, SHEET_WIDTH, false, true}, true);
    v.ops->begin(&v, f);
    while (findings_next(f, &one) == 1)
        v.ops->row(&v, f, &one);
    return v.ops->end(&v, f) ? f->error : storage_error();
}
