/* Writing: intent, converge, prove. Each phase is one function; the table at the end says in which order. */
#include <string.h>

#include "machine.h"

/* clang-format off */
typedef enum phase {
    PH_CONNECT, PH_CONNECTED, PH_IDENTIFY, PH_READ, PH_STATE, PH_ASK, PH_ASKED, PH_INTENT, PH_INTENT_DONE, PH_SAFETY_DONE,
    PH_UNLOCK, PH_HOLD, PH_HOLD_STEPS, PH_HELD, PH_RECHECK, PH_STAGE, PH_RECORDED, PH_WRITING, PH_WRITE_BLOCK, PH_REFUSED_DONE, PH_UNTOUCHED,
    PH_READ_BACK, PH_STORE, PH_STORE_STEPS, PH_RESTART, PH_RESTART_STEPS, PH_WHO_CAME_BACK,
    PH_UNLOCK_AGAIN, PH_HOLD_AGAIN, PH_PROVE, PH_PROVING, PH_RELEASE, PH_RELEASE_STEPS, PH_VERDICT, PH_END
} phase;
/* clang-format on */

/* ---- how it ends ---- */

static flow go(bil_job *job, phase next)
{
    job->phase = (uint8_t)next;
    return FLOW_DONE;
}

static flow finish(bil_job *job, bil_verdict verdict)
{
    job->verdict = verdict;
    return go(job, PH_VERDICT);
}

/* The job can't go on; job->cause says why. A device on which nothing was written is as it was: it is let go. One that
 * was written to stays held, since it is neither as it was nor as wanted. */
static flow stop(bil_job *job, bil_verdict untouched)
{
    if (job->wrote)
        return finish(job, BIL_VERDICT_INCOMPLETE);
    job->verdict = untouched;
    return go(job, job->held ? PH_RELEASE : PH_VERDICT);
}

static flow refuse(bil_job *job, bil_error cause, uint16_t param)
{
    bil_failed(job, cause, param);
    return stop(job, BIL_VERDICT_REFUSED);
}

/* Goes on with the procedure begun, or with the read begun. When that fails the job stops. */
static flow play(bil_job *job, bil_action *action, bil_verdict untouched)
{
    flow f = bil_player_run(job, action);
    if (f == FLOW_FAILED)
        stop(job, untouched);
    return f;
}

static flow look(bil_job *job, bil_action *action)
{
    flow f = bil_reader_run(job, action);
    if (f == FLOW_FAILED)
        stop(job, BIL_VERDICT_UNTOUCHED);
    return f;
}

/* ---- before anything is changed ---- */

static flow start(bil_job *job, bil_action *action)
{
    go(job, PH_CONNECTED);
    return bil_give_connect(job, action, CONNECT_MS);
}

static flow connected(bil_job *job)
{
    if (job->result->outcome != BIL_DONE) {
        bil_failed(job, BIL_E_NOT_REACHABLE, BIL_NONE);
        job->code = job->result->code;
        return stop(job, BIL_VERDICT_UNTOUCHED);
    }
    bil_reader_identity(job, job->config.have);
    return go(job, PH_IDENTIFY);
}

static bool needs_password(const bil_job *job, const char *hardware)
{
    const bil_procedure *unlock = bil_description_procedure(job->description, BIL_PROC_UNLOCK, hardware, 0);
    for (uint16_t i = 0; unlock && i < unlock->step_count; i++)
        if (unlock->steps[i].kind == BIL_STEP_SECRET)
            return true;
    return false;
}

static bool despite(const bil_job *job, bil_check check)
{
    return job->config.despite >> check & 1;
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
    if (needs_password(job, text) && !config->has_password)
        return BIL_E_NO_PASSWORD;
    bil_image_identity(config->have, BIL_ID_SERIAL, text, sizeof text);
    bool same = text[0] && strcmp(text, config->serial) == 0;
    if (!same && (!config->purpose_given || config->purpose == BIL_RESTORE))
        return BIL_E_OTHER_UNIT;
    job->purpose = same ? BIL_RESTORE : config->purpose;
    return BIL_OK;
}

