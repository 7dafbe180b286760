#include "web.h"

#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "entry.h"

enum { STEP = 40, VALUES = 160, DOCUMENT = 60000, RESOURCES = 16, FILE_CELLS = 128 };

/* ---- where entries stand ---- */

/* In the document itself, in a member of it, or in an element of its array. */
typedef struct place {
    const char *group; /* the member that it is in; NULL: none */
    int number;        /* that follows the name of that one, or of the element from 1 on; 0: none */
    bool element;
    const char *member;
} place;

static bool place_of(const sim_resource *r, const sim_entry *entry, place *p)
{
    *p = (place){.member = "do"};
    if (r->alone && strcmp(entry->name, r->alone) == 0)
        return true;
    for (const char *const *group = r->groups; group && *group; group++) {
        size_t length = strlen(*group);
        bool numbered = (*group)[length - 1] == '_';
        if (strncmp(entry->name, *group, length) != 0 || (!numbered && entry->name[length] != '.'))
            continue;
        p->element = numbered && r->array;
        p->group = p->element ? r->array : numbered || r->groups[1] ? *group : NULL;
        p->number = numbered ? atoi(entry->name + length) : 0;
        p->member = strchr(entry->name, '.') + 1;
        return true;
    }
    return false;
}

/* "product3": as it is called in the document. */
static void put_group(const place *p, char out[STEP])
{
    size_t length = strlen(p->group);
    if (p->number && !p->element)
        snprintf(out, STEP, "%.*s%d", (int)length - 1, p->group, p->number);
    else
        snprintf(out, STEP, "%s", p->group);
}

/* ---- documents ---- */

/* An entry as it is shown, looked up once. */
typedef struct shown {
    const sim_entry *entry;
    place place;
    char group[STEP]; /* as it is called in the document */
    const char *const *words;
    bool yes_no, string;
    uint16_t cells;
} shown;

typedef struct document {
    const sim_resource *resource;
    shown *list;
    size_t count, all; /* that can be seen, and behind them those that can only be written */
    uint16_t
        cells;  /* from those of the first entry to those of the last: they lie side by side, one request reads them */
    char *text; /* as it was said last, when its cells had this hash */
    uint64_t hash;
} document;

static void add_entries(document *d, const sim_model *model, bool hidden)
{
    for (size_t i = 0; i < model->count; i++) {
        const sim_entry *entry = &model->entries[i];
        place p;
        if (hidden != (entry->role == SIM_SECRET || entry->role == SIM_COMMAND) || !place_of(d->resource, entry, &p))
            continue;
        const char *const *words = model->web->words(entry);
        d->list[d->all++] = (shown){.entry = entry,
                                    .place = p,
                                    .words = words,
                                    .yes_no = model->web->yes_no(entry),
                                    .string = words || entry->kind[0] == 't',
                                    .cells = (uint16_t)sim_cells_of(entry)};
        if (p.group)
            put_group(&p, d->list[d->all - 1].group);
    }
}

static document document_for(const sim_model *model, const sim_resource *r)
{
    document d = {.resource = r, .list = calloc(model->count, sizeof *d.list)};
    if (!d.list)
        return d;
    add_entries(&d, model, false);
    d.count = d.all;
    add_entries(&d, model, true);
    if (d.count)
        d.cells = (uint16_t)(d.list[d.count - 1].entry->address + d.list[d.count - 1].cells - d.list[0].entry->address);
    return d;
}

static document *document_at(const sim_model *model, const sim_resource *r)
{
    static _Thread_local const sim_model *of; /* made once: a test asks some ten million times */
    static _Thread_local document all[RESOURCES];
    static _Thread_local size_t count;
    if (of != model)
        for (count = 0, of = model; count < RESOURCES && model->web->resources[count].path; count++) {
            free(all[count].list);
            free(all[count].text);
            all[count] = document_for(model, &model->web->resources[count]);
        }
    size_t i = (size_t)(r - model->web->resources);
    return &all[i < count ? i : 0];
}

/* ---- values ---- */

static char *put_text(char *to, const char *text)
{
    size_t length = strlen(text);
    memcpy(to, text, length);
    return to + length;
}

