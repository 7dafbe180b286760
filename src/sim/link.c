#include "link.h"

static bil_outcome answer(sim_link *link, sim_reply reply, bil_result *result)
{
    if (reply == SIM_DEAD) {
        link->connected = false;
        result->cause = BIL_E_SILENT;
        return BIL_UNKNOWN;
    }
    result->code = (uint32_t)reply;
    if (reply == SIM_OK)
        return BIL_DONE;
    result->cause = reply == SIM_BUSY ? BIL_E_BUSY : BIL_E_REFUSED;
    return reply == SIM_BUSY ? BIL_BUSY : BIL_REFUSED;
}

static bil_outcome connect_link(void *ctx, bil_result *result)
{
    sim_link *link = ctx;
    link->now += 2;
    link->connected = sim_is_up(link->unit, link->now);
    if (!link->connected)
        result->cause = BIL_E_NOT_REACHABLE;
    return link->connected ? BIL_DONE : BIL_NOT_SENT;
}

static bool not_connected(const sim_link *link, bil_result *result)
{
    if (!link->connected)
        result->cause = BIL_E_LOST;
    return !link->connected;
}

static bil_outcome read_cells(void *ctx, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells,
                              bil_result *result)
{
    sim_link *link = ctx;
    if (not_connected(link, result))
        return BIL_NOT_SENT;
    link->now += link->unit->model->reply_ms;
    return answer(link, sim_read(link->unit, link->now, space, address, count, cells), result);
}

static bil_outcome write_cells(void *ctx, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells,
                               bil_result *result)
{
    sim_link *link = ctx;
    if (not_connected(link, result))
        return BIL_NOT_SENT;
    link->now += link->unit->model->reply_ms;
    return answer(link, sim_write(link->unit, link->now, space, address, count, cells), result);
}

static void close_link(void *ctx)
{
    ((sim_link *)ctx)->connected = false;
}

static const bil_link_ops ops = {connect_link, read_cells, write_cells, close_link};

static uint64_t now_ms(void *ctx)
{
    return ((sim_link *)ctx)->now;
}

static void sleep_until(void *ctx, uint64_t ms)
{
    sim_link *link = ctx;
    if (ms > link->now)
        link->now = ms;
}

static const bil_clock_ops clock_ops = {now_ms, sleep_until};

bil_link sim_link_open(sim_link *link, sim_unit *unit)
{
    *link = (sim_link){.unit = unit};
    return (bil_link){&ops, link};
}

bil_clock sim_link_clock(sim_link *link)
{
    return (bil_clock){&clock_ops, link};
}