static flow identify(bil_job *job, bil_action *action)
{
    flow f = look(job, action);
    if (f != FLOW_DONE)
        return f;
    bil_error error = gate(job);
    if (error)
        return refuse(job, error, BIL_NONE);
    job->reconnected = false;
    bil_image_copy(&job->expect, job->config.have); /* the identity: who was there at first */
    bil_reader_values(job, job->config.have);
    return go(job, PH_READ);
}

static flow read_all(bil_job *job, bil_action *action)
{
    flow f = look(job, action);
    if (f != FLOW_DONE)
        return f;
    bil_image_copy(&job->expect, job->config.have);
    if (job->description->state == BIL_NONE)
        return go(job, PH_ASK);
    bil_exchange_read_param(job, job->description->state);
    return go(job, PH_STATE);
}

static const char *hardware_of(const bil_job *job, char *text, size_t size)
{
    bil_image_identity(&job->expect, BIL_ID_HARDWARE, text, size);
    return text;
}

static const bil_procedure *procedure(const bil_job *job, bil_proc_kind kind)
{
    char hardware[BIL_VALUE_TEXT];
    return bil_description_procedure(job->description, kind, hardware_of(job, hardware, sizeof hardware), job->found);
}

/* What the device is doing now; it has to go back to that. */
static flow state_found(bil_job *job, bil_action *action)
{
    flow f = bil_exchange_run(job, action);
    if (f == FLOW_ACTION)
        return f;
    if (f == FLOW_FAILED)
        return stop(job, BIL_VERDICT_UNTOUCHED);
    if (!bil_cells_number(job, job->description->state, &job->found))
        return refuse(job, BIL_E_HOLD, job->description->state);
    bool held = job->found == job->description->state_held, can_hold = procedure(job, BIL_PROC_HOLD) != NULL;
    bool on_the_way = can_hold && !held && !procedure(job, BIL_PROC_RELEASE); /* no state to go back to */
    if ((held || on_the_way) && job->config.found_known)
        job->found = job->config.found; /* what an earlier write found that left it held, or was about to hold it */
    else
        job->left_held = held;
    if (can_hold && !job->left_held && !procedure(job, BIL_PROC_RELEASE)) {
        uint32_t found = job->found;
        bil_failed(job, BIL_E_HOLD, job->description->state);
        job->code = found;
        return stop(job, BIL_VERDICT_REFUSED);
    }
    return go(job, PH_ASK);
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
    job->other = params[1];
    job->code = (uint32_t)rule;
    stop(job, BIL_VERDICT_REFUSED);
    return false;
}

static flow ask(bil_job *job, bil_action *action)
{
    if (!rules_hold(job))
        return FLOW_DONE;
    go(job, PH_ASKED);
    action->u.ask.question = BIL_ASK_WRITE;
    action->u.ask.text = "";
    action->u.ask.have = job->config.have;
    action->u.ask.found = job->found;
    return bil_give(job, action, BIL_ACT_ASK);
}

static flow asked(bil_job *job)
{
    if (job->result->outcome != BIL_DONE)
        return refuse(job, BIL_E_DECLINED, BIL_NONE);
    return go(job, PH_INTENT);
}

static flow intent(bil_job *job, bil_action *action)
{
    go(job, PH_INTENT_DONE);
    job->code = job->found;
    return bil_give_record(job, action, BIL_EV_INTENT);
}

static flow intent_done(bil_job *job, bil_action *action)
{
    job->code = 0;
    if (job->result->outcome != BIL_DONE)
        return refuse(job, BIL_E_RECORD, BIL_NONE);
    go(job, PH_SAFETY_DONE);
    action->u.save.have = job->config.have;
    return bil_give(job, action, BIL_ACT_SAVE);
}

static flow safety_done(bil_job *job)
{
    if (job->result->outcome != BIL_DONE)
        return refuse(job, BIL_E_SAFETY_COPY, BIL_NONE);
    bil_player_start(job, procedure(job, BIL_PROC_UNLOCK));
    return go(job, PH_UNLOCK);
}

static flow unlock(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_REFUSED);
    if (f != FLOW_DONE)
        return f;
    return go(job, PH_HOLD);
}

