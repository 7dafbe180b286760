#include "host/run/find.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/arena.h"
#include "host/run/lines.h"

enum { CONNECT_MS = 500, IDENTIFY_MS = 1500 };

/* ---- ranges ---- */

static int add(const char *text, finder_hit **list, size_t *count, char *why, size_t size)
{
    address where;
    int error = address_parse(text, &where, why, size);
    if (error)
        return error;
    if (*count == FINDER_MOST) {
        snprintf(why, size, "these are more than %d addresses", FINDER_MOST);
        return BIL_E_ADDRESS;
    }
    if ((*count & (*count - 1)) == 0) { /* room for the next power of two */
        *list = realloc(*list, (*count ? 2 * *count : 1) * sizeof **list);
        if (!*list)
            no_memory();
    }
    finder_hit *hit = &(*list)[(*count)++];
    *hit = (finder_hit){.end = FINDER_ABSENT};
    address_text(&where, hit->address);
    address_line(&where, hit->line);
    return BIL_OK;
}

/* The first "a-b" that stands where a range may. */
static const char *range_in(const char *text, long *low, long *high, size_t *length)
{
    bool serial = strncmp(text, "modbus+rtu:", 11) == 0;
    const char *at = serial ? strchr(text, '?') : strstr(text, "://");
    for (; at && *at; at++) {
        if (!isdigit((unsigned char)*at) || !strchr(serial ? "=" : ".:/", at[-1]))
            continue;
        char *dash, *end;
        *low = strtol(at, &dash, 10);
        if (*dash != '-' || !isdigit((unsigned char)dash[1]))
            continue;
        *high = strtol(dash + 1, &end, 10);
        if (*end && !strchr(serial ? "&" : ":/", *end))
            continue;
        *length = (size_t)(end - at);
        return at;
    }
    return NULL;
}

int finder_expand(const char *text, finder_hit **list, size_t *count, char *why, size_t size)
{
    long low, high;
    size_t length;
    const char *at = range_in(text, &low, &high, &length);
    if (!at)
        return add(text, list, count, why, size);
    if (low > high || high > 65535 || strlen(text) >= ADDRESS_TEXT) {
        snprintf(why, size, "the range %ld-%ld makes no sense", low, high);
        return BIL_E_ADDRESS;
    }
    int error = BIL_OK;
    for (long i = low; i <= high && !error; i++) {
        char one[ADDRESS_TEXT + 12];
        snprintf(one, sizeof one, "%.*s%ld%s", (int)(at - text), text, i, at + length);
        error = finder_expand(one, list, count, why, size);
    }
    return error;
}

typedef struct entry {
    const finder_hit *hit;
    size_t at;
} entry;

static int by_address(const void *left, const void *right)
{
    const entry *a = left, *b = right;
    int order = strcmp(a->hit->address, b->hit->address);
    return order ? order : (a->at > b->at) - (a->at < b->at);
}

void finder_drop_doubles(finder_hit *list, size_t *count)
{
    entry *sorted = need(*count + 1, sizeof *sorted);
    bool *twice = need(*count + 1, sizeof *twice);
    for (size_t i = 0; i < *count; i++)
        sorted[i] = (entry){&list[i], i};
    qsort(sorted, *count, sizeof *sorted, by_address);
    for (size_t i = 1; i < *count; i++)
        twice[sorted[i].at] = strcmp(sorted[i].hit->address, sorted[i - 1].hit->address) == 0;
    size_t kept = 0;
    for (size_t i = 0; i < *count; i++)
        if (!twice[i])
            list[kept++] = list[i];
    *count = kept;
    free(sorted);
    free(twice);
}

/* ---- one address ---- */

static uint32_t patience_ms(const models *known)
{
    uint32_t most = 0;
    for (size_t i = 0; i < known->count; i++)
        most = known->list[i]->link.reply_ms > most ? known->list[i]->link.reply_ms : most;
    return most + 100;
}

