/* Setting a machine to work again that a write stopped. A person asked for it; it has to stand as it was left. */
#include <string.h>

#include "machine.h"

enum { CONNECT, CONNECTED, IDENTIFYING, UNLOCKING, ANNOUNCED, STARTING, STARTED, OVER };

static flow end(bil_job *job, bil_action *action, bil_verdict verdict)
{
    job->phase = OVER;
    job->over = true;
    memset(&action->u.end, 0, sizeof action->u.end);
    action->u.end.verdict = verdict;
    action->u.end.cause = job->why.cause;
    action->u.end.param = job->why.param;
    action->u.end.other = BIL_NONE;
    action->u.end.code = job->why.code;
    return bil_give(job, action, BIL_ACT_END);
}

static flow refuse(bil_job *job, bil_action *action, bil_error cause, uint16_t param)
{
    bil_failed(job, cause, param);
    return end(job, action, BIL_VERDICT_REFUSED);
}

static const bil_procedure *procedure(const bil_job *job, bil_proc_kind kind)
{
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(job->config.have, BIL_ID_HARDWARE, hardware, sizeof hardware);
    return bil_description_procedure(job->description, kind, hardware, job->config.found);
}

/* The unit that was written, and it stands. */
static bil_error gate(const bil_job *job)
{
    char text[BIL_VALUE_TEXT];
    const saw *state = &job->saw[SAW_STATE];
    bil_error error = bil_check_model(job, job->config.have);
    if (error)
        return error;
    bil_image_identity(job->config.have, BIL_ID_SERIAL, text, sizeof text);
    if (strcmp(text, job->config.serial) != 0)
        return BIL_E_OTHER_UNIT;
    if (!state->known || state->number >= 32 || !(job->description->state_idle >> state->number & 1))
        return BIL_E_NOT_STANDING;
    bil_image_identity(job->config.have, BIL_ID_HARDWARE, text, sizeof text);
    if (bil_needs_password(job, text) && !job->config.has_password)
        return BIL_E_NO_PASSWORD;
    return procedure(job, BIL_PROC_START) ? BIL_OK : BIL_E_START;
}

flow bil_start_run(bil_job *job, bil_action *action)
{
    flow f;
    bil_error error;
    for (;;)
        switch (job->phase) {
        case CONNECT:
            job->phase = CONNECTED;
            job->unit = job->config.unit;
            return bil_give_connect(job, action, CONNECT_MS);
        case CONNECTED:
            if (!bil_connected(job))
                return refuse(job, action, job->why.cause, BIL_NONE);
            job->phase = IDENTIFYING;
            continue;
        case IDENTIFYING:
            f = bil_look_run(job, action);
            if (f == FLOW_ACTION)
                return f;
            if (f == FLOW_FAILED)
                return end(job, action, BIL_VERDICT_UNTOUCHED);
            error = gate(job);
            if (error)
                return refuse(job, action, error, BIL_NONE);
            bil_watch_know(job);
            bil_player_start(job, procedure(job, BIL_PROC_UNLOCK));
            job->phase = UNLOCKING;
            continue;
        case UNLOCKING:
            f = bil_player_run(job, action);
            if (f == FLOW_ACTION)
                return f;
            if (f == FLOW_FAILED)
                return end(job, action, BIL_VERDICT_REFUSED);
            job->phase = ANNOUNCED;
            return bil_give_record(job, action, BIL_EV_STARTING);
        case ANNOUNCED:
            if (job->result->outcome != BIL_DONE)
                return refuse(job, action, BIL_E_RECORD, BIL_NONE);
            job->sure = false; /* still this unit? */
            bil_player_start(job, procedure(job, BIL_PROC_START));
            job->phase = STARTING;
            continue;
        case STARTING:
            f = bil_player_run(job, action);
            if (f == FLOW_ACTION)
                return f;
            if (f == FLOW_FAILED)
                return end(job, action, BIL_VERDICT_INCOMPLETE);
            job->phase = STARTED;
            return bil_give_record(job, action, BIL_EV_STARTED);
        default:
            return end(job, action, BIL_VERDICT_VERIFIED);
        }
}
