/* Writing: intent, converge, prove. Each phase is one function; the table at the end says in which order. */
#include <string.h>

#include "machine.h"

/* clang-format off */
typedef enum phase {
    PH_CONNECT, PH_CONNECTED, PH_IDENTIFY, PH_READ, PH_STATE, PH_LOOK, PH_LOOKING, PH_ASK, PH_ASKED, PH_INTENT, PH_INTENT_DONE, PH_SAFETY_DONE,
    PH_UNLOCK, PH_HOLD, PH_HELD, PH_RECHECK, PH_STAGE, PH_WRITING, PH_WRITE_BLOCK, PH_REFUSED_DONE, PH_UNTOUCHED,
    PH_READ_BACK, PH_STORE, PH_STORE_STEPS, PH_RESTART, PH_LET_WORK, PH_WORKS, PH_WAIT, PH_WAITED,
    PH_RESTART_NOW, PH_BEFORE_RESTART, PH_RESTART_STEPS, PH_BY_HAND, PH_SWITCHED, PH_SWITCHED_STATE, PH_RESET_STEPS, PH_WHO_CAME_BACK,
    PH_PROVE, PH_PROVING, PH_RELEASE, PH_RELEASE_STEPS, PH_LET_GO, PH_VERDICT, PH_END
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

/* The job can't go on; job->why says why. A device on which nothing was written is as it was: it is let go. One that
 * was written to, by this job or by the one before that left it held, stays held, since it is neither as it was nor as
 * wanted. To another unit nothing goes at all. */
static flow stop(bil_job *job, bil_verdict untouched)
{
    if (job->wrote)
        return finish(job, BIL_VERDICT_INCOMPLETE);
    job->verdict = untouched;
    return go(job, job->held && !job->stranger && !job->ours ? PH_RELEASE : PH_VERDICT);
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

static flow read_on(bil_job *job, bil_action *action)
{
    flow f = bil_reader_run(job, action);
    if (f == FLOW_FAILED)
        stop(job, job->stranger ? BIL_VERDICT_REFUSED : BIL_VERDICT_UNTOUCHED);
    return f;
}

/* Begins a procedure; before its first request it is made sure who answers. */
static flow begin(bil_job *job, const bil_procedure *procedure, phase next)
{
    job->sure = job->sure && job->fresh;
    bil_player_start(job, procedure);
    return go(job, next);
}

/* What happens next must be in the record before it happens: without that, nobody could put it right later. */
static flow announce(bil_job *job, bil_action *action, bil_event event)
{
    job->must_record = true;
    return bil_give_record(job, action, event);
}

/* ---- before anything is changed ---- */

static flow start(bil_job *job, bil_action *action)
{
    go(job, PH_CONNECTED);
    return bil_give_connect(job, action, CONNECT_MS);
}

static flow connected(bil_job *job)
{
    if (!bil_connected(job))
        return stop(job, BIL_VERDICT_UNTOUCHED);
    return go(job, PH_IDENTIFY);
}

bool bil_needs_password(const bil_job *job, const char *hardware)
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
    if (config->kind == BIL_JOB_RESET && !bil_description_procedure(description, BIL_PROC_FACTORY_RESET, text, 0))
        return BIL_E_NO_RESET;
    if (bil_needs_password(job, text) && !config->has_password)
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
    flow f = bil_look_run(job, action);
    if (f == FLOW_FAILED)
        stop(job, BIL_VERDICT_UNTOUCHED);
    if (f != FLOW_DONE)
        return f;
    bil_error error = gate(job);
    if (error)
        return refuse(job, error, BIL_NONE);
    bil_watch_know(job);
    bil_reader_values(job, job->config.have);
    return go(job, PH_READ);
}

static flow read_all(bil_job *job, bil_action *action)
{
    flow f = read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    bil_watch_know(job);
    return go(job, job->description->state == BIL_NONE ? PH_LOOK : PH_STATE);
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

static bool stands(const bil_job *job, uint32_t state)
{
    return state < 32 && job->description->state_idle >> state & 1;
}

/* Lets it go to the state in which it stood, or else to the first in which it stands: never does a release set a
 * machine in motion. */
static const bil_procedure *release_of(const bil_job *job)
{
    char hardware[BIL_VALUE_TEXT];
    hardware_of(job, hardware, sizeof hardware);
    const bil_procedure *release = NULL;
    if (stands(job, job->found) || job->description->state_idle == 0)
        release = bil_description_procedure(job->description, BIL_PROC_RELEASE, hardware, job->found);
    for (uint32_t state = 0; state < 32 && !release; state++)
        if (stands(job, state))
            release = bil_description_procedure(job->description, BIL_PROC_RELEASE, hardware, state);
    return release;
}

/* May it be held as it is? It has to stand, or be at work in a way that the description knows. */
static bool may_be_held(const bil_job *job)
{
    return release_of(job) &&
           (stands(job, job->found) || job->description->state_idle == 0 || procedure(job, BIL_PROC_START));
}

/* What the device is doing now. */
static flow state_found(bil_job *job)
{
    const bil_description *d = job->description;
    if (!job->saw[SAW_STATE].known)
        return refuse(job, BIL_E_HOLD, d->state);
    job->found = job->saw[SAW_STATE].number;
    bool held = job->found == d->state_held, can_hold = procedure(job, BIL_PROC_HOLD) != NULL;
    bool ours =
        job->config.held_before && job->config.found != d->state_held && (held || (can_hold && !may_be_held(job)));
    job->ours = ours;
    job->held = ours && held;
    if (ours)
        job->found = job->config.found;
    job->left_held = held && !ours;
    job->ran = can_hold && d->state_idle && !held && !ours && !stands(job, job->found) && may_be_held(job);
    if (can_hold && !job->left_held && !(ours ? release_of(job) != NULL : may_be_held(job))) {
        uint32_t found = job->found;
        bil_failed(job, BIL_E_HOLD, d->state);
        job->why.code = found;
        return stop(job, BIL_VERDICT_REFUSED);
    }
    return go(job, PH_LOOK);
}

/* ---- the address that the values bring ---- */

/* The unit number that the device answers at when all values are in force, as far as they have a say in that. */
static uint32_t brings_to(const bil_job *job)
{
    uint16_t param = job->description->link_unit;
    const bil_job_config *config = &job->config;
    if (param == BIL_NONE || config->unit == 0)
        return 0;
    uint32_t now = BIL_UNIT(bil_number_of(config->have, param));
    if (now != config->unit && !config->numbered)
        return 0; /* it is reached by another number, a gateway's perhaps; or that one is in force with the next restart
                   */
    bool writes = bil_plan_need(config->have, config->want, param, job->purpose, false) == BIL_NEED_WRITE;
    return writes ? BIL_UNIT(bil_number_of(config->want, param)) : now;
}

/* When the write changes the unit number by which the device is reached, nobody may answer at the new one yet. */
static flow look_there(bil_job *job)
{
    job->unit_after = brings_to(job);
    if (job->unit_after == 0 || job->unit_after == job->config.unit)
        return go(job, PH_ASK);
    job->unit = job->unit_after;
    job->elsewhere = job->dirty = true; /* over a connection of its own */
    uint16_t serial = job->description->identity[BIL_ID_SERIAL];
    bil_exchange_read_param(job, serial == BIL_NONE ? job->description->identity[BIL_ID_MODEL] : serial);
    return go(job, PH_LOOKING);
}

/* Only silence is nobody: whatever comes from there, no, or something that makes no sense, is there. When it is this
 * unit itself, its number is of no account on this link, as with many devices on a network of their own. */
static flow looking(bil_job *job, bil_action *action)
{
    exchange *x = &job->exchange;
    flow f = bil_exchange_run(job, x, action);
    if (f == FLOW_ACTION)
        return f;
    const bil_format *format = &job->description->params[x->param].format;
    uint8_t raw[BIL_TEXT_MAX];
    bool nobody = f == FLOW_FAILED && x->outcome == BIL_UNKNOWN && !x->heard;
    bool itself = f == FLOW_DONE && x->param == job->description->identity[BIL_ID_SERIAL] &&
                  bil_value_from_cells(format, job->cells, raw) == BIL_OK &&
                  memcmp(raw, bil_image_raw(job->config.have, x->param), format->size) == 0;
    job->unit = 0;
    job->elsewhere = false;
    job->dirty = true; /* back where it was: the next connection begins with who answers */
    if (f == FLOW_FAILED && !nobody && (job->why.cause == BIL_E_LOST || job->why.cause == BIL_E_GATEWAY_PATH))
        return stop(job, BIL_VERDICT_UNTOUCHED); /* the line itself is gone: that tells nothing */
    bil_failed(job, BIL_OK, BIL_NONE);
    if (!nobody && !itself)
        return refuse(job, BIL_E_ADDRESS_TAKEN, job->description->link_unit);
    if (itself)
        job->unit_after = 0;
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
    job->why.other = params[1];
    job->why.code = (uint32_t)rule;
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
    const saw *state = &job->saw[SAW_STATE];
    action->u.ask.found = state->known ? state->number : job->found;
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
    job->why.code = job->found;
    return announce(job, action, BIL_EV_INTENT);
}

static flow intent_done(bil_job *job, bil_action *action)
{
    job->why.code = 0;
    go(job, PH_SAFETY_DONE);
    action->u.save.have = job->config.have;
    return bil_give(job, action, BIL_ACT_SAVE);
}

/* Unlocks and holds it, and goes on with `then`. */
static flow hold_and(bil_job *job, phase then)
{
    job->then = (uint8_t)then;
    return begin(job, procedure(job, BIL_PROC_UNLOCK), PH_UNLOCK);
}

static flow safety_done(bil_job *job)
{
    if (job->result->outcome != BIL_DONE)
        return refuse(job, BIL_E_SAFETY_COPY, BIL_NONE);
    return hold_and(job, PH_HELD);
}

/* The record says to which state it has to go back. */
static flow unlock(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_REFUSED);
    if (f != FLOW_DONE)
        return f;
    bool is_held = job->held || (job->left_held && job->then == PH_HELD);
    const bil_procedure *how = is_held ? NULL : procedure(job, BIL_PROC_HOLD);
    begin(job, how, PH_HOLD);
    if (!how)
        return FLOW_DONE;
    announce(job, action, BIL_EV_HOLDING);
    action->u.record.code = job->found;
    return FLOW_ACTION;
}

/* It may be held from the first step on, and is when the last one has come to its end. */
static flow hold(bil_job *job, bil_action *action)
{
    job->held = job->held || job->left_held || job->player.procedure;
    flow f = play(job, action, BIL_VERDICT_REFUSED);
    if (f != FLOW_DONE)
        return f;
    /* Where it tells its state, that has to say so; else nobody can see when it is let go. */
    const saw *state = &job->saw[SAW_STATE];
    job->is_held = job->held && state->known && state->number == job->description->state_held;
    go(job, (phase)job->then);
    return job->player.procedure ? bil_give_record(job, action, BIL_EV_HELD) : FLOW_DONE;
}

/* Held again between two stages, what the restart brought about is the new start of the next one. */
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
    flow f = read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    if (job->between) {
        job->between = false;
        bil_watch_know(job);
        return go(job, PH_STAGE);
    }
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
    return go(job, job->config.kind == BIL_JOB_RESET ? PH_RESTART_NOW : PH_STAGE);
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

static bil_write_need need_of(const bil_job *job, uint16_t index)
{
    const bil_job_config *config = &job->config;
    return bil_plan_need(config->have, config->want, index, job->purpose, config->with_calibration);
}

/* What of a stage is to be written: not what the device refused, nor what there would be no way back from, unless it
 * was named. */
static uint16_t plan_stage(bil_job *job, uint8_t stage)
{
    const bil_job_config *config = &job->config;
    uint16_t kept = 0, count = bil_plan_write(config->have, config->want, job->purpose, config->with_calibration, stage,
                                              job->items);
    for (uint16_t i = 0; i < count; i++) {
        uint16_t index = job->items[i];
        bool blind = need_of(job, index) == BIL_NEED_READ && !(job->touched[index] & TOUCHED) &&
                     !(config->by_name && config->by_name[index]);
        if (!blind && !(job->touched[index] & GIVEN_UP))
            job->items[kept++] = index;
    }
    return kept;
}

static flow next_stage(bil_job *job, bil_action *action)
{
    for (; job->stage < STAGES; job->stage++) {
        job->write_count = plan_stage(job, job->stage);
        if (job->write_count == 0)
            continue;
        if (job->round >= ROUNDS) {
            uint16_t by = rival(job, job->items[0]);
            bil_failed(job, by == BIL_NONE ? BIL_E_DIFFERS : BIL_E_DISAGREE, job->items[0]);
            job->why.other = by;
            return stop(job, BIL_VERDICT_INCOMPLETE);
        }
        bil_block_rule rule = {job->description->link.write_cells, 1, 0, false};
        bil_plan_blocks(job->description, job->items, job->write_count, &rule, job->cost, job->next, NULL);
        job->write_at = 0;
        go(job, PH_WRITING);
        if (job->recorded_writing)
            return FLOW_DONE;
        job->recorded_writing = true;
        return announce(job, action, BIL_EV_WRITING);
    }
    if (job->again) {
        job->again = false;
        job->round++;
        job->stage = 0;
        return FLOW_DONE; /* look once more: a later stage may have reset something */
    }
    return go(job, job->config.trial ? PH_PROVE : PH_STORE);
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

/* A unit number that acts at once is spoken to from here on. */
static void follow(bil_job *job, uint16_t from, uint16_t to)
{
    uint16_t unit = job->description->link_unit;
    for (uint16_t i = from; i < to && job->unit_after; i++)
        if (job->items[i] == unit && !(job->description->params[unit].flags & BIL_NEEDS_RESTART)) {
            job->unit = job->unit_after;
            job->dirty = true;
        }
}

static void mark(bil_job *job, uint16_t from, uint16_t to, uint8_t what)
{
    for (uint16_t i = from; i < to; i++)
        job->touched[job->items[i]] |= what;
}

static flow write_block(bil_job *job, bil_action *action)
{
    flow f = bil_exchange_run(job, &job->exchange, action);
    if (f == FLOW_ACTION)
        return f;
    uint16_t from = job->write_at, to = job->next[from];
    bil_outcome outcome = job->exchange.outcome;
    if (f == FLOW_DONE || outcome == BIL_UNKNOWN) {
        /* What became of an unknown one shows when it is read back. */
        job->wrote = job->again = true;
        job->at_work = job->at_work || (f == FLOW_FAILED && job->why.cause == BIL_E_AT_WORK);
        mark(job, from, to, TOUCHED);
        if (f == FLOW_DONE)
            job->progress.written += (uint32_t)(to - from);
        job->progress.done += (uint32_t)(to - from);
        job->write_at = to;
        follow(job, from, to);
        return go(job, PH_WRITING);
    }
    if (outcome == BIL_REFUSED && to - from > 1) {
        uint16_t middle = (uint16_t)((from + to) / 2);
        job->next[from] = middle;
        job->next[middle] = to;
        return go(job, PH_WRITING);
    }
    if (outcome != BIL_REFUSED)
        return stop(job, BIL_VERDICT_UNTOUCHED);
    if (job->config.goes_back) { /* what can be got back is got back; this can't, and is named */
        mark(job, from, to, GIVEN_UP);
        job->write_at = to;
    }
    go(job, job->config.goes_back ? PH_WRITING : PH_REFUSED_DONE);
    return bil_give_record(job, action, BIL_EV_VALUE_REFUSED);
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
    const reason why = job->why; /* the refusal; a read must not hide it */
    flow f = bil_reader_run(job, action);
    if (f != FLOW_FAILED || !job->stranger)
        job->why = why;
    if (f == FLOW_ACTION)
        return f;
    job->wrote = f == FLOW_FAILED || foreign_change(job) != BIL_NONE;
    return stop(job, BIL_VERDICT_REFUSED);
}

static bool more_to_write(bil_job *job)
{
    for (uint8_t stage = (uint8_t)(job->stage + 1); stage < STAGES; stage++)
        if (plan_stage(job, stage))
            return true;
    return false;
}

/* A write that was acknowledged while the device is still at work on it is never sent again: its end is waited for. The
 * first value of the stage that isn't there yet, or BIL_NONE. */
static uint16_t still_at_work(bil_job *job)
{
    uint16_t count = job->at_work ? plan_stage(job, job->stage) : 0;
    for (uint16_t i = 0; i < count; i++)
        if (job->touched[job->items[i]] & TOUCHED)
            return job->items[i];
    return BIL_NONE;
}

static flow read_back(bil_job *job, bil_action *action)
{
    flow f = read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    uint16_t changed = foreign_change(job), open = still_at_work(job);
    if (changed != BIL_NONE)
        return refuse(job, job->reconnected ? BIL_E_INTERRUPTED : BIL_E_FOREIGN_CHANGE, changed);
    if (open != BIL_NONE && job->waits++ >= job->description->link.busy_tries)
        return refuse(job, BIL_E_AT_WORK, open);
    if (open != BIL_NONE) {
        bil_reader_values(job, job->config.have);
        return bil_give_wait(job, action, job->now + job->description->link.busy_ms);
    }
    job->reconnected = job->at_work = false;
    job->waits = 0;
    bil_watch_know(job);
    job->between = job->description->restart_after >> job->stage & 1 && !job->config.trial &&
                   job->config.restart != BIL_RESTART_NEVER && more_to_write(job);
    job->stage++;
    return go(job, job->between ? PH_STORE : PH_STAGE);
}

/* ---- make it last ---- */

static flow store(bil_job *job, bil_action *action)
{
    const bil_procedure *how = procedure(job, BIL_PROC_STORE);
#ifdef BIL_TEST_WITHOUT_STORE /* a test builds this to see that the proof notices */
    bil_player_start(job, NULL);
    go(job, PH_STORE_STEPS);
#else
    begin(job, how, PH_STORE_STEPS);
#endif
    return how ? announce(job, action, BIL_EV_STORING) : FLOW_DONE;
}

static flow store_steps(bil_job *job, bil_action *action)
{
    bool has = procedure(job, BIL_PROC_STORE) != NULL;
    job->wrote = job->wrote || has; /* from here on the stored values are touched, even where nothing differed */
    flow f = play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    go(job, PH_RESTART);
    job->stored = has;
    return has ? bil_give_record(job, action, BIL_EV_STORED) : FLOW_DONE;
}

static flow restart(bil_job *job)
{
    bool tells = job->description->stored_values == BIL_STORED_BY_RESTART;
    bil_restart when = job->config.restart;
    if (job->between)
        return go(job, PH_RESTART_NOW);
    if (when == BIL_RESTART_NEVER || !tells || (when != BIL_RESTART_BY_HAND && !procedure(job, BIL_PROC_RESTART)))
        return go(job, PH_PROVE);
    bool waits = when == BIL_RESTART_AT || (when == BIL_RESTART_IDLE && job->description->state != BIL_NONE);
    if (!waits || job->left_held)
        return go(job, PH_RESTART_NOW);
    job->is_held = false;
    return begin(job, job->held ? release_of(job) : NULL, PH_LET_WORK);
}

/* The wanted values are in force and stored: until its restart the device may work with them, when somebody starts it.
 */
static flow let_work(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    job->sure = false;
    bil_look_start(job);
    job->look.brief = true;
    return go(job, PH_WORKS);
}

static flow works(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_FAILED)
        stop(job, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bool was_held = job->held;
    job->held = false;
    go(job, PH_WAIT);
    return bil_give_record(job, action, was_held ? BIL_EV_RELEASED : BIL_EV_WAITING);
}

static flow wait_for_restart(bil_job *job, bil_action *action)
{
    job->sure = false;
    bil_look_start(job);
    go(job, PH_WAITED);
    return job->config.restart == BIL_RESTART_AT ? bil_give_wait(job, action, job->config.restart_ms) : FLOW_DONE;
}

/* What the device does now is what it is found in: a machine that stands then isn't started. */
static flow waited(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_FAILED && bil_watch_ended(job))
        stop(job, BIL_VERDICT_INCOMPLETE);
    if (f == FLOW_ACTION || (f == FLOW_FAILED && bil_watch_ended(job)))
        return f;
    const saw *state = &job->saw[SAW_STATE];
    bool known = f == FLOW_DONE && state->known, tells = job->description->state != BIL_NONE;
    bool idle = known && stands(job, state->number);
    bil_failed(job, BIL_OK, BIL_NONE);
    if (job->config.restart == BIL_RESTART_IDLE && tells && !idle && job->now < job->config.restart_ms) {
        go(job, PH_WAIT);
        return bil_give_wait(job, action, job->now + IDLE_MS);
    }
    if (known)
        job->found = state->number;
    job->ran = job->ran || (known && !idle);
    bool may = !tells || (known && may_be_held(job));
    if ((job->config.restart == BIL_RESTART_IDLE && tells && !idle) || (procedure(job, BIL_PROC_HOLD) && !may)) {
        job->why.cause = BIL_E_NOT_IDLE; /* at work, held by somebody, in fault, or on its way */
        return finish(job, BIL_VERDICT_NOT_PROVED);
    }
    return hold_and(job, PH_RESTART_NOW);
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
    go(job, PH_BEFORE_RESTART);
    return announce(job, action, resets ? BIL_EV_RESETTING : BIL_EV_RESTARTING);
}

/* What tells a restart is looked at before it, too: only a difference tells it. */
static flow before_restart(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_FAILED)
        stop(job, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bool resets = job->config.kind == BIL_JOB_RESET, by_hand = job->config.restart == BIL_RESTART_BY_HAND;
    job->restarts = true;
    job->restarted = job->acknowledged = job->away = false;
    job->gone = job->back = 0;
    bil_player_start(job, procedure(job, resets ? BIL_PROC_FACTORY_RESET : BIL_PROC_RESTART));
    return go(job, resets ? PH_RESET_STEPS : by_hand && !job->between ? PH_BY_HAND : PH_RESTART_STEPS);
}

static flow restart_steps(bil_job *job, bil_action *action)
{
    flow f = play(job, action, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    job->unit = job->unit_next;
    bil_look_start(job);
    return go(job, PH_WHO_CAME_BACK);
}

static flow reset_steps(bil_job *job, bil_action *action)
{
    job->wrote = true;
    return restart_steps(job, action);
}

static flow by_hand(bil_job *job, bil_action *action)
{
    go(job, PH_SWITCHED);
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
        return refuse(job, BIL_E_PERSON, BIL_NONE);
    job->dirty = job->acknowledged = true; /* the first look makes the connection anew */
    job->unit = job->unit_next;
    job->player.deadline = job->now + BY_HAND_MS;
    bil_look_start(job);
    return go(job, PH_SWITCHED_STATE);
}

/* No hold outlives its supply: a device that is still held wasn't switched off. */
static flow switched_state(bil_job *job, bil_action *action)
{
    flow f = bil_look_run(job, action);
    if (f == FLOW_ACTION)
        return f;
    if (f == FLOW_FAILED) {
        if (job->now >= job->player.deadline || bil_watch_ended(job))
            return refuse(job, job->stranger ? job->why.cause : BIL_E_RESTART, BIL_NONE);
        bil_look_start(job);
        return bil_give_wait(job, action, job->now + job->description->link.late_ms);
    }
    const saw *state = &job->saw[SAW_STATE];
    if (job->is_held && state->known && state->number == job->description->state_held)
        return refuse(job, BIL_E_RESTART, job->description->state);
    return go(job, PH_WHO_CAME_BACK);
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
        stop(job, BIL_VERDICT_INCOMPLETE);
    if (f != FLOW_DONE)
        return f;
    bool seen = restart_is_seen(job), resets = job->config.kind == BIL_JOB_RESET;
    const saw *state = &job->saw[SAW_STATE];
    bil_failed(job, BIL_OK, BIL_NONE);
    job->restarts = job->restarted = false;
    if (!seen && job->between) /* the next stage builds on it */
        return refuse(job, BIL_E_RESTART_UNSEEN, BIL_NONE);
    job->proved_restart = seen && !job->between;
    bool held = state->known ? state->number == job->description->state_held
                             : !seen || (job->description->restart_keeps_hold && !resets);
    if (!held) /* nothing holds it any more; a reset device stands */
        job->held = job->is_held = false;
    /* Where a restart ends hold, the device is held again: whether it may be let go isn't known yet. A machine that
     * somebody has set to work meanwhile isn't stopped. */
    bool at_work = !held && state->known && job->description->state_idle && !stands(job, state->number);
    job->left_held = job->left_held && (held || !(resets || at_work));
    if (at_work && job->between)
        return refuse(job, BIL_E_LET_GO, BIL_NONE);
    bool proves = resets || at_work || (held && !job->between);
    if (proves)
        go(job, PH_PROVE);
    else
        hold_and(job, job->between ? PH_HELD : PH_PROVE);
    return seen ? bil_give_record(job, action, BIL_EV_RESTARTED) : FLOW_DONE;
}

/* ---- prove ---- */

static flow prove(bil_job *job)
{
    if (job->reads > 0) {
        bil_watch_know(job);
        job->moved = false;
    }
    job->sure = job->sure && job->fresh; /* who answers stands on either side of each proof */
    bil_reader_values(job, job->config.have);
    return go(job, PH_PROVING);
}

bil_error bil_job_exception(const bil_job *job, uint16_t index)
{
    switch (need_of(job, index)) {
    case BIL_NEED_WRITE:
        return job->touched[index] & GIVEN_UP ? BIL_E_REFUSED : BIL_E_DIFFERS;
    case BIL_NEED_READ:
        return job->touched[index] & GIVEN_UP ? BIL_E_REFUSED : BIL_E_UNREADABLE;
    case BIL_NEED_ROUNDED:
        return BIL_E_ROUNDED;
    case BIL_NEED_FIXED:
        return BIL_E_FIXED;
    case BIL_NEED_LACKS:
        return BIL_E_LACKS;
    default:
        return BIL_OK;
    }
}

/* Is this value as wanted, or an exception that can be named? What this job never touched, or the device refused, is
 * one; what it touched has to be right. */
static bool proved(bil_job *job, uint16_t index)
{
    bil_error exception = bil_job_exception(job, index);
    job->excepted = job->excepted || exception;
    bool touched = job->touched[index] & TOUCHED;
    if (exception != BIL_E_DIFFERS && (exception != BIL_E_UNREADABLE || !touched))
        return true;
    refuse(job, exception, index);
    return false;
}

static flow proving(bil_job *job, bil_action *action)
{
    flow f = read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    const bil_description *d = job->description;
    job->excepted = !job->unit_tells && job->config.kind != BIL_JOB_RESET;
    for (uint16_t i = 0; i < d->count; i++)
        if (!proved(job, i))
            return FLOW_DONE;
    if (++job->reads < 2)
        return go(job, PH_PROVE);
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].cls != BIL_CLASS_UNIT && job->expect.state[i] == BIL_PRESENT &&
            !bil_image_same(&job->expect, job->config.have, i))
            return refuse(job, BIL_E_FOREIGN_CHANGE, i);
    if (job->moved) /* a value changed and changed back, or one that can't be seen */
        return refuse(job, BIL_E_FOREIGN_CHANGE, d->changes);
    bool ordered = job->config.restart != BIL_RESTART_NEVER && d->stored_values == BIL_STORED_BY_RESTART;
    job->verdict = job->config.trial      ? BIL_VERDICT_ON_TRIAL
                   : !job->proved_restart ? BIL_VERDICT_NOT_PROVED
                   : job->excepted        ? BIL_VERDICT_WITH_EXCEPTIONS
                                          : BIL_VERDICT_VERIFIED;
    bil_failed(job, !job->config.trial && !job->proved_restart && ordered ? BIL_E_RESTART_UNSEEN : BIL_OK, BIL_NONE);
    go(job, PH_RELEASE);
    return bil_give_record(job, action, BIL_EV_PROVED);
}

