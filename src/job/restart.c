/* Making values last, and the restart that proves it: at once, when the machine stands, at a time, or by hand. */
#include "machine.h"

enum {
    STORE,
    STORING,
    CHOOSING,
    LETTING_WORK,
    WORKS,
    WAITING,
    WAITED,
    HOLDING,
    NOW,
    BEFORE,
    RESTARTING,
    BY_HAND,
    SWITCHED,
    COMING_BACK,
    RESETTING,
    WHO,
    HOLDING_AGAIN,
    OVER
};

static flow store(bil_job *job, bil_action *action)
{
    const bil_procedure *how = bil_procedure_of(job, BIL_PROC_STORE);
#ifdef BIL_TEST_WITHOUT_STORE /* a test builds this to see that the proof notices */
    bil_player_start(job, NULL);
#else
    bil_begin(job, how);
#endif
    job->step = STORING;
    return how ? bil_announce(job, action, BIL_EV_STORING) : FLOW_ON;
}

static flow store_steps(bil_job *job, bil_action *action)
{
    bool has = bil_procedure_of(job, BIL_PROC_STORE) != NULL;
    job->wrote = job->wrote || has; /* from here on the stored values are touched, even where nothing differed */
    flow f = bil_play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    job->step = CHOOSING;
    job->stored = has;
    return has ? bil_give_record(job, action, BIL_EV_STORED) : FLOW_ON;
}

static flow restart(bil_job *job)
{
    bool tells = job->description->stored_values == BIL_STORED_BY_RESTART;
    bil_restart when = job->config.restart;
    if (job->between)
        return on(job, NOW);
    if (when == BIL_RESTART_NEVER || !tells ||
        (when != BIL_RESTART_BY_HAND && !bil_procedure_of(job, BIL_PROC_RESTART)))
        return FLOW_DONE;
    bool waits = when == BIL_RESTART_AT || (when == BIL_RESTART_IDLE && job->description->state != BIL_NONE);
    if (!waits || job->left_held)
        return on(job, NOW);
    job->is_held = false;
    bil_begin(job, job->held ? bil_release_of(job) : NULL);
    return on(job, LETTING_WORK);
}

/* The wanted values are in force and stored: until its restart the device may work with them, when somebody starts it.
 */
static flow let_work(bil_job *job, bil_action *action)
{
    flow f = bil_play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    job->sure = false;
    bil_look_start(job);
    job->look.brief = true;
    return on(job, WORKS);
}

static flow works(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_FAILED)
        return bil_stop(job, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bool was_held = job->held;
    job->held = false;
    job->step = WAITING;
    return bil_give_record(job, action, was_held ? BIL_EV_RELEASED : BIL_EV_WAITING);
}

static flow wait_for_restart(bil_job *job, bil_action *action)
{
    job->sure = false;
    bil_look_start(job);
    job->step = WAITED;
    return job->config.restart == BIL_RESTART_AT ? bil_give_wait(job, action, job->config.restart_ms) : FLOW_ON;
}

/* What the device does now is what it is found in: a machine that stands then isn't started. */
static flow waited(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_ACTION)
        return f;
    if (f == FLOW_FAILED && bil_watch_ended(job))
        return bil_stop(job, BIL_VERDICT_INCOMPLETE);
    const saw *state = &job->saw[SAW_STATE];
    bool known = f == FLOW_DONE && state->known, tells = job->description->state != BIL_NONE;
    bool idle = known && bil_stands(job, state->number);
    bil_failed(job, BIL_OK, BIL_NONE);
    if (job->config.restart == BIL_RESTART_IDLE && tells && !idle && job->now < job->config.restart_ms) {
        job->step = WAITING;
        return bil_give_wait(job, action, job->now + IDLE_MS);
    }
    if (known)
        job->found = state->number;
    job->ran = job->ran || (known && !idle);
    bool may = !tells || (known && bil_may_be_held(job));
    if ((job->config.restart == BIL_RESTART_IDLE && tells && !idle) || (bil_procedure_of(job, BIL_PROC_HOLD) && !may)) {
        job->why.cause = BIL_E_NOT_IDLE; /* at work, held by somebody, in fault, or on its way */
        return bil_stop(job, BIL_VERDICT_NOT_PROVED);
    }
    bil_hold_start(job, false);
    return on(job, HOLDING);
}

/* Held, once more; then goes on with `then`. */
static flow holding(bil_job *job, bil_action *action, uint8_t then)
{
    flow f = bil_hold_run(job, action);
    return f == FLOW_DONE ? on(job, then) : f;
}

static flow restart_now(bil_job *job, bil_action *action)
{
    bool resets = job->config.kind == BIL_JOB_RESET;
    job->unit_next = job->unit;
    if (job->unit_after && !resets)
        job->unit_next =
            BIL_UNIT(bil_number_of(job->config.have, job->description->link_unit)); /* what was just stored */
    else if (job->unit_after)
        job->unit_next = job->unit_after;
    bil_look_start(job);
    job->step = BEFORE;
    return bil_announce(job, action, resets ? BIL_EV_RESETTING : BIL_EV_RESTARTING);
}

/* What tells a restart is looked at before it, too: only a difference tells it. */
static flow before_restart(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_FAILED)
        return bil_stop(job, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bool resets = job->config.kind == BIL_JOB_RESET, by_hand = job->config.restart == BIL_RESTART_BY_HAND;
    job->restarts = true;
    job->restarted = job->acknowledged = job->away = false;
    job->gone = job->back = 0;
    bil_player_start(job, bil_procedure_of(job, resets ? BIL_PROC_FACTORY_RESET : BIL_PROC_RESTART));
    return on(job, resets ? RESETTING : by_hand && !job->between ? BY_HAND : RESTARTING);
}