static flow hold(bil_job *job, bil_action *action)
{
    bil_player_start(job, job->left_held ? NULL : procedure(job, BIL_PROC_HOLD));
    job->held = job->left_held || job->player.procedure;
    go(job, PH_HOLD_STEPS);
    return bil_give_record(job, action, BIL_EV_HOLDING);
}

static flow hold_steps(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_REFUSED);
    if (f != FLOW_DONE)
        return f;
    go(job, PH_HELD);
    return bil_give_record(job, action, BIL_EV_HELD);
}

static flow held(bil_job *job)
{
    bil_reader_values(job, job->config.have);
    return go(job, PH_RECHECK);
}

/* ---- somebody else ---- */

static bool resets(const bil_param *param, uint16_t index)
{
    for (uint8_t k = 0; k < param->reset_count; k++)
        if (param->resets[k] == index)
            return true;
    return false;
}

static bool reset_by_written(const bil_job *job, uint16_t index)
{
    const bil_description *description = job->description;
    for (uint16_t i = 0; i < description->count; i++)
        if (resets(&description->params[i], index) && !bil_image_same(&job->expect, job->config.have, i))
            return true;
    return false;
}

/* Was this value about to be written in the stage that has just been read back? */
static bool written(const bil_job *job, uint16_t index)
{
    if (!job->wrote || job->description->params[index].stage != job->stage)
        return false;
    bil_write_need need =
        bil_plan_need(&job->expect, job->config.want, index, job->purpose, job->config.with_calibration);
    return need == BIL_NEED_WRITE || need == BIL_NEED_READ;
}

/* The first value that changed without this job's doing. Counters of the unit may run. */
static uint16_t foreign_change(const bil_job *job)
{
    const bil_image *have = job->config.have;
    for (uint16_t i = 0; i < job->description->count; i++) {
        if (job->description->params[i].cls == BIL_CLASS_UNIT || have->state[i] != BIL_PRESENT ||
            job->expect.state[i] != BIL_PRESENT || bil_image_same(&job->expect, have, i))
            continue;
        if (!written(job, i) && !(job->wrote && reset_by_written(job, i)))
            return i;
    }
    return BIL_NONE;
}

static flow recheck(bil_job *job, bil_action *action)
{
    flow f = look(job, action);
    if (f != FLOW_DONE)
        return f;
    uint16_t changed = foreign_change(job);
    if (changed != BIL_NONE)
        return refuse(job, BIL_E_FOREIGN_CHANGE, changed);
    job->progress.done = job->progress.total = 0;
    for (uint16_t i = 0; i < job->description->count; i++) {
        bil_write_need need =
            bil_plan_need(job->config.have, job->config.want, i, job->purpose, job->config.with_calibration);
        job->progress.total += need == BIL_NEED_WRITE || need == BIL_NEED_READ;
    }
    job->stage = 0;
    return go(job, PH_STAGE);
}

/* ---- converge ---- */

/* A value won't stay: is there another one with which it resets each other? */
static uint16_t rival(const bil_job *job, uint16_t index)
{
    const bil_description *description = job->description;
    for (uint16_t i = 0; i < description->count; i++)
        if (resets(&description->params[i], index) && resets(&description->params[index], i))
            return i;
    return BIL_NONE;
}

static flow next_stage(bil_job *job, bil_action *action)
{
    const bil_job_config *config = &job->config;
    for (; job->stage < STAGES; job->stage++) {
        job->write_count =
            bil_plan_write(config->have, config->want, job->purpose, config->with_calibration, job->stage, job->items);
        if (job->write_count == 0)
            continue;
        if (job->round >= ROUNDS) {
            uint16_t by = rival(job, job->items[0]);
            bil_failed(job, by == BIL_NONE ? BIL_E_DIFFERS : BIL_E_DISAGREE, job->items[0]);
            job->other = by;
            return stop(job, BIL_VERDICT_INCOMPLETE);
        }
        bil_block_rule rule = {job->description->link.write_cells, 1, 0, false};
        bil_plan_blocks(job->description, job->items, job->write_count, &rule, job->cost, job->next, NULL);
        job->write_at = 0;
        if (job->recorded_writing)
            return go(job, PH_WRITING);
        job->recorded_writing = true;
        go(job, PH_RECORDED);
        return bil_give_record(job, action, BIL_EV_WRITING);
    }
    if (job->again) {
        job->again = false;
        job->round++;
        job->stage = 0;
        return FLOW_DONE; /* look once more: a later stage may have reset something */
    }
    return go(job, job->config.trial ? PH_PROVE : PH_STORE);
}

