#include "host/describe/doubt.h"

#include <stdio.h>

#define PROC_NAME(NAME, name, what) name,
static const char *const kinds[] = {BIL_PROCEDURES(PROC_NAME)};
#undef PROC_NAME

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

/* What it began, ended or unlocked shows when values are read; and whoever finds it open may look. */
static bool shows_elsewhere(const bil_procedure *p)
{
    return makes_it_restart(p) || p->kind == BIL_PROC_BEGIN || p->kind == BIL_PROC_COMMIT || p->kind == BIL_PROC_LOCK ||
           p->kind == BIL_PROC_ABORT || p->kind == BIL_PROC_UNLOCK_TO_READ;
}

static bool has(const bil_description *d, bil_proc_kind kind)
{
    for (uint16_t i = 0; i < d->procedure_count; i++)
        if (d->procedures[i].kind == kind)
            return true;
    return false;
}

/* Of all values that a write may have, those with one of these flags. */
static unsigned with_flag(const bil_description *d, unsigned flag)
{
    unsigned count = 0;
    for (uint16_t i = 0; i < d->count; i++)
        count += d->params[i].flags & flag && d->params[i].flags & BIL_WRITABLE &&
                 !bil_class_left_out((bil_class)d->params[i].cls);
    return count;
}

/* A procedure that isn't there, and what can't be done without it; NULL: nothing that is missed. */
static const char *lack(const bil_description *d, unsigned which)
{
    bool writes = with_flag(d, BIL_WRITABLE) > 0;
    switch (which) {
    case 0:
        return writes && !d->writes_last && !has(d, BIL_PROC_STORE)
                   ? "store is missing: what is written is gone after a power cut, and no write ends as verified "
                     "(unless the device keeps each value at once: writes_last)"
                   : NULL;
    case 1:
        return writes && !has(d, BIL_PROC_RESTART)
                   ? "restart is missing: that values last is proved only after it was switched off and on by hand "
                     "(--restart by-hand)"
                   : NULL;
    case 2:
        return with_flag(d, BIL_NEEDS_HOLD) && !(has(d, BIL_PROC_HOLD) && has(d, BIL_PROC_RELEASE))
                   ? "hold or release is missing: values that need hold are refused while it works"
                   : NULL;
    default:
        return writes && !has(d, BIL_PROC_FACTORY_RESET) ? "factory_reset is missing: reset can't be used" : NULL;
    }
}

bool description_doubt(const bil_description *d, unsigned i, char *out, size_t size)
{
    unsigned at = 0;
    bool restarts = false;
    for (uint16_t k = 0; k < d->procedure_count; k++) {
        const bil_procedure *p = &d->procedures[k];
        restarts = restarts || makes_it_restart(p);
        if (!shows_elsewhere(p) && shows_nothing(p) && at++ == i) {
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
    for (unsigned which = 0; which < 4; which++) {
        const char *text = lack(d, which);
        if (text && at++ == i) {
            snprintf(out, size, "%s", text);
            return true;
        }
    }
    return false;
}
