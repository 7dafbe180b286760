/* Holding it, so that nothing moves while values change, and letting it go again. */
#include "machine.h"

enum { UNLOCKING, HOLDING, HELD };
enum { RELEASING, LETTING_GO, LOOKING, LET_GO };

static flow in(bil_job *job, uint8_t state)
{
    job->inner = state;
    return FLOW_ON;
}

/* Lets it go to the state in which it stood, or else to the first in which it stands: never does a release set a
 * machine in motion. */
const bil_procedure *bil_release_of(const bil_job *job)
{
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&job->expect, BIL_ID_HARDWARE, hardware, sizeof hardware);
    const bil_procedure *release = NULL;
    if (bil_stands(job, job->found) || job->description->state_idle == 0)
        release = bil_description_procedure(job->description, BIL_PROC_RELEASE, hardware, job->found);
    for (uint32_t state = 0; state < 32 && !release; state++)
        if (bil_stands(job, state))
            release = bil_description_procedure(job->description, BIL_PROC_RELEASE, hardware, state);
    return release;
}

/* May it be held as it is? It has to stand, or be at work in a way that the description knows. */
bool bil_may_be_held(const bil_job *job)
{
    return bil_release_of(job) &&
           (bil_stands(job, job->found) || job->description->state_idle == 0 || bil_procedure_of(job, BIL_PROC_START));
}

void bil_hold_start(bil_job *job, bool as_left)
{
    job->as_left = as_left;
    job->inner = UNLOCKING;
    bil_begin(job, bil_procedure_of(job, BIL_PROC_UNLOCK));
}

/* The record says to which state it has to go back. */
static flow unlock(bil_job *job, bil_action *action)
{
    flow f = bil_play(job, action, BIL_VERDICT_REFUSED);
    if (f != FLOW_DONE)
        return f;
    bool is_held = job->held || (job->left_held && job->as_left);
    const bil_procedure *how = is_held || job->unheld ? NULL : bil_procedure_of(job, BIL_PROC_HOLD);
    bil_begin(job, how);
    job->inner = HOLDING;
    if (!how)
        return FLOW_ON;
    bil_announce(job, action, BIL_EV_HOLDING);
    action->u.record.code = job->found;
    return FLOW_ACTION;
}

/* It may be held from the first step on, and is when the last one has come to its end. */
static flow hold(bil_job *job, bil_action *action)
{
    job->held = job->held || job->left_held || job->player.procedure;
    flow f = bil_play(job, action, BIL_VERDICT_REFUSED);
    if (f != FLOW_DONE)
        return f;
    /* Where it tells its state, that has to say so; else nobody can see when it is let go. */
    const saw *state = &job->saw[SAW_STATE];
    job->is_held = job->held && state->known && state->number == job->description->state_held;
    job->inner = HELD;
    return job->player.procedure ? bil_give_record(job, action, BIL_EV_HELD) : FLOW_DONE;
}

static flow step(bil_job *job, bil_action *action)
{
    return job->inner == UNLOCKING ? unlock(job, action) : job->inner == HOLDING ? hold(job, action) : FLOW_DONE;
}

flow bil_hold_run(bil_job *job, bil_action *action)
{
    return bil_steps(job, action, step);
}

void bil_hold_cancel(bil_job *job)
{
    const exchange *x = &job->exchange;
    uint16_t went_out = job->player.at;
    if (job->inner != HOLDING)
        return;
    if (x->tries + x->busy) /* the step at hand is being repeated */
        went_out++;
    for (uint16_t i = 0; i < went_out; i++)
        if (job->player.procedure->steps[i].kind <= BIL_STEP_SECRET)
            return; /* it may hold already */
    job->held = job->left_held;
}

static flow release(bil_job *job, bil_action *action)
{
    if (job->left_held || !job->held) {
        if (job->left_held && job->why.cause == BIL_OK)
            job->why.cause = BIL_E_LEFT_HELD;
        return FLOW_DONE;
    }
    job->is_held = false;
    bil_begin(job, bil_release_of(job));
    job->inner = LETTING_GO;
    return bil_give_record(job, action, BIL_EV_RELEASING);
}

/* Why the job stopped, if it did, is what the end says: letting it go must not hide that. */
static flow release_steps(bil_job *job, bil_action *action)
{
    const reason why = job->why;
    flow f = bil_player_run(job, action);
    if (f != FLOW_FAILED || (why.cause != BIL_OK && why.cause != BIL_E_RESTART_UNSEEN && !job->stranger))
        job->why = why;
    if (f == FLOW_ACTION)
        return f;
    job->let_go = f == FLOW_DONE;
    job->sure = false;
    bil_look_start(job);
    job->look.brief = true;
    return in(job, LOOKING);
}

/* Who was let go, or wouldn't be? If it was exchanged meanwhile, nothing is said of the one that is held. */
static flow let_go(bil_job *job, bil_action *action)
{
    const reason why = job->why;
    bool said = job->verdict != BIL_VERDICT_REFUSED && job->verdict != BIL_VERDICT_UNTOUCHED;
    flow f = job->stranger ? FLOW_FAILED : bil_look_run(job, action);
    if (f == FLOW_FAILED && said && (job->stranger || job->let_go))
        job->verdict = BIL_VERDICT_INCOMPLETE;
    else if (f == FLOW_FAILED || f == FLOW_ACTION)
        job->why = why;
    if (f == FLOW_ACTION)
        return f;
    job->inner = LET_GO;
    if (f == FLOW_FAILED || !job->let_go)
        return FLOW_DONE;
    job->why = why;
    job->held = false;
    return bil_give_record(job, action, BIL_EV_RELEASED);
}

flow bil_tidy_run(bil_job *job, bil_action *action, bil_proc_kind kind)
{
    const reason why = job->why;
    if (job->stranger)
        return FLOW_DONE;
    if (job->inner == 0) {
        job->sure = false;
        bil_player_start(job, bil_procedure_of(job, kind));
    }
    job->inner = 1;
    flow f = bil_player_run(job, action);
    if (f != FLOW_FAILED || why.cause != BIL_OK)
        job->why = why;
    return f == FLOW_ACTION ? f : FLOW_DONE;
}

flow bil_lock_run(bil_job *job, bil_action *action)
{
    return job->unlocked ? bil_tidy_run(job, action, BIL_PROC_LOCK) : FLOW_DONE;
}

flow bil_close(bil_job *job, bil_action *action, bil_verdict verdict)
{
    job->step = CLOSING;
    job->verdict = verdict;
    flow f = bil_lock_run(job, action);
    return f == FLOW_DONE ? bil_end(job, action) : f;
}

static flow release_step(bil_job *job, bil_action *action)
{
    switch (job->inner) {
    case RELEASING:
        return release(job, action);
    case LETTING_GO:
        return release_steps(job, action);
    case LOOKING:
        return let_go(job, action);
    default:
        return FLOW_DONE;
    }
}

flow bil_release_run(bil_job *job, bil_action *action)
{
    return bil_steps(job, action, release_step);
}
