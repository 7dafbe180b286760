/* Who answers, in which state, and may this set go there? Then a person is asked. */
#include <string.h>

#include "machine.h"

enum { READING = MEET_END, STATE, MOVING, LOOKING, ASKING, ASKED };

bool bil_lacks_password(const bil_job *job)
{
    int kind = job->config.kind >= BIL_JOB_WRITE ? BIL_PROC_UNLOCK : BIL_PROC_UNLOCK_TO_READ;
    for (; kind >= 0 && !job->config.has_password; kind--) {
        const bil_procedure *how = bil_procedure_of(job, (bil_proc_kind)kind);
        for (uint16_t i = 0; how && i < how->step_count; i++)
            if (how->steps[i].kind == BIL_STEP_SECRET)
                return true;
    }
    return false;
}

static bool despite(const bil_job *job, bil_check check)
{
    return job->config.despite >> check & 1;
}

/* Is it the unit that the copy is from? By its serial number, or by what the description says stays the same for good;
 * what only grows can tell another one, never the same. */
static bool same_unit(bil_job *job)
{
    const bil_description *d = job->description;
    const bil_job_config *config = &job->config;
    char text[BIL_VALUE_TEXT];
    bil_image_identity(config->have, BIL_ID_SERIAL, text, sizeof text);
    job->unit_tells = bil_image_has_serial(config->have) && !config->serial_shared;
    bool same = job->unit_tells && strcmp(text, config->serial) == 0;
    for (uint8_t i = 0; i < d->unit_same_count; i++) {
        uint16_t index = d->unit_same[i];
        bool alike = bil_image_same(config->have, config->want, index);
        same = job->unit_tells ? same && (alike || config->want->state[index] != BIL_PRESENT) : alike;
        job->unit_tells = job->unit_tells || config->have->state[index] == BIL_PRESENT;
    }
    return same;
}

/* Who answers, and may this set go there? */
static bil_error gate(bil_job *job)
{
    const bil_description *description = job->description;
    const bil_job_config *config = &job->config;
    char text[BIL_VALUE_TEXT];
    bil_error error = bil_check_model(job, config->have);
    if (error)
        return error;
    bil_image_identity(config->have, BIL_ID_FIRMWARE, text, sizeof text);
    bool other = strcmp(text, config->firmware) != 0, unknown = !bil_description_names_firmware(description, text);
    if ((other || unknown) && !despite(job, BIL_CHECK_FIRMWARE))
        return unknown ? BIL_E_UNKNOWN_FIRMWARE : BIL_E_OTHER_FIRMWARE;
    bil_image_identity(config->have, BIL_ID_HARDWARE, text, sizeof text);
    if (!bil_description_names_hardware(description, text) && !despite(job, BIL_CHECK_HARDWARE))
        return BIL_E_OTHER_HARDWARE;
    if (config->trial && description->writes_last)
        return BIL_E_NO_TRIAL;
    if (config->kind == BIL_JOB_RESET && !bil_procedure_of(job, BIL_PROC_FACTORY_RESET))
        return BIL_E_NO_RESET;
    if (bil_lacks_password(job))
        return BIL_E_NO_PASSWORD;
    bool same = same_unit(job);
    bool word = !job->unit_tells && config->purpose_given; /* then a person's word is all there is */
    if (!same && !word && (!config->purpose_given || config->purpose == BIL_RESTORE))
        return job->unit_tells ? BIL_E_OTHER_UNIT : BIL_E_NO_IDENTITY;
    job->purpose = same ? BIL_RESTORE : config->purpose;
    return BIL_OK;
}

static flow identify(bil_job *job, bil_action *action)
{
    flow f = bil_meet_run(job, action);
    if (f == FLOW_FAILED)
        return bil_stop(job, BIL_VERDICT_UNTOUCHED);
    if (f != FLOW_DONE)
        return f;
    bil_watch_know(job);
    bil_error error = gate(job);
    if (error)
        return bil_refuse(job, error, BIL_NONE);
    bil_reader_values(job, job->config.have);
    return on(job, READING);
}

bool bil_job_goes_on(const bil_job *job)
{
    return job->goes_on;
}

bool bil_job_leaves_working(const bil_job *job)
{
    return job->unheld;
}