static flow restart_steps(bil_job *job, bil_action *action)
{
    flow f = bil_play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    job->unit = job->unit_next;
    bil_look_start(job);
    return on(job, WHO);
}

static flow reset_steps(bil_job *job, bil_action *action)
{
    job->wrote = true;
    return restart_steps(job, action);
}

static flow by_hand(bil_job *job, bil_action *action)
{
    job->step = SWITCHED;
    action->u.ask.question = BIL_ASK_PERSON;
    action->u.ask.text = "Switch the supply of the device off, wait until it is dark, and switch it on again. Done?";
    action->u.ask.have = job->config.have;
    action->u.ask.found = job->found;
    return bil_give(job, action, BIL_ACT_ASK);
}

/* The person says so; now it has to come back. */
static flow switched(bil_job *job)
{
    if (job->result->outcome != BIL_DONE)
        return bil_refuse(job, BIL_E_PERSON, BIL_NONE);
    job->dirty = job->acknowledged = true; /* the first look makes the connection anew */
    job->unit = job->unit_next;
    job->player.deadline = job->now + BY_HAND_MS;
    bil_look_start(job);
    return on(job, COMING_BACK);
}

/* No hold outlives its supply: a device that is still held wasn't switched off. */
static flow switched_state(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_ACTION)
        return f;
    if (f == FLOW_FAILED) {
        if (job->now >= job->player.deadline || bil_watch_ended(job))
            return bil_refuse(job, job->stranger ? job->why.cause : BIL_E_RESTART, BIL_NONE);
        bil_look_start(job);
        return bil_give_wait(job, action, job->now + job->description->link.late_ms);
    }
    const saw *state = &job->saw[SAW_STATE];
    if (job->is_held && state->known && state->number == job->description->state_held)
        return bil_refuse(job, BIL_E_RESTART, job->description->state);
    return on(job, WHO);
}

/* Did it restart? A counter or a time since its start decides where the model has one; else that it isn't held any
 * more, or that it was away, if the description says that this tells it. */
static bool restart_is_seen(const bil_job *job)
{
    const bil_description *d = job->description;
    const saw *state = &job->saw[SAW_STATE];
    if (job->saw[SAW_STARTS].known || job->saw[SAW_UPTIME].known)
        return job->restarted;
    bool let_go = d->restart_ends_hold && job->is_held && state->known && state->number != d->state_held;
    bool away = d->restart_absent_ms && job->acknowledged && job->back - job->gone >= d->restart_absent_ms;
    return let_go || away;
}

static flow who_came_back(bil_job *job, bil_action *action)
{
    flow f = FLOW_DONE;
    if (job->dirty || !job->sure)
        f = bil_look_run(job, action);
    if (f == FLOW_FAILED)
        return bil_stop(job, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bool seen = restart_is_seen(job), resets = job->config.kind == BIL_JOB_RESET;
    const saw *state = &job->saw[SAW_STATE];
    bil_failed(job, BIL_OK, BIL_NONE);
    job->restarts = job->restarted = false;
    if (!seen && job->between) /* the next stage builds on it */
        return bil_refuse(job, BIL_E_RESTART_UNSEEN, BIL_NONE);
    job->proved_restart = seen && !job->between;
    bool held = state->known ? state->number == job->description->state_held
                             : !seen || (job->description->restart_keeps_hold && !resets);
    if (!held) /* nothing holds it any more; a reset device stands */
        job->held = job->is_held = false;
    /* Where a restart ends hold, the device is held again: whether it may be let go isn't known yet. A machine that
     * somebody has set to work meanwhile isn't stopped. */
    bool at_work = !held && state->known && job->description->state_idle && !bil_stands(job, state->number);
    job->left_held = job->left_held && (held || !(resets || at_work));
    if (at_work && job->between)
        return bil_refuse(job, BIL_E_LET_GO, BIL_NONE);
    bool proves = resets || at_work || (held && !job->between);
    job->step = proves ? OVER : HOLDING_AGAIN;
    if (!proves)
        bil_hold_start(job, job->between);
    return seen ? bil_give_record(job, action, BIL_EV_RESTARTED) : FLOW_ON;
}

static flow step(bil_job *job, bil_action *action)
{
    switch (job->step) {
    case STORE:
        return store(job, action);
    case STORING:
        return store_steps(job, action);
    case CHOOSING:
        return restart(job);
    case LETTING_WORK:
        return let_work(job, action);
    case WORKS:
        return works(job, action);
    case WAITING:
        return wait_for_restart(job, action);
    case WAITED:
        return waited(job, action);
    case HOLDING:
        return holding(job, action, NOW);
    case NOW:
        return restart_now(job, action);
    case BEFORE:
        return before_restart(job, action);
    case RESTARTING:
        return restart_steps(job, action);
    case BY_HAND:
        return by_hand(job, action);
    case SWITCHED:
        return switched(job);
    case COMING_BACK:
        return switched_state(job, action);
    case RESETTING:
        return reset_steps(job, action);
    case WHO:
        return who_came_back(job, action);
    case HOLDING_AGAIN:
        return holding(job, action, OVER);
    default:
        return FLOW_DONE;
    }
}

void bil_restart_now(bil_job *job)
{
    job->step = NOW;
}

flow bil_restart_run(bil_job *job, bil_action *action)
{
    return bil_steps(job, action, step);
}
