#include "link.h"

enum { PATIENCE_MS = 300 };

/* Who answers there? NULL: nobody. */
static sim_unit *who(const sim_link *link)
{
    sim_unit *other = link->neighbour;
    if (link->number == 0 || link->unit->answers_at == link->number)
        return link->unit;
    return other && other->answers_at == link->number ? other : NULL;
}

static bil_outcome answer(sim_link *link, sim_reply reply, const sim_unit *unit, bil_result *result)
{
    if (unit && unit->late_ms > PATIENCE_MS)
        reply = SIM_SILENT;
    else if (unit)
        link->now += unit->late_ms;
    link->replied = link->now;
    if (reply == SIM_DEAD || reply == SIM_SILENT) {
        link->now += PATIENCE_MS;
        link->connected = false;
        result->cause = BIL_E_SILENT;
        return BIL_UNKNOWN;
    }
    result->code = (uint32_t)reply;
    if (reply == SIM_OK)
        return BIL_DONE;
    if (reply == SIM_AT_WORK) {
        result->cause = BIL_E_AT_WORK;
        return BIL_UNKNOWN;
    }
    result->cause = reply == SIM_BUSY ? BIL_E_BUSY : BIL_E_REFUSED;
    return reply == SIM_BUSY ? BIL_BUSY : BIL_REFUSED;
}

static bil_outcome connect_link(void *ctx, bil_result *result)
{
    sim_link *link = ctx;
    link->now += 2;
    link->connected = sim_is_up(link->unit, link->now) || link->number; /* a line is always there */
    if (!link->connected)
        result->cause = BIL_E_NOT_REACHABLE;
    return link->connected ? BIL_DONE : BIL_NOT_SENT;
}

/* Another unit takes the place of the one that was there; true when this request is lost with that. */
static bool swapped(sim_link *link)
{
    bool now = link->swap && link->requests++ == link->swap_at;
    if (now)
        link->unit = link->swap;
    return now && link->swap_loses;
}

static bool not_connected(const sim_link *link, bil_result *result)
{
    if (!link->connected)
        result->cause = BIL_E_LOST;
    return !link->connected;
}

/* The request goes out after the silence that is asked for, and is answered a moment later. */
static void take_time(sim_link *link, const bil_span *at)
{
    uint64_t from = link->replied ? link->replied + at->pause_ms : 0;
    link->now = from > link->now ? from : link->now;
    link->hurried += link->replied && link->now < link->replied + link->deaf_ms;
    link->now += link->unit->model->reply_ms;
}

/* In which space of the unit the cells lie, with the unit number that the span is for. */
static uint8_t space_at(const sim_link *link, const sim_unit *unit, const bil_span *at)
{
    uint32_t own = link->number ? link->number : unit->answers_at;
    uint32_t number = at->unit > 0 ? (uint32_t)at->unit - 1 : at->unit < 0 ? own + (uint32_t)-at->unit : link->number;
    return sim_space_at(unit, number, at->table);
}

static bil_outcome read_objects(sim_link *link, sim_unit *unit, const bil_span *at, uint16_t *cells, bil_result *result)
{
    uint8_t bytes[2 * BIL_CELLS_MAX] = {0};
    size_t size = 0;
    sim_reply reply =
        unit ? sim_identify(unit, link->now, (uint8_t)at->count, (uint8_t)at->first, bytes, &size) : SIM_SILENT;
    for (size_t i = 0; reply == SIM_OK && i < BIL_CELLS_MAX; i++)
        cells[i] = (uint16_t)(bytes[2 * i] << 8 | bytes[2 * i + 1]);
    return answer(link, reply, unit, result);
}

static bil_outcome read_cells(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    sim_link *link = ctx;
    if (not_connected(link, result))
        return BIL_NOT_SENT;
    take_time(link, at);
    sim_unit *unit = swapped(link) ? NULL : who(link);
    if (at->table == BIL_OBJECTS)
        return read_objects(link, unit, at, cells, result);
    if (at->table == BIL_RECORDS)
        return answer(link,
                      unit ? sim_read_records(unit, link->now, at->file, at->first, at->count, cells) : SIM_SILENT,
                      unit, result);
    uint16_t bits[SIM_BITS];
    bool packed = at->table == BIL_COILS || at->table == BIL_DISCRETE;
    sim_reply reply =
        unit ? sim_read(unit, link->now, space_at(link, unit, at), at->first, at->count, packed ? bits : cells)
             : SIM_SILENT;
    if (packed && reply == SIM_OK)
        sim_pack(bits, at->count, cells);
    return answer(link, reply, unit, result);
}

static bil_outcome write_cells(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    sim_link *link = ctx;
    if (not_connected(link, result))
        return BIL_NOT_SENT;
    take_time(link, at);
    sim_unit *unit = swapped(link) ? NULL : who(link);
    uint16_t bits[SIM_BITS];
    bool packed = at->table == BIL_COILS || at->table == BIL_DISCRETE;
    if (packed)
        sim_unpack(cells, at->count, bits);
    sim_reply reply = SIM_SILENT;
    if (unit && unit->model->single && at->way == BIL_WAY_TOGETHER)
        reply = SIM_BAD_FUNCTION;
    else if (unit && at->table == BIL_RECORDS)
        reply = sim_write_records(unit, link->now, at->file, at->first, at->count, cells);
    else if (unit && at->way == BIL_WAY_MASKED)
        reply = sim_write_bits(unit, link->now, space_at(link, unit, at), at->first, at->mask, cells[0]);
    else if (unit)
        reply = sim_write(unit, link->now, space_at(link, unit, at), at->first, at->count, packed ? bits : cells);
    return answer(link, reply, unit, result);
}

static void close_link(void *ctx)
{
    ((sim_link *)ctx)->connected = false;
}

static void speak_to(void *ctx, uint32_t unit)
{
    sim_link *link = ctx;
    if (link->usual)
        link->number = unit ? BIL_UNIT_NUMBER(unit) : link->usual;
}

static const bil_cell_ops ops = {connect_link, read_cells, write_cells, close_link, speak_to};

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

void sim_link_on_line(sim_link *link, uint32_t number)
{
    link->number = link->usual = number;
}

bil_cells sim_link_open(sim_link *link, sim_unit *unit)
{
    *link = (sim_link){.unit = unit};
    return (bil_cells){&ops, link};
}

bil_clock sim_link_clock(sim_link *link)
{
    return (bil_clock){&clock_ops, link};
}