/* The record of what is about to happen has to be there before the first value. */
static flow recorded(bil_job *job)
{
    return job->result->outcome == BIL_DONE ? go(job, PH_WRITING) : refuse(job, BIL_E_RECORD, BIL_NONE);
}

static flow start_block(bil_job *job)
{
    const bil_description *description = job->description;
    if (job->write_at >= job->write_count) {
        bil_reader_values(job, job->config.have);
        return go(job, PH_READ_BACK);
    }
    uint16_t from = job->write_at, to = job->next[from];
    const bil_param *first = &description->params[job->items[from]];
    uint16_t count = 0;
    for (uint16_t i = from; i < to; i++) {
        const bil_param *param = &description->params[job->items[i]];
        count = (uint16_t)(param->address - first->address);
        bil_value_to_cells(&param->format, bil_image_raw(job->config.want, job->items[i]), job->cells + count);
        count = (uint16_t)(count + param->cells);
    }
    bil_exchange_write(job, job->items[from], count, true, false, 0);
    return go(job, PH_WRITE_BLOCK);
}

static flow write_block(bil_job *job, bil_action *action)
{
    flow f = bil_exchange_run(job, action);
    if (f == FLOW_ACTION)
        return f;
    uint16_t from = job->write_at, to = job->next[from];
    if (f == FLOW_DONE || job->exchange.outcome == BIL_UNKNOWN) {
        /* What became of an unknown one shows when it is read back. */
        job->wrote = job->again = true;
        if (f == FLOW_DONE)
            job->progress.written += (uint32_t)(to - from);
        job->progress.done += (uint32_t)(to - from);
        job->write_at = to;
        return go(job, PH_WRITING);
    }
    if (job->exchange.outcome == BIL_REFUSED && to - from > 1) {
        uint16_t middle = (uint16_t)((from + to) / 2);
        job->next[from] = middle;
        job->next[middle] = to;
        return go(job, PH_WRITING);
    }
    if (job->exchange.outcome == BIL_REFUSED) {
        go(job, PH_REFUSED_DONE);
        return bil_give_record(job, action, BIL_EV_VALUE_REFUSED);
    }
    return stop(job, BIL_VERDICT_UNTOUCHED);
}

/* The device refused the first value. Is it really as it was, or did it take a part before it said no? */
static flow refused_done(bil_job *job)
{
    if (job->wrote)
        return stop(job, BIL_VERDICT_INCOMPLETE);
    bil_reader_values(job, job->config.have);
    return go(job, PH_UNTOUCHED);
}

static flow untouched(bil_job *job, bil_action *action)
{
    bil_error cause = job->cause; /* of the refusal; a read must not hide it */
    uint16_t param = job->param;
    uint32_t code = job->code;
    flow f = bil_reader_run(job, action);
    job->cause = cause;
    job->param = param;
    job->code = code;
    if (f == FLOW_ACTION)
        return f;
    job->wrote = f == FLOW_FAILED || foreign_change(job) != BIL_NONE;
    return stop(job, BIL_VERDICT_REFUSED);
}

static bool same_unit(const bil_job *job)
{
    char now[BIL_VALUE_TEXT], before[BIL_VALUE_TEXT];
    if (bil_check_model(job, job->config.have) != BIL_OK)
        return false;
    bil_image_identity(job->config.have, BIL_ID_SERIAL, now, sizeof now);
    bil_image_identity(&job->expect, BIL_ID_SERIAL, before, sizeof before);
    return strcmp(now, before) == 0;
}

static flow read_back(bil_job *job, bil_action *action)
{
    flow f = look(job, action);
    if (f != FLOW_DONE)
        return f;
    if (job->reconnected && !same_unit(job))
        return refuse(job, BIL_E_OTHER_UNIT, BIL_NONE);
    job->reconnected = false;
    uint16_t changed = foreign_change(job);
    if (changed != BIL_NONE)
        return refuse(job, BIL_E_FOREIGN_CHANGE, changed);
    bil_image_copy(&job->expect, job->config.have);
    job->stage++;
    return go(job, PH_STAGE);
}

