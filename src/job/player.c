/* Which procedure it is, and playing its steps. */
#include <string.h>

#include "machine.h"

enum { ENTER = PLAYER_ENTER, WRITING, READING, PAUSING, CONNECTING, ASKING };

void bil_player_start(bil_job *job, const bil_procedure *procedure)
{
    job->player = (player){.procedure = procedure};
}

const bil_procedure *bil_procedure_of(const bil_job *job, bil_proc_kind kind)
{
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&job->expect, BIL_ID_HARDWARE, hardware, sizeof hardware);
    return bil_description_procedure(job->description, kind, hardware, job->found);
}

/* Half of the time is left for what it is unlocked for. */
static bool is_locked_soon(const bil_job *job)
{
    uint32_t lasts = job->description->unlock_lasts_ms;
    bool soon = lasts && (uint32_t)job->now + 1 - job->unlocked >= lasts / 2;
    return job->writable && (soon || bil_is_locked(job));
}

void bil_begin(bil_job *job, const bil_procedure *how)
{
    const bil_procedure *first = is_locked_soon(job) ? bil_procedure_of(job, BIL_PROC_UNLOCK) : how;
    bil_player_start(job, first);
    if (first != how)
        job->player.then = how;
    job->sure = job->sure && job->fresh;
}

static void start_write(bil_job *job, const bil_proc_step *step)
{
    uint8_t size = job->description->params[step->param].format->size;
    bool secret = step->kind == BIL_STEP_SECRET;
    memset(job->exchange.raw, 0, size);
    const uint8_t *raw = step->from ? bil_image_raw(&job->expect, (uint16_t)(step->from - 1)) : step->raw;
    if (raw && !secret)
        memcpy(job->exchange.raw, raw, size);
    else if (!secret)
        bil_value_put_number(job->exchange.raw, size, step->value);
    bil_exchange_write_param(job, step->param, step->repeatable, secret ? (uint8_t)step->value : 0);
}

static bil_error cause_of(const bil_job *job)
{
    static const uint8_t causes[BIL_PROC_COUNT] = {BIL_E_PASSWORD, BIL_E_PASSWORD, BIL_E_HOLD,    BIL_E_RELEASE,
                                                   BIL_E_STORE,    BIL_E_RESTART,  BIL_E_RESTART, BIL_E_START,
                                                   BIL_E_REFUSED,  BIL_E_REFUSED,  BIL_E_RELEASE, BIL_E_REFUSED};
    return (bil_error)causes[job->player.procedure->kind];
}

static bool is_link_trouble(bil_error cause)
{
    return cause == BIL_E_GATEWAY_PATH || cause == BIL_E_GATEWAY_SILENT || cause >= BIL_E_ACCOUNT_LOCKED ||
           (cause >= BIL_E_NOT_REACHABLE && cause <= BIL_E_GARBLED);
}

/* The device said no to a step, or a condition didn't come true. Trouble with the link keeps its own name, except
 * where the device was told to go away and hasn't come back; so does whatever makes it another or a changed device. */
static flow step_failed(bil_job *job, uint16_t param, bool condition)
{
    bil_error cause = job->why.cause;
    uint32_t code = job->why.code;
    bool keep = !condition && is_link_trouble(cause) && job->player.procedure->kind != BIL_PROC_RESTART;
    if (bil_watch_ended(job))
        return FLOW_FAILED;
    bil_failed(job, keep ? cause : cause_of(job), param);
    job->why.code = condition ? 0 : code;
    return FLOW_FAILED;
}

static bool makes_it_restart(const player *p)
{
    return p->procedure->kind == BIL_PROC_RESTART || p->procedure->kind == BIL_PROC_FACTORY_RESET;
}

static bool holds(const bil_proc_step *step, uint32_t number)
{
    return (number & step->mask) == step->value;
}

/* What was seen of the state before the command went out tells of a condition on it. */
static bool known_otherwise(const bil_job *job, const bil_proc_step *step)
{
    const saw *state = &job->exchange.before;
    return step->param == job->description->state && state->known && !holds(step, state->number);
}

static flow begin(bil_job *job, bil_action *action, const bil_proc_step *step)
{
    player *p = &job->player;
    switch ((bil_step_kind)step->kind) {
    case BIL_STEP_WRITE:
    case BIL_STEP_SECRET:
        if (step->from && job->expect.state[step->from - 1] != BIL_PRESENT)
            return bil_failed(job, BIL_E_UNREADABLE, (uint16_t)(step->from - 1));
        start_write(job, step);
        p->state = WRITING;
        return FLOW_DONE;
    case BIL_STEP_UNTIL:
        p->deadline = job->now + step->within_ms;
        bil_exchange_read_param(job, step->param);
        p->state = READING;
        return FLOW_DONE;
    case BIL_STEP_WAIT:
        p->state = PAUSING;
        return bil_give_wait(job, action, job->now + step->within_ms);
    case BIL_STEP_RECONNECT:
        p->state = CONNECTING;
        job->gone = job->now;
        job->away = true;
        if (makes_it_restart(p))
            job->unit = job->unit_next; /* from here on it answers there; a command sent again went to the old one */
        return bil_give_connect(job, action, step->within_ms);
    default:
        p->state = ASKING;
        action->u.ask.question = BIL_ASK_PERSON;
        action->u.ask.text = step->text;
        action->u.ask.have = job->config.have;
        action->u.ask.found = job->found;
        return bil_give(job, action, BIL_ACT_ASK);
    }
}