/* A whole number or one with decimals; what is measured in 64 bits is left to whoever shows it to people. */
static char *put_number(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells, char *to)
{
    char digits[24];
    int at = (int)sizeof digits, bits = atoi(entry->kind + 1);
    uint64_t number = sim_number(unit, entry, cells);
    if (bits < 16) /* these stand sign-extended in their cell */
        bits = 16;
    bool negative = entry->kind[0] == 'i' && number >> (bits - 1) & 1;
    if (negative)
        number = (~number + 1) & ((UINT64_C(1) << (bits - 1) << 1) - 1);
    for (int i = 0; i <= entry->decimals || number; i++) {
        if (i == entry->decimals && i)
            digits[--at] = '.';
        digits[--at] = (char)('0' + number % 10);
        number /= 10;
    }
    if (negative)
        digits[--at] = '-';
    memcpy(to, digits + at, sizeof digits - (size_t)at);
    return to + (sizeof digits - (size_t)at);
}

/* JSON, RFC 8259. */
static char *put_value(const sim_unit *unit, const shown *v, const uint16_t *cells, char *to)
{
    char text[100];
    if (v->yes_no)
        return put_text(to, cells[0] ? "true" : "false");
    if (!v->string)
        return put_number(unit, v->entry, cells, to);
    if (!v->words)
        sim_show(unit, v->entry, cells, text, sizeof text);
    *to++ = '"';
    for (const char *c = v->words ? v->words[cells[0]] : text; *c; c++) {
        if (*c == '"' || *c == '\\')
            *to++ = '\\';
        *to++ = *c;
    }
    *to++ = '"';
    return to;
}

static bool take_value(const sim_unit *unit, const shown *v, const json_t *json, uint16_t cells[SIM_VALUE])
{
    memset(cells, 0, SIM_VALUE * sizeof cells[0]);
    for (uint16_t i = 0; v->words && v->words[i] && json_is_string(json); i++)
        if (strcmp(v->words[i], json_string_value(json)) == 0) {
            cells[0] = i;
            return true;
        }
    if (v->words)
        return false;
    if (v->yes_no) {
        cells[0] = json_is_true(json);
        return json_is_boolean(json);
    }
    if (v->string)
        return json_is_string(json) && sim_parse(unit, v->entry, json_string_value(json), cells);
    char *text = json_is_number(json) ? json_dumps(json, JSON_ENCODE_ANY | JSON_REAL_PRECISION(15)) : NULL;
    bool good = text && sim_parse(unit, v->entry, text, cells);
    free(text);
    return good;
}

/* What stands there in a document; NULL: nothing. */
static const json_t *at_place(const json_t *json, const shown *v)
{
    if (v->place.group)
        json = json_object_get(json, v->group);
    if (v->place.element)
        json = json_array_get(json, (size_t)v->place.number - 1);
    return json_object_get(json, v->place.member);
}

static size_t leaves_of(const json_t *json)
{
    size_t count = 0, index;
    const char *name;
    json_t *inner;
    if (json_is_object(json))
        json_object_foreach((json_t *)(uintptr_t)json, name, inner) count += leaves_of(inner);
    else if (json_is_array(json))
        json_array_foreach(json, index, inner) count += leaves_of(inner);
    else
        return 1;
    return count;
}

/* ---- requests ---- */

static int status_of(sim_reply reply)
{
    switch (reply) {
    case SIM_OK:
        return 200;
    case SIM_BAD_ADDRESS:
        return 404;
    case SIM_NOT_NOW:
        return 409;
    case SIM_AT_WORK:
        return 202;
    case SIM_BUSY:
        return 503;
    case SIM_SILENT:
    case SIM_DEAD:
        return 0;
    default:
        return 422;
    }
}

/* Entries of one group follow each other. */
static void put_document(const sim_unit *unit, const document *d, const uint16_t *cells, char *out)
{
    place before = {.group = NULL};
    *out++ = '{';
    for (size_t i = 0; i < d->count; i++) {
        const place *p = &d->list[i].place;
        bool other = i == 0 || p->group != before.group || p->number != before.number;
        if (other && before.group)
            *out++ = '}';
        if (i)
            *out++ = ',';
        if (other && p->group && p->element && before.element) {
            *out++ = '{';
        } else if (other && p->group) {
            out = put_text(out, "\n \"");
            out = put_text(put_text(out, d->list[i].group), p->element ? "\": [{" : "\": {");
        }
        out = put_text(put_text(put_text(out, "\n  \""), p->member), "\": ");
        out = put_value(unit, &d->list[i], cells + (d->list[i].entry->address - d->list[0].entry->address), out);
        before = *p;
    }
    strcpy(out, before.element ? "}]}" : before.group ? "}}" : "}");
}

/* What tells one state of a document from another: all that it shows lies in these cells. */
static uint64_t hash_of(const uint16_t *cells, uint16_t count)
{
    uint64_t hash = UINT64_C(1469598103934665603);
    for (uint16_t i = 0; i < count; i++)
        hash = (hash ^ cells[i]) * UINT64_C(1099511628211);
    return hash;
}

