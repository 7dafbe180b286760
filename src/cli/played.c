#include "cli/played.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "bilancia/cells.h"
#include "show/need.h"
#include "sim/entry.h"

/* ---- values ---- */

static bool is_scaled(const bil_format *f)
{
    return f->mul != 1 || f->offset != 0;
}

/* Does its unit have it as cells, since they don't hold just its bits? */
static bool has_form(const bil_format *f)
{
    return f->form || f->size == 6;
}

static const char *kind_of(const bil_format *f, char own[8])
{
    static const char *const numbers[2][9] = {{"", "u8", "u16", "", "u32", "", "", "", "u64"},
                                              {"", "i8", "i16", "", "i32", "", "", "", "i64"}};
    if (f->type == BIL_F32)
        return "f32";
    if (f->type == BIL_FILE) {
        snprintf(own, 8, "b%u", (unsigned)f->high);
        return own;
    }
    if (has_form(f)) {
        snprintf(own, 8, "x%zu", bil_value_cells(f));
        return own;
    }
    if (f->type != BIL_TEXT)
        return numbers[bil_type_is_signed((bil_type)f->type)][f->size];
    snprintf(own, 8, "t%u", (f->size + 1u) / 2 * 2);
    return own;
}

/* As the control channel takes it. */
static void text_of(const bil_format *f, const uint8_t *raw, char out[PLAYED_VALUE])
{
    uint64_t number = f->type == BIL_TEXT ? 0 : bil_value_number(raw, f->size), unit = 1;
    if (f->type == BIL_TEXT) {
        snprintf(out, PLAYED_VALUE, "%.*s", (int)f->size, (const char *)raw);
        return;
    }
    if (f->type == BIL_F32) {
        uint32_t bits = (uint32_t)number;
        float value;
        memcpy(&value, &bits, sizeof value);
        snprintf(out, PLAYED_VALUE, "%.9g", (double)value);
        return;
    }
    bool negative = bil_type_is_signed((bil_type)f->type) && number >> (8 * f->size - 1) & 1;
    if (negative)
        number = (f->size < 8 ? (UINT64_C(1) << 8 * f->size) : 0) - number;
    int decimals = is_scaled(f) ? 0 : f->decimals;
    for (int i = 0; i < decimals; i++)
        unit *= 10;
    if (decimals)
        snprintf(out, PLAYED_VALUE, "%s%llu.%0*llu", negative ? "-" : "", (unsigned long long)(number / unit), decimals,
                 (unsigned long long)(number % unit));
    else
        snprintf(out, PLAYED_VALUE, "%s%llu", negative ? "-" : "", (unsigned long long)number);
}

static uint64_t dice(uint64_t below)
{
    uint64_t roll = (uint64_t)(uint32_t)rand() << 31 ^ (uint64_t)(uint32_t)rand();
    return below ? roll % below : roll;
}

/* A date that exists. */
static void some_time(const bil_format *f, uint8_t *raw, unsigned day)
{
    bil_value_put_number(raw, f->size, UINT64_C(20260101000000) + day * UINT64_C(1000000));
}

/* Any value that the description allows. */
static void roll(const bil_format *f, uint8_t raw[BIL_TEXT_MAX])
{
    bool number = f->type != BIL_TEXT && !bil_type_is_float((bil_type)f->type);
    memset(raw, 0, BIL_TEXT_MAX);
    if (f->type == BIL_TIME) {
        some_time(f, raw, (unsigned)dice(28));
        return;
    }
    if (f->type == BIL_TEXT) {
        snprintf((char *)raw, f->size, "%c%u", 'a' + (int)dice(26), (unsigned)dice(100));
        return;
    }
    uint64_t value = f->choice_count && bil_type_size((bil_type)f->type) <= 2 ? f->choices[dice(f->choice_count)].value
                     : f->type == BIL_BOOL                                    ? dice(2)
                     : number && f->limited                                   ? f->low + dice(f->high - f->low + 1)
                     : number                                                 ? dice(100)
                                                                              : 0;
    if (number && f->limited && bil_type_is_signed((bil_type)f->type))
        value ^= UINT64_C(1) << 63; /* limits are keys, see bil_value_key */
    bil_value_put_number(raw, f->size, value);
}

