/* Setting a machine to work again that a write stopped. A person asked for it; it has to stand as it was left. */
#include <string.h>

#include "machine.h"

enum { UNLOCKING = MEET_END, ANNOUNCED, STARTING, STARTED };

static flow end(bil_job *job, bil_action *action, bil_verdict verdict)
{
    job->verdict = verdict;
    return bil_end(job, action);
}

static flow refuse(bil_job *job, bil_action *action, bil_error cause)
{
    bil_failed(job, cause, BIL_NONE);
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

/* What each step of it means when it fails. */
static const uint8_t fails_as[] = {BIL_VERDICT_UNTOUCHED, BIL_VERDICT_UNTOUCHED, BIL_VERDICT_UNTOUCHED,
                                   BIL_VERDICT_REFUSED,   BIL_VERDICT_REFUSED,   BIL_VERDICT_INCOMPLETE};

flow bil_start_run(bil_job *job, bil_action *action)
{
    if (job->step == ANNOUNCED) {
        if (job->result->outcome != BIL_DONE)
            return refuse(job, action, BIL_E_RECORD);
        job->sure = false; /* still this unit? */
        bil_player_start(job, procedure(job, BIL_PROC_START));
        job->step = STARTING;
    }
    while (job->step != STARTED) {
        flow f = job->step < MEET_END ? bil_meet_run(job, action) : bil_player_run(job, action);
        if (f == FLOW_ACTION)
            return f;
        if (f == FLOW_FAILED)
            return end(job, action, (bil_verdict)fails_as[job->step]);
        if (job->step >= UNLOCKING) {
            job->step++;
            return bil_give_record(job, action, job->step == ANNOUNCED ? BIL_EV_STARTING : BIL_EV_STARTED);
        }
        bil_error error = gate(job);
        if (error)
            return refuse(job, action, error);
        bil_watch_know(job);
        bil_player_start(job, procedure(job, BIL_PROC_UNLOCK));
        job->step = UNLOCKING;
    }
    return end(job, action, BIL_VERDICT_VERIFIED);
}
