/* Writing until nothing differs: stage by stage, block by block, each read back. */
#include <string.h>

#include "machine.h"

enum { BEGIN, RECHECKING, STAGE, PLAYING, WRITING, NEXT, BLOCK, WRITTEN, REFUSED, UNTOUCHED, READING_BACK };

/* Not what the device refused, nor what there would be no way back from, unless it was named. */
bool bil_job_plans(const bil_job *job, uint16_t index)
{
    const bil_job_config *config = &job->config;
    bil_write_need need = bil_job_need(job, index);
    bool blind =
        need == BIL_NEED_READ && !(job->touched[index] & TOUCHED) && !(config->by_name && config->by_name[index]);
    return (need == BIL_NEED_WRITE || need == BIL_NEED_READ) && !blind && !(job->touched[index] & GIVEN_UP);
}

static const bil_space *space_of(const bil_job *job, uint16_t index)
{
    return &job->description->spaces[job->description->params[index].space];
}

/* Does it come along, as the device has it, when something else of its space is written? */
static bool rides(const bil_job *job, uint16_t index)
{
    return space_of(job, index)->whole && job->description->params[index].flags & BIL_WRITABLE;
}

/* What of a stage is to be written, by place. */
static uint16_t plan_stage(bil_job *job, uint8_t stage)
{
    const bil_description *d = job->description;
    uint16_t count = 0, from = 0, space = 0; /* `from`: where this space begins */
    bool any = false;
    for (uint16_t i = 0; i < d->count; i++) {
        uint16_t index = d->by_place[i];
        const bil_param *param = &d->params[index];
        if (param->space != space) {
            from = count = any ? count : from;
            space = param->space;
            any = false;
        }
        if (param->stage != stage)
            continue;
        bool now = bil_job_plans(job, index);
        any = any || now;
        if (now || rides(job, index))
            job->items[count++] = index;
    }
    return any ? count : from;
}

/* Held again between two stages, what the restart brought about is the new start of the next one. */
static flow held(bil_job *job)
{
    bil_reader_values(job, job->config.have);
    return on(job, RECHECKING);
}

static flow recheck(bil_job *job, bil_action *action)
{
    flow f = bil_read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    if (job->between) {
        job->between = false;
        bil_watch_know(job);
        return on(job, STAGE);
    }
    uint16_t changed = bil_foreign_change(job);
    if (changed != BIL_NONE)
        return bil_refuse(job, BIL_E_FOREIGN_CHANGE, changed);
    job->progress.done = job->progress.total = 0;
    for (uint8_t stage = 0; stage < STAGES; stage++)
        job->progress.total += plan_stage(job, stage);
    job->stage = 0;
    return job->config.kind == BIL_JOB_RESET ? FLOW_DONE : on(job, STAGE);
}

/* A value won't stay: is there another one with which it resets each other? */
static uint16_t rival(const bil_job *job, uint16_t index)
{
    const bil_description *description = job->description;
    for (uint16_t i = 0; i < description->count; i++)
        if (bil_resets(&description->params[i], index) && bil_resets(&description->params[index], i))
            return i;
    return BIL_NONE;
}

/* Begins, or ends, what a device takes together; before each block it may be unlocked again. What became of an end that
 * isn't known shows when it is read back. */
static flow play(bil_job *job, const bil_procedure *how, uint8_t after)
{
    if (!how && !job->description->unlock_lasts_ms &&
        !bil_is_locked(job)) /* nothing is sent: what is known of who answers stays so */
        return on(job, after);
    bil_begin(job, how);
    job->inner = after;
    return on(job, PLAYING);
}

static flow next_stage(bil_job *job, bil_action *action)
{
    for (; job->stage <= STAGES; job->stage++) { /* behind the last one come secrets, once */
        bool secrets = job->stage == STAGES && job->config.secrets && !job->put;
        job->write_count = plan_stage(job, job->stage);
        if (job->write_count == 0 && !secrets)
            continue;
        if (job->round >= ROUNDS) {
            uint16_t by = rival(job, job->items[0]);
            bil_failed(job, by == BIL_NONE ? BIL_E_DIFFERS : BIL_E_DISAGREE, job->items[0]);
            job->why.other = by;
            return bil_stop(job, BIL_VERDICT_INCOMPLETE);
        }
        const bil_request_rule rule = {.write = true, .request_cost = 1};
        bil_plan_requests(job->description, job->items, job->write_count, &rule, job->cost, job->next, NULL);
        job->write_at = 0;
        play(job, bil_procedure_of(job, BIL_PROC_BEGIN), WRITING);
        if (job->recorded_writing)
            return FLOW_ON;
        job->recorded_writing = true;
        return bil_announce(job, action, BIL_EV_WRITING);
    }
    if (job->again) {
        job->again = false;
        job->round++;
        job->stage = 0;
        return FLOW_ON; /* look once more: a later stage may have reset something */
    }
    return FLOW_DONE;
}

static flow playing(bil_job *job, bil_action *action)
{
    const bil_procedure *how = job->player.procedure;
    job->begun = job->begun || (how && how->kind == BIL_PROC_BEGIN);
    flow f = bil_play(job, action, BIL_VERDICT_REFUSED);
    if (f == FLOW_FAILED && how == job->config.secrets && job->exchange.outcome == BIL_REFUSED) {
        job->touched[job->why.param] |= GIVEN_UP;
        bil_player_skip(job);
        return bil_give_record(job, action, BIL_EV_VALUE_REFUSED);
    }
    return f == FLOW_DONE ? on(job, job->inner) : f;
}