/* As little as possible happens to a machine that is to go on: what is written decides what it takes. */
static void let_go_on(bil_job *job, bool at_work)
{
    const bil_description *d = job->description;
    unsigned needs = d->store_needs_hold ? BIL_NEEDS_HOLD : 0;
    for (uint16_t i = 0; i < d->count; i++)
        if (bil_job_plans(job, i))
            needs |= d->params[i].flags;
    at_work = at_work && !(needs & BIL_NEEDS_HOLD);
    job->goes_on = (job->config.goes_on || (job->config.goes_on_at_work && at_work)) && !(needs & BIL_NEEDS_RESTART);
    job->unheld = (job->goes_on || job->config.trial) && (at_work || job->config.goes_on) && !(needs & BIL_NEEDS_HOLD);
    if (job->goes_on)
        job->config.restart = BIL_RESTART_NEVER;
}

static flow read_all(bil_job *job, bil_action *action)
{
    flow f = bil_read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    bil_watch_know(job);
    let_go_on(job, false);
    return on(job, job->description->state == BIL_NONE ? MOVING : STATE);
}

/* What the device is doing now. */
static flow state_found(bil_job *job)
{
    const bil_description *d = job->description;
    if (!job->saw[SAW_STATE].known)
        return bil_refuse(job, BIL_E_HOLD, d->state);
    job->found = job->saw[SAW_STATE].number;
    bool held = job->found == d->state_held;
    let_go_on(job, !held && !bil_stands(job, job->found));
    bool can_hold = !job->unheld && bil_procedure_of(job, BIL_PROC_HOLD);
    bool ours =
        job->config.held_before && job->config.found != d->state_held && (held || (can_hold && !bil_may_be_held(job)));
    job->ours = ours;
    job->held = ours && held;
    if (ours)
        job->found = job->config.found;
    job->left_held = held && !ours;
    job->ran = can_hold && d->state_idle && !held && !ours && !bil_stands(job, job->found) && bil_may_be_held(job);
    if (can_hold && !job->left_held && !(ours ? bil_release_of(job) != NULL : bil_may_be_held(job))) {
        uint32_t found = job->found;
        bil_failed(job, BIL_E_HOLD, d->state);
        job->why.code = found;
        return bil_stop(job, BIL_VERDICT_REFUSED);
    }
    return on(job, MOVING);
}

/* Where it will answer, when the values are in force. */
static flow moving(bil_job *job)
{
    return on(job, bil_move_start(job) ? LOOKING : ASKING);
}

static flow looking(bil_job *job, bil_action *action)
{
    flow f = bil_move_run(job, action);
    return f == FLOW_DONE ? on(job, ASKING) : f;
}

/* Do the rules hold on the device as it will be? */
static bool rules_hold(bil_job *job)
{
    bil_outlook outlook = {job->config.have, job->config.want, job->purpose, job->config.with_calibration};
    uint16_t params[2];
    int32_t rule =
        despite(job, BIL_CHECK_RULES) ? -1 : bil_rule_broken(job->description, bil_outlook_values(&outlook), 0, params);
    if (rule < 0)
        return true;
    bil_failed(job, BIL_E_RULE, params[0]);
    job->why.other = params[1];
    job->why.code = (uint32_t)rule;
    bil_stop(job, BIL_VERDICT_REFUSED);
    return false;
}

static flow ask(bil_job *job, bil_action *action)
{
    if (!rules_hold(job))
        return FLOW_FAILED;
    job->step = ASKED;
    action->u.ask.question = BIL_ASK_WRITE;
    action->u.ask.text = "";
    action->u.ask.have = job->config.have;
    const saw *state = &job->saw[SAW_STATE];
    action->u.ask.found = state->known ? state->number : job->found;
    return bil_give(job, action, BIL_ACT_ASK);
}

static flow asked(bil_job *job)
{
    if (job->result->outcome != BIL_DONE)
        return bil_refuse(job, BIL_E_DECLINED, BIL_NONE);
    return FLOW_DONE;
}

static flow step(bil_job *job, bil_action *action)
{
    switch (job->step) {
    case READING:
        return read_all(job, action);
    case STATE:
        return state_found(job);
    case MOVING:
        return moving(job);
    case LOOKING:
        return looking(job, action);
    case ASKING:
        return ask(job, action);
    case ASKED:
        return asked(job);
    default:
        return identify(job, action);
    }
}

flow bil_gate_run(bil_job *job, bil_action *action)
{
    return bil_steps(job, action, step);
}