/* ---- make it last ---- */

static flow store(bil_job *job, bil_action *action)
{
#ifdef BIL_TEST_WITHOUT_STORE /* a test builds this to see that the proof notices */
    bil_player_start(job, NULL);
#else
    bil_player_start(job, procedure(job, BIL_PROC_STORE));
#endif
    job->wrote = true; /* from here on the stored values are touched, even where nothing differed */
    go(job, PH_STORE_STEPS);
    return bil_give_record(job, action, BIL_EV_STORING);
}

static flow store_steps(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    go(job, PH_RESTART);
    return bil_give_record(job, action, BIL_EV_STORED);
}

static flow restart(bil_job *job, bil_action *action)
{
    bool tells = job->description->stored_values == BIL_STORED_BY_RESTART;
    const bil_procedure *steps = procedure(job, BIL_PROC_RESTART);
    if (!job->config.may_restart || !tells || !steps)
        return go(job, PH_PROVE);
    job->restarted = true;
    bil_player_start(job, steps);
    go(job, PH_RESTART_STEPS);
    return bil_give_record(job, action, BIL_EV_RESTARTING);
}

static flow restart_steps(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bil_reader_identity(job, job->config.have);
    return go(job, PH_WHO_CAME_BACK);
}

static flow who_came_back(bil_job *job, bil_action *action)
{
    flow f = look(job, action);
    if (f != FLOW_DONE)
        return f;
    if (!same_unit(job))
        return refuse(job, BIL_E_OTHER_UNIT, BIL_NONE);
    job->reconnected = false;
    if (job->description->restart_keeps_hold)
        go(job, PH_PROVE);
    else
        go(job, PH_UNLOCK_AGAIN);
    bil_player_start(job, procedure(job, BIL_PROC_UNLOCK));
    return bil_give_record(job, action, BIL_EV_RESTARTED);
}

/* Where a restart ends hold, the device is held again: whether it may be let go isn't known yet. */
static flow unlock_again(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bil_player_start(job, procedure(job, BIL_PROC_HOLD));
    return go(job, PH_HOLD_AGAIN);
}

static flow hold_again(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    return go(job, PH_PROVE);
}

/* ---- prove ---- */

static flow prove(bil_job *job)
{
    if (job->reads > 0)
        bil_image_copy(&job->expect, job->config.have);
    bil_reader_values(job, job->config.have);
    return go(job, PH_PROVING);
}

static flow proving(bil_job *job, bil_action *action)
{
    flow f = look(job, action);
    if (f != FLOW_DONE)
        return f;
    if (job->reconnected && !same_unit(job))
        return refuse(job, BIL_E_OTHER_UNIT, BIL_NONE);
    job->reconnected = false;
    for (uint16_t i = 0; i < job->description->count; i++) {
        bil_write_need need =
            bil_plan_need(job->config.have, job->config.want, i, job->purpose, job->config.with_calibration);
        if (need == BIL_NEED_WRITE)
            return refuse(job, BIL_E_DIFFERS, i);
        if (need == BIL_NEED_READ)
            return refuse(job, BIL_E_UNREADABLE, i);
        job->rounded = job->rounded || need == BIL_NEED_ROUNDED;
    }
    if (++job->reads < 2)
        return go(job, PH_PROVE);
    for (uint16_t i = 0; i < job->description->count; i++)
        if (job->description->params[i].cls != BIL_CLASS_UNIT && job->expect.state[i] == BIL_PRESENT &&
            !bil_image_same(&job->expect, job->config.have, i))
            return refuse(job, BIL_E_FOREIGN_CHANGE, i);
    job->verdict = job->config.trial ? BIL_VERDICT_ON_TRIAL
                   : !job->restarted ? BIL_VERDICT_NOT_PROVED
                   : job->rounded    ? BIL_VERDICT_WITH_EXCEPTIONS
                                     : BIL_VERDICT_VERIFIED;
    job->cause = BIL_OK;
    job->param = job->other = BIL_NONE;
    job->code = 0;
    go(job, PH_RELEASE);
    return bil_give_record(job, action, BIL_EV_PROVED);
}