/* The least that it can be, where nothing else is known. */
static void least(const bil_format *f, uint8_t raw[BIL_TEXT_MAX])
{
    uint64_t zero = bil_type_is_signed((bil_type)f->type) ? UINT64_C(1) << 63 : 0; /* limits are keys */
    bool limited = f->limited && !bil_type_is_float((bil_type)f->type) && (f->low > zero || f->high < zero);
    uint64_t value = limited ? f->low : 0;
    memset(raw, 0, BIL_TEXT_MAX);
    if (f->type == BIL_TIME)
        some_time(f, raw, 0);
    if (f->type == BIL_TEXT || f->type == BIL_TIME)
        return;
    if (limited)
        value ^= zero;
    if (f->choice_count && !f->limited && f->type != BIL_BITS8 && f->type != BIL_BITS16 && f->type != BIL_BITS32)
        value = f->choices[0].value;
    bil_value_put_number(raw, f->size, value);
}

/* ---- entries ---- */

static uint8_t role_of(const bil_param *p)
{
    if (p->cls == BIL_CLASS_COMMAND)
        return SIM_COMMAND;
    if (p->cls == BIL_CLASS_SECRET || !(p->flags & BIL_READABLE))
        return SIM_SECRET;
    if (p->cls == BIL_CLASS_LIVE)
        return p->format->type == BIL_TEXT ? SIM_IDENTITY : SIM_LIVE; /* a text that stays */
    if (p->cls == BIL_CLASS_UNIT || !(p->flags & BIL_WRITABLE))
        return SIM_IDENTITY;
    return p->cls == BIL_CLASS_CALIBRATION ? SIM_CALIBRATION : SIM_SETTING;
}

static void put_limits(sim_entry *e, const bil_format *f)
{
    e->low = 1, e->high = 0;
    if (f->type == BIL_TEXT || bil_type_is_float((bil_type)f->type) || f->size == 8 || !f->limited)
        return;
    uint64_t sign = bil_type_is_signed((bil_type)f->type) ? UINT64_C(1) << 63 : 0;
    e->low = (int64_t)(f->low ^ sign);
    e->high = (int64_t)(f->high ^ sign);
}

/* Who it says it is. */
static const char *identity_of(const bil_description *d, uint16_t index)
{
    const char *const says[BIL_ID_COUNT] = {[BIL_ID_VENDOR] = d->vendor,
                                            [BIL_ID_MODEL] = d->model,
                                            [BIL_ID_HARDWARE] = d->hardware_count ? d->hardwares[0] : "",
                                            [BIL_ID_FIRMWARE] = d->firmware_count ? d->firmwares[0] : "",
                                            [BIL_ID_SERIAL] = "PLAYED-1",
                                            [BIL_ID_NAME] = "played"};
    for (int i = 0; i < BIL_ID_COUNT; i++)
        if (d->identity[i] == index)
            return i == BIL_ID_SERIAL && d->params[index].format->type != BIL_TEXT ? "1" : says[i];
    return NULL;
}

static bool take_said(const bil_format *f, const char *says, uint8_t *raw)
{
    size_t length = strlen(says);
    if (f->type != BIL_TEXT)
        return bil_value_parse(f, says, length, NULL, raw) == BIL_OK;
    memcpy(raw, says, length < f->size ? length : f->size);
    return true;
}

/* What it shows of itself, else what it is delivered with, else the least that it can be. */
static void put_value(const played_model *p, const bil_description *d, uint16_t index, bool random, uint8_t *values)
{
    const bil_param *param = &d->params[index];
    const bil_format *f = param->format;
    const char *says = identity_of(d, index);
    uint8_t raw[BIL_TEXT_MAX] = {0};
    bool known = d->factory && d->factory_known[index];
    if (f->type == BIL_FILE)
        return; /* there is nothing in it */
    bool told = says && !known && take_said(f, says, raw);
    if (!told && random && p->entries[index].role == SIM_SETTING && index != d->link_unit)
        roll(f, raw);
    else if (!told && known)
        memcpy(raw, d->factory + param->raw_at, f->size);
    else if (!told)
        least(f, raw);
    if (index == d->link_unit && !known)
        raw[f->size - 1] = 1;
    for (uint8_t i = 0; i < d->sign_count; i++)
        if (d->signs[i].param == index)
            bil_value_put_number(raw, f->size, d->signs[i].value);
    memcpy(values + param->raw_at, raw, f->size);
}

