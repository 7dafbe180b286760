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

/* Checks of the story that this goes on with, or that belong to what it is, have their reason in the record, too. */
void write_give_reasons(write_call *w)
{
    static const char *const names[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    if (!w->despite)
        w->despite = jn_object();
    for (int i = 0; i < BIL_CHECK_COUNT; i++)
        if (w->config.despite >> i & 1 && !json_object_get(w->despite, names[i]))
            jn_put(w->despite, names[i],
                   jn_string(w->config.kind == BIL_JOB_RESET ? "a reset brings what the maker chose"
                             : w->undoes                     ? "going back to what was there before"
                                                             : "as in the first record of this story"));
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