/* ---- let go ---- */

static flow release(bil_job *job, bil_action *action)
{
    if (job->left_held || !job->held) {
        if (job->left_held && job->cause == BIL_OK)
            job->cause = BIL_E_LEFT_HELD;
        return go(job, PH_VERDICT);
    }
    bil_player_start(job, procedure(job, BIL_PROC_RELEASE));
    go(job, PH_RELEASE_STEPS);
    return bil_give_record(job, action, BIL_EV_RELEASING);
}

static flow release_steps(bil_job *job, bil_action *action)
{
    bil_error cause = job->cause; /* why the job stopped, if it did; the release must not hide it */
    uint16_t param = job->param;
    uint32_t code = job->code;
    flow f = bil_player_run(job, action);
    if (f == FLOW_FAILED) {
        if (cause != BIL_OK) {
            bil_failed(job, cause, param);
            job->code = code;
        }
        return go(job, PH_VERDICT);
    }
    job->cause = cause;
    job->param = param;
    job->code = code;
    if (f == FLOW_ACTION)
        return f;
    job->held = false;
    go(job, PH_VERDICT);
    return bil_give_record(job, action, BIL_EV_RELEASED);
}

static flow verdict(bil_job *job, bil_action *action)
{
    go(job, PH_END);
    return bil_give_record(job, action, BIL_EV_VERDICT);
}

static flow end(bil_job *job, bil_action *action)
{
    job->over = true;
    action->u.end.verdict = job->verdict;
    action->u.end.held = job->held;
    action->u.end.wrote = job->wrote && job->progress.write_requests > 0;
    action->u.end.cause = job->cause;
    action->u.end.param = job->param;
    action->u.end.other = job->other;
    action->u.end.code = job->code;
    return bil_give(job, action, BIL_ACT_END);
}

static flow run_phase(bil_job *job, bil_action *action)
{
    /* clang-format off */
    switch ((phase)job->phase) {
    case PH_CONNECT: return start(job, action);
    case PH_CONNECTED: return connected(job);
    case PH_IDENTIFY: return identify(job, action);
    case PH_READ: return read_all(job, action);
    case PH_STATE: return state_found(job, action);
    case PH_ASK: return ask(job, action);
    case PH_ASKED: return asked(job);
    case PH_INTENT: return intent(job, action);
    case PH_INTENT_DONE: return intent_done(job, action);
    case PH_SAFETY_DONE: return safety_done(job);
    case PH_UNLOCK: return unlock(job, action);
    case PH_HOLD: return hold(job, action);
    case PH_HOLD_STEPS: return hold_steps(job, action);
    case PH_HELD: return held(job);
    case PH_RECHECK: return recheck(job, action);
    case PH_STAGE: return next_stage(job, action);
    case PH_RECORDED: return recorded(job);
    case PH_WRITING: return start_block(job);
    case PH_WRITE_BLOCK: return write_block(job, action);
    case PH_REFUSED_DONE: return refused_done(job);
    case PH_UNTOUCHED: return untouched(job, action);
    case PH_READ_BACK: return read_back(job, action);
    case PH_STORE: return store(job, action);
    case PH_STORE_STEPS: return store_steps(job, action);
    case PH_RESTART: return restart(job, action);
    case PH_RESTART_STEPS: return restart_steps(job, action);
    case PH_WHO_CAME_BACK: return who_came_back(job, action);
    case PH_UNLOCK_AGAIN: return unlock_again(job, action);
    case PH_HOLD_AGAIN: return hold_again(job, action);
    case PH_PROVE: return prove(job);
    case PH_PROVING: return proving(job, action);
    case PH_RELEASE: return release(job, action);
    case PH_RELEASE_STEPS: return release_steps(job, action);
    case PH_VERDICT: return verdict(job, action);
    default: return end(job, action);
    }
    /* clang-format on */
}

flow bil_write_run(bil_job *job, bil_action *action)
{
    for (;;)
        if (run_phase(job, action) == FLOW_ACTION)
            return FLOW_ACTION;
}