/* The values as the entries take them; those that share a cell, all of them with what it holds together. */
static void put_texts(const bil_description *d, const uint8_t *values, char (*texts)[PLAYED_VALUE])
{
    for (uint16_t k = 0, next; k < d->count; k = next) {
        const bil_param *first = &d->params[d->by_place[k]];
        uint16_t cells[BIL_TEXT_MAX + 1] = {0};
        for (next = k; next < d->count; next++) {
            const bil_param *one = &d->params[d->by_place[next]];
            if (one->space != first->space || one->at.number != first->at.number)
                break;
            if (has_form(one->format))
                bil_value_to_cells(one->format, values + one->raw_at, cells);
        }
        char hex[PLAYED_VALUE];
        size_t used = 0;
        for (size_t i = 0; i < bil_value_cells(first->format) && used + 6 < sizeof hex; i++)
            used += (size_t)snprintf(hex + used, sizeof hex - used, i ? " %04x" : "%04x", cells[i]);
        for (uint16_t i = k; i < next; i++) {
            const bil_param *one = &d->params[d->by_place[i]];
            if (one->format->type == BIL_FILE)
                continue;
            if (has_form(one->format))
                memcpy(texts[d->by_place[i]], hex, sizeof hex);
            else
                text_of(one->format, values + one->raw_at, texts[d->by_place[i]]);
        }
    }
}

/* When it is there: what the cells of the mode hold then. */
static void put_mode(played_model *p, const bil_description *d, uint16_t index)
{
    const bil_only *only = d->params[index].only;
    if (!only || !only->mode_count)
        return;
    const bil_format *f = d->params[only->mode].format;
    played_mode *mode = &p->modes[index];
    mode->entry = &p->entries[only->mode];
    mode->mask = UINT16_MAX;
    if (f->width && f->width < 16)
        mode->mask = (uint16_t)(((1u << f->width) - 1) << f->bit);
    mode->cells = need(only->mode_count, sizeof *mode->cells);
    for (uint8_t i = 0; i < only->mode_count; i++) {
        uint8_t raw[4];
        uint16_t cells[3] = {0};
        bil_value_put_number(raw, f->size, only->modes[i]);
        bil_value_to_cells(f, raw, cells);
        memcpy(mode->cells[mode->count++], cells, sizeof mode->cells[0]);
    }
}

/* Those that have numbers; what is in them is any. */
static void put_files(played_model *p, const bil_description *d)
{
    size_t count = 0;
    p->files = need(d->count + 1u, sizeof *p->files);
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].format->type == BIL_FILE)
            p->files[count++] = (sim_records){(uint16_t)d->params[i].at.number, p->entries[i].name};
    p->model.files = count ? p->files : NULL;
}

static bool add_entry(played_model *p, const bil_description *d, uint16_t index, uint16_t *pages, char *why,
                      size_t size)
{
    const bil_param *param = &d->params[index];
    sim_entry *e = &p->entries[index];
    snprintf(e->name, sizeof e->name, "%s", param->id);
    e->space = param->space;
    uint32_t stride = e->space == SIM_OBJECTS       ? SIM_OBJECT
                      : d->spaces[e->space].mailbox ? p->doors[e->space - SIM_DOORS].stride
                                                    : 1;
    e->address = (uint16_t)(param->at.number * stride);
    e->kind = kind_of(param->format, p->kinds[index]);
    e->role = role_of(param);
    e->decimals = is_scaled(param->format) ? 0 : param->format->decimals;
    e->held = param->flags & BIL_NEEDS_HOLD;
    put_limits(e, param->format);
    e->factory = p->texts[index];
    if (param->cells && param->at.number * stride < 65536 && sim_played_place(p, e, pages))
        return true;
    snprintf(why, size, "%s lies where a simulated unit has no room: it has %d times %d cells of each kind", param->id,
             SIM_CELLS / SIM_PAGE, SIM_PAGE);
    return false;
}

/* What may be read across is there, too, where no value is. */
static void add_gaps(played_model *p, const bil_description *d, uint16_t *pages)
{
    enum { CELLS = 1 << 16 };
    bool(*taken)[CELLS] = need(SIM_SPACES, sizeof *taken);
    for (uint16_t i = 0; i < d->count; i++)
        for (uint32_t k = 0; k < d->params[i].cells; k++)
            taken[d->params[i].space][(d->params[i].at.number + k) % CELLS] = true; /* objects have no gaps */
    for (uint16_t i = 0; i < d->across_count; i++)
        for (uint32_t cell = d->across[i].first; cell <= d->across[i].last && d->across[i].space < SIM_SPACES; cell++) {
            uint8_t space = (uint8_t)d->across[i].space;
            sim_entry gap = {.space = space, .address = (uint16_t)cell, .kind = "u16", .role = SIM_GAP, .low = 1};
            if (!taken[space][cell] && sim_played_place(p, &gap, pages)) {
                taken[space][cell] = true;
                p->entries[p->count++] = gap;
            }
        }
    free(taken);
}