/* ---- let go ---- */

static flow release(bil_job *job, bil_action *action)
{
    if (job->left_held || !job->held) {
        if (job->left_held && job->why.cause == BIL_OK)
            job->why.cause = BIL_E_LEFT_HELD;
        return go(job, PH_VERDICT);
    }
    job->is_held = false;
    begin(job, release_of(job), PH_RELEASE_STEPS);
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
    return go(job, PH_LET_GO);
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
    go(job, PH_VERDICT);
    if (f == FLOW_FAILED || !job->let_go)
        return FLOW_DONE;
    job->why = why;
    job->held = false;
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
    action->u.end.wrote = job->wrote && (job->progress.write_requests > 0 || job->config.kind == BIL_JOB_RESET);
    action->u.end.stored = job->stored;
    action->u.end.restarted = job->proved_restart;
    action->u.end.stopped = job->ran && !job->held;
    action->u.end.cause = job->why.cause;
    action->u.end.param = job->why.param;
    action->u.end.other = job->why.other;
    action->u.end.code = job->why.code;
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
    case PH_STATE: return state_found(job);
    case PH_LOOK: return look_there(job);
    case PH_LOOKING: return looking(job, action);
    case PH_ASK: return ask(job, action);
    case PH_ASKED: return asked(job);
    case PH_INTENT: return intent(job, action);
    case PH_INTENT_DONE: return intent_done(job, action);
    case PH_SAFETY_DONE: return safety_done(job);
    case PH_UNLOCK: return unlock(job, action);
    case PH_HOLD: return hold(job, action);
    case PH_HELD: return held(job);
    case PH_RECHECK: return recheck(job, action);
    case PH_STAGE: return next_stage(job, action);
    case PH_WRITING: return start_block(job);
    case PH_WRITE_BLOCK: return write_block(job, action);
    case PH_REFUSED_DONE: return refused_done(job);
    case PH_UNTOUCHED: return untouched(job, action);
    case PH_READ_BACK: return read_back(job, action);
    case PH_STORE: return store(job, action);
    case PH_STORE_STEPS: return store_steps(job, action);
    case PH_RESTART: return restart(job);
    case PH_LET_WORK: return let_work(job, action);
    case PH_WORKS: return works(job, action);
    case PH_WAIT: return wait_for_restart(job, action);
    case PH_WAITED: return waited(job, action);
    case PH_RESTART_NOW: return restart_now(job, action);
    case PH_BEFORE_RESTART: return before_restart(job, action);
    case PH_RESTART_STEPS: return restart_steps(job, action);
    case PH_BY_HAND: return by_hand(job, action);
    case PH_SWITCHED: return switched(job);
    case PH_SWITCHED_STATE: return switched_state(job, action);
    case PH_RESET_STEPS: return reset_steps(job, action);
    case PH_WHO_CAME_BACK: return who_came_back(job, action);
    case PH_PROVE: return prove(job);
    case PH_PROVING: return proving(job, action);
    case PH_RELEASE: return release(job, action);
    case PH_RELEASE_STEPS: return release_steps(job, action);
    case PH_LET_GO: return let_go(job, action);
    case PH_VERDICT: return verdict(job, action);
    default: return end(job, action);
    }
    /* clang-format on */
}

flow bil_write_run(bil_job *job, bil_action *action)
{
    bool unrecorded = job->must_record && job->result->outcome != BIL_DONE;
    job->must_record = false;
    if (unrecorded)
        refuse(job, BIL_E_RECORD, BIL_NONE);
    for (;;)
        if (run_phase(job, action) == FLOW_ACTION)
            return FLOW_ACTION;
}
