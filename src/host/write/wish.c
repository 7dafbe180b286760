/* What a write may be told, checked before anything else happens. */
#include <jansson.h>
#include <string.h>
#include <unistd.h>

#include "host/base/json.h"
#include "host/base/person.h"
#include "host/write/inside.h"

int write_check_call(write_call *w)
{
    const char *copy = w->copy, *where = w->keep.address;
    bool is_device = w->link.ops || address_is_device(where);
    if (w->config.kind == BIL_JOB_RESET && !is_device)
        return write_fail(w, where, BIL_E_CALL, "a device address, or the name of a device of the site, is wanted");
    if (w->config.kind != BIL_JOB_RESET && (address_is_device(copy) || !is_device))
        return write_fail(w, "", BIL_E_CALL, "write takes a saved copy and then one device address");
    if (!note_is_good(w->who) || !note_is_good(w->why))
        return write_fail(w, "", BIL_E_CALL, NOTE_WANTED);
    if (access(w->keep.records, W_OK | X_OK) != 0)
        return write_fail(w, w->keep.records, BIL_E_FILE_WRITE, NULL);
    return BIL_OK;
}

/* Those of the job by their number, then those of the site and of the people. */
static const char *const checks[] = {
#define CHECK_NAME(NAME, name, what) name,
    BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
        "changed",
    "card", "turn", "at-work", "signature"};

static bool is_reason(const char *why)
{
    return strlen(why) > 2 && note_is_good(why);
}

bool write_set_aside(write_call *w, const char *check, size_t length, const char *why)
{
    size_t i = 0, count = sizeof checks / sizeof checks[0];
    while (i < count && !(strlen(checks[i]) == length && memcmp(checks[i], check, length) == 0))
        i++;
    if (i == count || !is_reason(why))
        return false;
    if (i < BIL_CHECK_COUNT)
        w->config.despite |= UINT32_C(1) << i;
    jn_put(w->despite, checks[i], jn_string(why));
    return true;
}

bool write_leave_value(write_call *w, const char *id, size_t length, const char *why)
{
    char own[BIL_ID_MAX + 1];
    if (length == 0 || length > BIL_ID_MAX || !is_reason(why))
        return false;
    snprintf(own, sizeof own, "%.*s", (int)length, id);
    jn_put(w->without, own, jn_string(why));
    return true;
}

/* Checks of the story that this goes on with, or that belong to what it is, have their reason in the record, too. */
void write_give_reasons(write_call *w)
{
    if (!w->despite)
        w->despite = jn_object();
    for (int i = 0; i < BIL_CHECK_COUNT; i++)
        if (w->config.despite >> i & 1 && !json_object_get(w->despite, checks[i]))
            jn_put(w->despite, checks[i],
                   jn_string(w->config.kind == BIL_JOB_RESET ? "a reset brings what the maker chose"
                             : w->undoes                     ? "going back to what was there before"
                                                             : "as in the first record of this story"));
}

/* Unless a person asked for a restart, a machine that is at work goes on, and single values never stop one that need
 * not stop. A unit that is rebuilt has its proof. */
void write_take_pace(write_call *w)
{
    bil_job_config *c = &w->config;
    bool restores = c->kind == BIL_JOB_WRITE && (!c->purpose_given || c->purpose == BIL_RESTORE);
    if (w->prove)
        c->restart = BIL_RESTART_NOW;
    c->goes_on = restores && !w->restart_asked && !w->prove && (c->goes_on || w->sets);
    c->goes_on_at_work = restores && !w->restart_asked && !w->prove;
}

int write_take_restart(write_call *w)
{
    enum { IDLE_MS = 12 * 3600000 };
    bil_restart restart = w->config.restart;
    if (restart == BIL_RESTART_IDLE && w->dev.description->state_idle == 0)
        return write_fail(w, "", BIL_E_CALL,
                          "the description doesn't say in which states the machine stands by itself: it can't wait for "
                          "that with the restart");
    if (restart == BIL_RESTART_BY_HAND && !w->answers.person_there)
        return write_fail(w, "", BIL_E_PERSON, "nobody is there who could switch it off and on");
    if (restart == BIL_RESTART_IDLE || restart == BIL_RESTART_AT)
        w->config.restart_ms =
            w->dev.clock.ops->now_ms(w->dev.clock.ctx) + (w->restart_in_ms ? w->restart_in_ms : (uint64_t)IDLE_MS);
    return BIL_OK;
}