/* Does anybody answer one harmless read? */
static bool knock(finder_hit *hit, const address *where, const models *known)
{
    modbus_link modbus;
    bil_link link;
    bil_result result = {0};
    if (!device_link(&modbus, where, &link))
        return false;
    modbus_link_reply_ms(&modbus, CONNECT_MS);
    bil_outcome outcome = link.ops->connect(link.ctx, &result);
    hit->end = FINDER_ABSENT;
    if (outcome == BIL_DONE) {
        modbus_link_reply_ms(&modbus, patience_ms(known));
        const bil_description *d = known->list[0];
        const bil_param *param = &d->params[d->identity[BIL_ID_MODEL]];
        uint16_t cells[BIL_TEXT_MAX / 2 + 1];
        outcome = link.ops->read(link.ctx, param->space, param->address, (uint16_t)bil_value_cells(&param->format),
                                 cells, &result);
        hit->end = outcome == BIL_UNKNOWN || outcome == BIL_NOT_SENT ? FINDER_SILENT : FINDER_REFUSED;
    }
    hit->error = (int)result.cause;
    hit->connect_errno = modbus.connect_errno;
    modbus_link_free(&modbus);
    return hit->end == FINDER_REFUSED;
}

static void who_is_it(finder_hit *hit, const models *known)
{
    device dev;
    char why[300];
    hit->error = device_open_within(&dev, hit->address, NULL, IDENTIFY_MS, known, why, sizeof why);
    if (hit->error) {
        hit->end = hit->error == BIL_E_UNKNOWN_MODEL ? FINDER_UNKNOWN : FINDER_REFUSED;
        return;
    }
    hit->end = FINDER_DEVICE;
    snprintf(hit->vendor, sizeof hit->vendor, "%s", dev.description->vendor);
    snprintf(hit->model, sizeof hit->model, "%s", dev.description->model);
    bil_image_identity(&dev.image, BIL_ID_HARDWARE, hit->hardware, sizeof hit->hardware);
    bil_image_identity(&dev.image, BIL_ID_FIRMWARE, hit->firmware, sizeof hit->firmware);
    bil_image_identity(&dev.image, BIL_ID_SERIAL, hit->serial, sizeof hit->serial);
    bil_image_identity(&dev.image, BIL_ID_NAME, hit->name, sizeof hit->name);
    device_close(&dev);
}

/* ---- all of them ---- */

typedef struct search {
    finder_hit *list;
    size_t count, finished;
    const models *known;
    void (*done)(void *ctx, const finder_hit *hit, size_t finished, size_t count);
    void *ctx;
} search;

static const char *line_of(void *ctx, size_t i)
{
    return ((search *)ctx)->list[i].line;
}

/* `before` is the address asked before on the same line: where that had no line at all, this one has none. */
static void ask(void *ctx, size_t i, size_t before)
{
    search *s = ctx;
    finder_hit *hit = &s->list[i];
    address where;
    char why[200];
    if (before != CREW_NONE && s->list[before].end == FINDER_ABSENT) {
        hit->error = s->list[before].error;
        hit->connect_errno = s->list[before].connect_errno;
    } else if (address_parse(hit->address, &where, why, sizeof why) == BIL_OK && knock(hit, &where, s->known)) {
        who_is_it(hit, s->known);
    }
}

static void asked(void *ctx, size_t i)
{
    search *s = ctx;
    s->finished++;
    if (s->done)
        s->done(s->ctx, &s->list[i], s->finished, s->count);
}

void finder_run(finder_hit *list, size_t count, const models *known, unsigned at_once,
                void (*done)(void *ctx, const finder_hit *hit, size_t finished, size_t count), void *ctx)
{
    search s = {list, count, 0, known, done, ctx};
    crew_run(&(crew){count, at_once, line_of, ask, asked, &s});
}

double finder_bound(const finder_hit *list, size_t count, const models *known, unsigned at_once)
{
    search s = {.list = (finder_hit *)list, .count = count};
    crew c = {count, at_once, line_of, NULL, NULL, &s};
    size_t lines, longest;
    crew_measure(&c, &lines, &longest);
    size_t hands = crew_hands(&c, lines);
    /* lines in turn on each hand, and never less than the longest line takes by itself */
    double turns = (double)((lines + hands - 1) / (hands ? hands : 1)) * (double)longest;
    return turns * (CONNECT_MS + patience_ms(known) + IDENTIFY_MS) / 1000.0;
}