static char *text_of(sim_unit *unit, document *d, const sim_shelf *shelf, uint64_t now, sim_reply *reply)
{
    uint16_t cells[SIM_CELLS];
    const sim_entry *first = d->list[0].entry;
    *reply = sim_read(unit, now, first->space, first->address, d->cells, cells);
    if (*reply != SIM_OK)
        return NULL;
    if (shelf)
        memcpy(cells, shelf->cells(unit) + first->address, d->cells * sizeof cells[0]);
    uint64_t hash = hash_of(cells, d->cells);
    if (!d->text || d->hash != hash) {
        d->text = d->text ? d->text : malloc(DOCUMENT);
        if (d->text)
            put_document(unit, d, cells, d->text);
        d->hash = hash;
    }
    return d->text ? strdup(d->text) : NULL;
}

static void put_tag(const sim_unit *unit, const document *d, sim_web_reply *to)
{
    const sim_entry *first = d->list[0].entry;
    const uint16_t *cells = &unit->running[first->space][first->address];
    if (d->resource->method) /* what is measured has none */
        snprintf(to->tag, sizeof to->tag, "\"%016llx\"", (unsigned long long)hash_of(cells, d->cells));
}

static void put_file_tag(const sim_unit *unit, const sim_entry *entry, sim_web_reply *to)
{
    const uint16_t *cells = &unit->running[entry->space][entry->address];
    snprintf(to->tag, sizeof to->tag, "\"%016llx\"", (unsigned long long)hash_of(cells, (uint16_t)sim_cells_of(entry)));
}

/* A patch, an order, or a whole document, of which only what is another value counts. */
static sim_reply take(sim_unit *unit, const document *d, uint64_t now, const sim_web_request *q)
{
    sim_value *values = calloc(VALUES, sizeof *values);
    uint16_t(*cells)[SIM_VALUE] = calloc(VALUES, sizeof *cells);
    json_t *json = json_loadb(q->body ? q->body : "", q->size, JSON_REJECT_DUPLICATES, NULL);
    sim_reply reply = json_is_object(json) && values && cells ? SIM_OK : SIM_BAD_VALUE;
    bool whole = strcmp(q->method, "PUT") == 0;
    size_t count = 0, known = 0;
    for (size_t i = 0; i < d->all && reply == SIM_OK; i++) {
        const shown *v = &d->list[i];
        const json_t *value = at_place(json, v);
        if (!value && !(whole && i < d->count))
            continue;
        known++;
        if (!value || count == VALUES || !take_value(unit, v, value, cells[count])) {
            reply = SIM_BAD_VALUE;
            break;
        }
        values[count] = (sim_value){v->entry, cells[count]};
        count += !whole || memcmp(values[count].cells, &unit->running[v->entry->space][v->entry->address],
                                  v->cells * sizeof(uint16_t)) != 0;
    }
    if (reply == SIM_OK && leaves_of(json) != known)
        reply = SIM_BAD_VALUE;
    if (reply == SIM_OK)
        reply = sim_write_these(unit, now, values, count);
    json_decref(json);
    free(cells);
    free(values);
    return reply;
}

/* 200 where that one may come in, else what is said to it. */
static int door(sim_unit *unit, uint64_t now, const sim_web_request *q, const sim_resource *r)
{
    const sim_web *web = unit->model->web;
    bool wants = unit->guarded || r->closed || strcmp(q->method, "GET") != 0;
    if (q->login == SIM_NOBODY)
        return wants ? 401 : 200;
    if (now < unit->powered_at)
        return 423;
    unit->level = q->login == SIM_RIGHT ? 0 : unit->level + 1;
    if (unit->level >= web->wrong_most) {
        unit->level = 0;
        unit->powered_at = now + web->locked_ms;
        return 423;
    }
    return q->login == SIM_RIGHT ? 200 : 401;
}

/* ---- files ---- */

/* What is there lasts at once; of what a power cut broke off only the first half has arrived. */
static sim_reply put_file(sim_unit *unit, const sim_entry *entry, uint64_t now, const sim_web_request *q)
{
    uint16_t cells[FILE_CELLS], *there = &unit->running[entry->space][entry->address];
    size_t size = sim_cells_of(entry) * sizeof cells[0];
    bool gone = strcmp(q->method, "DELETE") == 0;
    uint32_t starts = unit->starts;
    if (gone && there[0] == 0)
        return SIM_BAD_ADDRESS;
    if (!sim_put_file(entry, gone ? NULL : (const uint8_t *)q->body, gone ? 0 : q->size, cells))
        return SIM_BAD_VALUE;
    sim_reply reply = sim_write_these(unit, now, &(sim_value){entry, cells}, 1);
    if (reply == SIM_DEAD && unit->starts != starts && !gone)
        memcpy(there, cells, size / 2);
    memcpy(&unit->stored[entry->space][entry->address], there, size);
    return reply;
}