/* ---- what follows from what ---- */

static void add_order(played_model *p, const played_order *order)
{
    if (p->order_count < PLAYED_ORDERS)
        p->orders[p->order_count++] = *order;
}

/* A procedure the other way round: once its values are written, what it waits for is so. */
static void add_procedure(played_model *p, const bil_description *d, const bil_procedure *how)
{
    static const int deeds[BIL_PROC_COUNT] = {[BIL_PROC_UNLOCK] = PLAYED_OPENS,
                                              [BIL_PROC_HOLD] = -1,
                                              [BIL_PROC_RELEASE] = -1,
                                              [BIL_PROC_STORE] = PLAYED_STORES,
                                              [BIL_PROC_RESTART] = PLAYED_RESTARTS,
                                              [BIL_PROC_FACTORY_RESET] = PLAYED_RESETS,
                                              [BIL_PROC_START] = -1,
                                              [BIL_PROC_BEGIN] = -1,
                                              [BIL_PROC_COMMIT] = -1,
                                              [BIL_PROC_LOCK] = PLAYED_LOCKS,
                                              [BIL_PROC_ABORT] = -1,
                                              [BIL_PROC_UNLOCK_TO_READ] = PLAYED_SHOWN};
    played_order o = {.in_one = how->kind == BIL_PROC_RELEASE && how->for_state, .state = how->found};
    int last = -1;
    for (int i = 0; i < how->step_count; i++)
        last = how->steps[i].kind <= BIL_STEP_SECRET ? i : last;
    for (int i = 0; i < how->step_count; i++) {
        const bil_proc_step *s = &how->steps[i];
        if (s->kind == BIL_STEP_WRITE || s->kind == BIL_STEP_SECRET) {
            o.entry = &p->entries[s->param];
            o.any = s->kind == BIL_STEP_SECRET || s->from || s->raw;
            o.value = s->value;
            o.shows = NULL;
            if (deeds[how->kind] >= 0) {
                o.deed = i == last ? (played_deed)deeds[how->kind] : PLAYED_NOTHING;
                add_order(p, &o);
                p->locks = p->locks || o.deed == PLAYED_OPENS;
                p->hides = p->hides || o.deed == PLAYED_SHOWN;
            }
        } else if (s->kind == BIL_STEP_UNTIL && o.entry) {
            o.deed = PLAYED_SHOWS;
            o.shows = &p->entries[s->param];
            uint8_t size = d->params[s->param].format->size;
            o.shown = s->raw && size <= 8 ? bil_value_number(s->raw, size) : s->value;
            add_order(p, &o);
            if (how->kind == BIL_PROC_STORE && o.shows == p->unstored)
                p->stored = s->value;
        }
    }
}

static const sim_entry *entry_of(const played_model *p, uint16_t index)
{
    return index == BIL_NONE ? NULL : &p->entries[index];
}

static void add_behaviour(played_model *p, const bil_description *d)
{
    p->state = entry_of(p, d->state);
    p->starts = entry_of(p, d->starts);
    p->uptime = entry_of(p, d->uptime);
    p->changes = entry_of(p, d->changes);
    p->unstored = entry_of(p, d->unstored);
    p->held = d->state_held;
    while (p->idle < 31 && !(d->state_idle >> p->idle & 1) && d->state_idle)
        p->idle++;
    p->not_stored = d->unstored_value;
    p->stored = d->unstored_value == 0;
    p->keeps_hold = d->restart_keeps_hold;
    for (uint16_t i = 0; i < d->procedure_count; i++) {
        const bil_procedure *how = &d->procedures[i];
        if (!how->hardware || (d->hardware_count && strcmp(how->hardware, d->hardwares[0]) == 0))
            add_procedure(p, d, how);
    }
}

/* ---- all of it ---- */

static void put_orders_of_cells(played_model *p, const bil_description *d)
{
    for (uint16_t i = 0; i < d->count; i++) {
        const bil_format *f = d->params[i].format;
        if (f->type == BIL_TEXT && d->params[i].space != SIM_OBJECTS)
            p->model.text_low_byte_first = f->order & BIL_LOW_BYTE_FIRST;
        else if (d->params[i].cells > 1)
            p->model.low_cell_first = f->order & BIL_LOW_CELL_FIRST;
    }
    p->model.most_read = p->model.most_write = UINT16_MAX;
    for (uint16_t i = 0; i < d->space_count; i++) {
        const bil_space *s = &d->spaces[i];
        p->model.most_read = s->read_most < p->model.most_read ? s->read_most : p->model.most_read;
        p->model.most_write = s->write_most < p->model.most_write ? s->write_most : p->model.most_write;
    }
}

