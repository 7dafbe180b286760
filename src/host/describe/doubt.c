#include "host/describe/doubt.h"

#include <stdio.h>

static const char *const kinds[BIL_PROC_COUNT] = {"unlock",  "hold",          "release", "store",
                                                  "restart", "factory_reset", "start"};

/* Is nothing read after its last command? Then a lost one can't be told from one that was carried out. */
static bool shows_nothing(const bil_procedure *p)
{
    bool open = false;
    for (uint16_t i = 0; i < p->step_count; i++) {
        open = open || p->steps[i].kind == BIL_STEP_WRITE || p->steps[i].kind == BIL_STEP_SECRET;
        open = open && p->steps[i].kind != BIL_STEP_UNTIL;
    }
    return open;
}

static bool makes_it_restart(const bil_procedure *p)
{
    return p->kind == BIL_PROC_RESTART || p->kind == BIL_PROC_FACTORY_RESET;
}

bool description_doubt(const bil_description *d, unsigned i, char *out, size_t size)
{
    unsigned at = 0;
    bool restarts = false;
    for (uint16_t k = 0; k < d->procedure_count; k++) {
        const bil_procedure *p = &d->procedures[k];
        restarts = restarts || makes_it_restart(p);
        if (!makes_it_restart(p) && shows_nothing(p) && at++ == i) {
            snprintf(out, size,
                     "%s: nothing is read after its last command (until), so that a lost one can't be told from one "
                     "that was carried out",
                     kinds[p->kind]);
            return true;
        }
    }
    bool shown = d->starts != BIL_NONE || d->uptime != BIL_NONE || d->restart_ends_hold || d->restart_absent_ms;
    if (restarts && !shown && at++ == i) {
        snprintf(out, size,
                 "restart: nothing shows that it happened (restart_shows), so that no write ends as verified");
        return true;
    }
    if (d->identity[BIL_ID_SERIAL] == BIL_NONE && !d->unit_same_count && at++ == i) {
        snprintf(out, size, "nothing tells one unit from another (serial, or unit_shows: same)");
        return true;
    }
    return false;
}
