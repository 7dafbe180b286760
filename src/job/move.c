/* The address that the values bring: where the device answers once they are in force. */
#include <string.h>

#include "machine.h"

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
bool bil_move_start(bil_job *job)
{
    job->unit_after = brings_to(job);
    if (job->unit_after == 0 || job->unit_after == job->config.unit)
        return false;
    job->unit = job->unit_after;
    job->elsewhere = job->dirty = true; /* over a connection of its own */
    uint16_t serial = job->description->identity[BIL_ID_SERIAL];
    bil_exchange_read_param(job, serial == BIL_NONE ? job->description->identity[BIL_ID_MODEL] : serial);
    return true;
}

/* Only silence is nobody: whatever comes from there, no, or something that makes no sense, is there. When it is this
 * unit itself, its number is of no account on this link, as with many devices on a network of their own. */
flow bil_move_run(bil_job *job, bil_action *action)
{
    exchange *x = &job->exchange;
    flow f = bil_exchange_run(job, x, action);
    if (f == FLOW_ACTION)
        return f;
    uint16_t param = x->items[0];
    bool nobody = f == FLOW_FAILED && x->outcome == BIL_UNKNOWN && !x->heard;
    bool itself =
        f == FLOW_DONE && param == job->description->identity[BIL_ID_SERIAL] && !x->cause[0] &&
        memcmp(x->raw, bil_image_raw(job->config.have, param), job->description->params[param].format->size) == 0;
    job->unit = 0;
    job->elsewhere = false;
    job->dirty = true; /* back where it was: the next connection begins with who answers */
    if (f == FLOW_FAILED && !nobody && (job->why.cause == BIL_E_LOST || job->why.cause == BIL_E_GATEWAY_PATH))
        return bil_stop(job, BIL_VERDICT_UNTOUCHED); /* the line itself is gone: that tells nothing */
    bil_failed(job, BIL_OK, BIL_NONE);
    if (!nobody && !itself)
        return bil_refuse(job, BIL_E_ADDRESS_TAKEN, job->description->link_unit);
    if (itself)
        job->unit_after = 0;
    return FLOW_DONE;
}

void bil_move_follow(bil_job *job, uint16_t from, uint16_t to)
{
    uint16_t unit = job->description->link_unit;
    for (uint16_t i = from; i < to && job->unit_after; i++)
        if (job->items[i] == unit && !(job->description->params[unit].flags & BIL_NEEDS_RESTART)) {
            job->unit = job->unit_after;
            job->dirty = true;
        }
}