/* Spaces of other unit numbers, and mailboxes. */
static bool put_doors(played_model *p, const bil_description *d, char *why, size_t size)
{
    p->model.single = true;
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].flags & BIL_WRITABLE && d->params[i].way == BIL_WAY_TOGETHER)
            p->model.single = false;
    for (uint16_t i = SIM_DOORS; i < d->space_count; i++) {
        const bil_space *space = &d->spaces[i];
        if (i == SIM_SPACES) {
            snprintf(why, size, "a played unit has at most %d mailboxes and unit numbers beside its own",
                     SIM_SPACES - SIM_DOORS);
            return false;
        }
        sim_door *door = &p->doors[p->model.door_count++];
        *door = (sim_door){.number = space->unit, .table = space->table, .stride = 1};
        if (space->mailbox) {
            door->index = space->mailbox->index;
            door->value = space->mailbox->value;
        }
        for (uint16_t k = 0; k < d->count; k++)
            if (d->params[k].space == i && d->params[k].cells > door->stride)
                door->stride = d->params[k].cells;
    }
    return true;
}

/* The values of an image beside those as delivered, as texts of the entries. */
static void take(played_model *p, const bil_image *as, uint8_t *values)
{
    const bil_description *d = as->description;
    for (uint16_t i = 0; i < d->count; i++)
        if (as->state[i] == BIL_PRESENT && p->entries[i].role != SIM_COMMAND)
            memcpy(values + d->params[i].raw_at, bil_image_raw(as, i), d->params[i].format->size);
    put_texts(d, values, p->set_up);
    for (uint16_t i = 0; i < d->count; i++)
        if (p->entries[i].role != SIM_COMMAND && (as->state[i] == BIL_PRESENT || has_form(d->params[i].format)))
            p->entries[i].plant = p->set_up[i];
}

played_model *played_of(const bil_description *d, const bil_image *as, bool random, char *why, size_t size)
{
    if (d->console || d->http) {
        snprintf(why, size, "a unit that is asked in words, or for documents, isn't played by its description so far");
        return NULL;
    }
    played_model *p = need(1, sizeof *p);
    uint16_t pages[SIM_SPACES] = {0};
    size_t gaps = 0;
    bool good = true;
    sim_played_begin(p, d->model);
    for (uint16_t i = 0; i < d->across_count; i++)
        gaps += d->across[i].last - d->across[i].first + 1u;
    p->entries = need(d->count + gaps, sizeof *p->entries);
    p->texts = need(d->count, sizeof *p->texts);
    p->set_up = need(d->count, sizeof *p->set_up);
    p->kinds = need(d->count, sizeof *p->kinds);
    p->modes = need(d->count + gaps, sizeof *p->modes);
    p->count = d->count;
    put_orders_of_cells(p, d);
    srand((unsigned)time(NULL));
    good = put_doors(p, d, why, size);
    for (uint16_t i = 0; i < d->count && good; i++)
        good = add_entry(p, d, d->by_place[i], pages, why, size);
    for (uint16_t i = 0; i < d->count && good; i++)
        put_mode(p, d, i);
    if (!good) {
        sim_played_free(p);
        return NULL;
    }
    put_files(p, d);
    uint8_t *values = need(d->raw_size, 1);
    for (uint16_t i = 0; i < d->count; i++)
        put_value(p, d, i, random, values);
    put_texts(d, values, p->texts);
    add_gaps(p, d, pages);
    p->model.entries = p->entries;
    p->model.count = p->count;
    add_behaviour(p, d);
    if (d->identity[BIL_ID_SERIAL] != BIL_NONE)
        p->model.serial = p->entries[d->identity[BIL_ID_SERIAL]].name;
    if (d->identity[BIL_ID_FIRMWARE] != BIL_NONE)
        p->model.firmware = p->entries[d->identity[BIL_ID_FIRMWARE]].name;
    if (d->identity[BIL_ID_NAME] != BIL_NONE)
        p->model.called = p->entries[d->identity[BIL_ID_NAME]].name;
    if (d->link_unit != BIL_NONE)
        p->model.address = p->entries[d->link_unit].name;
    if (d->restart_absent_ms >= p->model.boot_ms)
        p->model.boot_ms = d->restart_absent_ms + 1000;
    if (as)
        take(p, as, values);
    free(values);
    return p;
}
