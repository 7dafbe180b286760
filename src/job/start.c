/* Setting a machine to work again that a write stopped. A person asked for it; it has to stand as it was left. */
#include <string.h>

#include "machine.h"

enum { UNLOCKING = MEET_END, ANNOUNCED, STARTING, STARTED };

static flow refuse(bil_job *job, bil_action *action, bil_error cause)
{
    bil_failed(job, cause, BIL_NONE);
    return bil_close(job, action, BIL_VERDICT_REFUSED);
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
    if (!state->known || !bil_stands(job, state->number))
        return BIL_E_NOT_STANDING;
    if (bil_lacks_password(job))
        return BIL_E_NO_PASSWORD;
    return bil_procedure_of(job, BIL_PROC_START) ? BIL_OK : BIL_E_START;
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
        bil_player_start(job, bil_procedure_of(job, BIL_PROC_START));
        job->step = STARTING;
    }
    while (job->step != STARTED) {
        flow f = job->step < MEET_END ? bil_meet_run(job, action) : bil_player_run(job, action);
        if (f == FLOW_ACTION)
            return f;
        if (f == FLOW_FAILED)
            return bil_close(job, action, (bil_verdict)fails_as[job->step]);
        if (job->step >= UNLOCKING) {
            job->step++;
            return bil_give_record(job, action, job->step == ANNOUNCED ? BIL_EV_STARTING : BIL_EV_STARTED);
        }
        bil_watch_know(job);
        job->found = job->config.found;
        bil_error error = gate(job);
        if (error)
            return refuse(job, action, error);
        bil_player_start(job, bil_procedure_of(job, BIL_PROC_UNLOCK));
        job->step = UNLOCKING;
    }
    return bil_close(job, action, BIL_VERDICT_VERIFIED);
}