/* A condition has been read, or could not be. FLOW_DONE: it holds, and that tells something. */
static flow judge(bil_job *job, bil_action *action, const bil_proc_step *step, flow read)
{
    player *p = &job->player;
    const uint8_t *raw = job->exchange.raw;
    uint8_t size = job->description->params[step->param].format->size;
    uint32_t number = (uint32_t)bil_value_number(raw, size);
    bool known = read == FLOW_DONE && !job->exchange.cause[0];
    bool so = known && (step->raw ? memcmp(raw, step->raw, size) == 0 : holds(step, number));
    if (known && step->param == job->description->state)
        job->saw[SAW_STATE] = (saw){number, true};
    if (so && (!p->doubt || p->otherwise)) {
        bil_failed(job, BIL_OK, BIL_NONE); /* what went wrong while it was waited for is of no account */
        p->doubt = false;
        return FLOW_DONE;
    }
    p->otherwise = p->otherwise || (known && !so);
    if (read == FLOW_FAILED && bil_watch_ended(job))
        return FLOW_FAILED;
    job->away = job->away && read == FLOW_FAILED;
    if (job->away)
        job->back = job->now;
    if (job->now >= p->deadline && so && p->taken) {
        p->doubt = false; /* the device said that it had begun, and by now it has to be over */
        return FLOW_DONE;
    }
    if (job->now >= p->deadline) /* one that holds already tells nothing of a command that may be lost */
        return step_failed(job, step->param, read == FLOW_DONE);
    bil_exchange_read_param(job, step->param); /* not yet, or not answering yet */
    return bil_give_wait(job, action, job->now + step->every_ms);
}

/* A write whose fate is unknown, or one that is refused when it is repeated after its reply was lost, may have been
 * taken. After an order to restart only what a restart leaves behind tells that; else the next condition has to, and
 * there has to be one. Time that passes and a new connection tell nothing. */
static bool may_have_been_taken(bil_job *job)
{
    player *p = &job->player;
    const exchange *x = &job->exchange;
    bool maybe = (x->outcome == BIL_UNKNOWN || x->sent) && !bil_watch_ended(job);
    if (!maybe || makes_it_restart(p))
        return maybe;
    for (uint16_t i = (uint16_t)(p->at + 1); i < p->procedure->step_count; i++)
        if (p->procedure->steps[i].kind == BIL_STEP_UNTIL) {
            p->taken = job->why.cause == BIL_E_AT_WORK && !p->doubt;
            p->doubt = true;
            p->otherwise = known_otherwise(job, &p->procedure->steps[i]);
            return true;
        }
    return false;
}

/* A step that was refused since the connection was lost, and with it what was unlocked: that is done again, and the
 * step, once in a procedure. */
static bool unlock_in_between(bil_job *job)
{
    const player p = job->player;
    const exchange *x = &job->exchange;
    bool locked = job->locked && job->writable && x->outcome == BIL_REFUSED && p.procedure->kind != BIL_PROC_UNLOCK;
    if (!locked || p.then_at || (x->sent && !x->repeatable))
        return false;
    bil_player_start(job, bil_procedure_of(job, BIL_PROC_UNLOCK));
    job->player.then = p.procedure;
    job->player.then_at = (uint16_t)(p.at + 1);
    return true;
}

/* One is over; false: it was the last one. */
static bool next_procedure(bil_job *job)
{
    player *p = &job->player;
    uint16_t from = p->then_at;
    if (p->procedure->kind <= BIL_PROC_UNLOCK) /* for reading, or for writing */
        job->unlocked = (uint32_t)job->now | 1;
    job->writable = job->writable || p->procedure->kind == BIL_PROC_UNLOCK;
    if (!p->then)
        return false;
    bil_player_start(job, p->then);
    p->at = (uint16_t)(from - (from > 0));
    p->then_at = from;
    return true;
}

flow bil_player_run(bil_job *job, bil_action *action)
{
    player *p = &job->player;
    for (;;) {
        if (!p->procedure)
            return FLOW_DONE;
        if (p->at >= p->procedure->step_count) {
            if (!next_procedure(job))
                return FLOW_DONE;
            continue;
        }
        const bil_proc_step *step = &p->procedure->steps[p->at];
        flow f;
        switch (p->state) {
        case ENTER:
            f = begin(job, action, step);
            if (f != FLOW_DONE)
                return f;
            continue;
        case WRITING:
            f = bil_exchange_run(job, &job->exchange, action);
            if (f == FLOW_ACTION)
                return f;
            if (f == FLOW_FAILED && unlock_in_between(job))
                continue;
            if (f == FLOW_FAILED && !may_have_been_taken(job))
                return step_failed(job, step->param, false);
            job->acknowledged = f == FLOW_DONE;
            job->locked = job->locked && p->procedure->kind > BIL_PROC_UNLOCK;
            break;
        case READING:
            f = bil_exchange_run(job, &job->exchange, action);
            if (f != FLOW_ACTION && job->locked && p->procedure->kind <= BIL_PROC_UNLOCK && p->relocks++ < LINK_TRIES) {
                p->at = 0; /* the code was entered on a connection that is gone */
                p->state = ENTER;
                continue;
            }
            if (f != FLOW_ACTION)
                f = judge(job, action, step, f);
            if (f != FLOW_DONE)
                return f;
            break;
        case CONNECTING:
            if (job->result->outcome != BIL_DONE)
                return step_failed(job, BIL_NONE, false);
            job->back = job->now;
            job->dirty = false;
            break;
        case ASKING:
            if (job->result->outcome != BIL_DONE)
                return bil_failed(job, BIL_E_PERSON, BIL_NONE);
            break;
        default:
            break; /* the pause is over */
        }
        p->at++;
        p->state = ENTER;
    }
}