static flow writing(bil_job *job)
{
    if (job->write_at < job->write_count)
        return play(job, NULL, NEXT);
    if (job->stage < STAGES || job->put)
        return play(job, bil_procedure_of(job, BIL_PROC_COMMIT), WRITTEN);
    job->put = job->wrote = job->again = true;
    return play(job, job->config.secrets, WRITING);
}

static flow written(bil_job *job)
{
    job->begun = false;
    bil_reader_values(job, job->config.have);
    return on(job, READING_BACK);
}

static flow start_block(bil_job *job)
{
    uint16_t from = job->write_at, to = job->next[from];
    uint8_t *raw = job->exchange.raw;
    for (uint16_t i = from; i < to; i++) {
        uint16_t index = job->items[i];
        uint8_t size = job->description->params[index].format->size;
        const bil_image *its = bil_job_plans(job, index) ? job->config.want : job->config.have;
        if (its->state[index] != BIL_PRESENT) /* without it the write would take it away */
            return bil_refuse(job, BIL_E_UNREADABLE, index);
        memcpy(raw, bil_image_raw(its, index), size);
        raw += size;
    }
    bil_exchange_write(job, job->items + from, (uint16_t)(to - from));
    return on(job, BLOCK);
}

static void mark(bil_job *job, uint16_t from, uint16_t to, uint8_t what)
{
    for (uint16_t i = from; i < to; i++)
        job->touched[job->items[i]] |= what;
}

/* Its bytes are read back once, for the proof; before that only where nobody knows how much of it arrived. */
static bool sent_file(bil_job *job, uint16_t index, bool done)
{
    bool file = bil_is_file(job, index);
    if (file && done)
        bil_image_put(job->config.have, index, bil_image_raw(job->config.want, index));
    else
        job->touched[index] &= (uint8_t)~KNOWN;
    return file;
}

static flow write_block(bil_job *job, bil_action *action)
{
    flow f = bil_exchange_run(job, &job->exchange, action);
    if (f == FLOW_ACTION)
        return f;
    uint16_t from = job->write_at, to = job->next[from];
    bil_outcome outcome = job->exchange.outcome;
    bool own = job->why.cause != BIL_E_FOREIGN_CHANGE; /* the device has no objection to what it is asked to take */
    bool rest = (sent_file(job, job->items[from], f == FLOW_DONE) && own) || job->config.goes_back;
    if (f == FLOW_DONE || outcome == BIL_UNKNOWN) {
        /* What became of an unknown one shows when it is read back. */
        job->wrote = job->again = true;
        job->at_work = job->at_work || (f == FLOW_FAILED && job->why.cause == BIL_E_AT_WORK);
        mark(job, from, to, TOUCHED);
        if (f == FLOW_DONE)
            job->progress.written += (uint32_t)(to - from);
        job->progress.done += (uint32_t)(to - from);
        job->write_at = to;
        bil_move_follow(job, from, to);
        return on(job, WRITING);
    }
    bool whole = space_of(job, job->items[from])->whole; /* half of it would take the other half away */
    if (outcome == BIL_REFUSED && to - from > 1 && job->why.cause == BIL_E_REFUSED && !whole) {
        uint16_t middle = (uint16_t)((from + to) / 2);
        job->next[from] = middle;
        job->next[middle] = to;
        return on(job, WRITING);
    }
    if (outcome != BIL_REFUSED)
        return bil_stop(job, BIL_VERDICT_UNTOUCHED);
    if (rest) { /* what can be got there is got there; this can't, and is named */
        mark(job, from, to, GIVEN_UP);
        job->write_at = to;
    }
    job->step = rest ? WRITING : REFUSED;
    return bil_give_record(job, action, BIL_EV_VALUE_REFUSED);
}

/* The device refused the first value. Is it really as it was, or did it take a part before it said no? */
static flow refused_done(bil_job *job)
{
    if (job->wrote)
        return bil_stop(job, BIL_VERDICT_INCOMPLETE);
    bil_reader_values(job, job->config.have);
    return on(job, UNTOUCHED);
}

static flow untouched(bil_job *job, bil_action *action)
{
    const reason why = job->why; /* the refusal; a read must not hide it */
    flow f = bil_reader_run(job, action);
    if (f != FLOW_FAILED || !job->stranger)
        job->why = why;
    if (f == FLOW_ACTION)
        return f;
    job->wrote = f == FLOW_FAILED || bil_foreign_change(job) != BIL_NONE;
    return bil_stop(job, BIL_VERDICT_REFUSED);
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
    flow f = bil_read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    uint16_t changed = bil_foreign_change(job), open = still_at_work(job);
    if (changed != BIL_NONE)
        return bil_refuse(job, job->reconnected ? BIL_E_INTERRUPTED : BIL_E_FOREIGN_CHANGE, changed);
    if (open != BIL_NONE && job->waits++ >= job->description->link.busy_tries)
        return bil_refuse(job, BIL_E_AT_WORK, open);
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
    return job->between ? FLOW_DONE : on(job, STAGE);
}

static flow step(bil_job *job, bil_action *action)
{
    switch (job->step) {
    case BEGIN:
        return held(job);
    case RECHECKING:
        return recheck(job, action);
    case STAGE:
        return next_stage(job, action);
    case PLAYING:
        return playing(job, action);
    case WRITING:
        return writing(job);
    case NEXT:
        return start_block(job);
    case WRITTEN:
        return written(job);
    case BLOCK:
        return write_block(job, action);
    case REFUSED:
        return refused_done(job);
    case UNTOUCHED:
        return untouched(job, action);
    default:
        return read_back(job, action);
    }
}

flow bil_converge_run(bil_job *job, bil_action *action)
{
    return bil_steps(job, action, step);
}