static sim_web_reply answer_file(sim_unit *unit, const sim_resource *r, uint64_t now, const sim_web_request *q)
{
    sim_web_reply to = {.status = 404};
    uint16_t cells[FILE_CELLS];
    char name[64];
    snprintf(name, sizeof name, "%s%s", r->files, q->path + strlen(r->path) + 1);
    const sim_entry *entry = sim_find(unit, name);
    sim_reply reply = SIM_OK;
    if (!entry)
        return to;
    bool reads = strcmp(q->method, "GET") == 0;
    to.status = door(unit, now, q, r);
    if (to.status == 200 && !reads && strcmp(q->method, "PUT") != 0 && strcmp(q->method, "DELETE") != 0)
        to.status = 405;
    put_file_tag(unit, entry, &to);
    if (to.status == 200 && !reads && q->tag && strcmp(to.tag, q->tag) != 0)
        to.status = 412;
    to.tag[0] = '\0';
    if (to.status == 200 && !reads)
        reply = put_file(unit, entry, now, q);
    else if (to.status == 200)
        reply = sim_read(unit, now, entry->space, entry->address, (uint16_t)sim_cells_of(entry), cells);
    to.status = to.status != 200 ? to.status : reply == SIM_BAD_VALUE ? 413 : status_of(reply);
    if (to.status == 200 && reads && cells[0] == 0)
        to.status = 404;
    if (to.status == 200 && reads && (to.body = malloc(2 * FILE_CELLS)) != NULL) {
        to.size = sim_take_file(cells, (uint8_t *)to.body);
        to.file = true;
        put_file_tag(unit, entry, &to);
    }
    return to;
}

void sim_web_code(const sim_unit *unit, char out[64])
{
    const sim_entry *code = sim_find(unit, unit->model->web->code);
    sim_show(unit, code, &unit->running[code->space][code->address], out, 64);
}

/* The shelf that this path leads to; NULL: to none. */
static const sim_shelf *shelf_of(const sim_web *web, const char *path)
{
    for (const sim_shelf *s = web->shelves; s && s->path; s++)
        if (strncmp(path, s->path, strlen(s->path)) == 0)
            return s;
    return NULL;
}

sim_web_reply sim_web_answer(sim_unit *unit, uint64_t now, const sim_web_request *q)
{
    sim_web_reply to = {.status = 404};
    const sim_resource *r = unit->model->web->resources;
    bool reads = strcmp(q->method, "GET") == 0;
    sim_reply reply = SIM_OK;
    if (!sim_is_up(unit, now))
        return (sim_web_reply){.status = 0};
    const sim_shelf *shelf = shelf_of(unit->model->web, q->path);
    const char *path = shelf ? q->path + strlen(shelf->path) : q->path;
    for (; r->path; r++) {
        size_t length = strlen(r->path);
        if (r->files && strncmp(q->path, r->path, length) == 0 && q->path[length] == '/')
            return answer_file(unit, r, now, q);
        if (!r->files && strcmp(r->path + (shelf ? strlen(unit->model->web->root) : 0), path) == 0)
            break;
    }
    if (!r->path)
        return to;
    document *d = document_at(unit->model, r);
    to.status = door(unit, now, q, r);
    if (to.status == 200 && !reads && (shelf || !r->method || strcmp(r->method, q->method) != 0))
        to.status = 405;
    if (to.status == 200 && q->tag && !reads && d->count) {
        put_tag(unit, d, &to);
        to.status = strcmp(to.tag, q->tag) == 0 ? 200 : 412;
        to.tag[0] = '\0';
    }
    if (to.status == 200 && reads && d->count)
        to.body = text_of(unit, d, shelf, now, &reply);
    else if (to.status == 200 && !reads)
        reply = take(unit, d, now, q);
    to.status = to.status == 200 ? status_of(reply) : to.status;
    if (to.status == 0)
        return to;
    if (to.status == 200 && d->count && !shelf)
        put_tag(unit, d, &to);
    if (!to.body)
        to.body = strdup(to.status < 300 ? "{\"ok\": true}" : "{\"ok\": false}");
    to.size = to.body ? strlen(to.body) : 0;
    return to;
}
