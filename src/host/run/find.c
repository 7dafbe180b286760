#include "host/run/find.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/run/lines.h"
#include "port/memory.h"
#include "port/ports.h"

enum { CONNECT_MS = 500, IDENTIFY_MS = 1500 };

/* ---- ranges ---- */

static int add(const char *text, find_hit **list, size_t *count, char *why, size_t size)
{
    address where;
    int error = address_parse(text, &where, why, size);
    if (error)
        return error;
    if (*count == FIND_MOST) {
        snprintf(why, size, "these are more than %d addresses", FIND_MOST);
        return BIL_E_ADDRESS;
    }
    if ((*count & (*count - 1)) == 0) { /* room for the next power of two */
        find_hit *more = mem_more(*list, (*count ? 2 * *count : 1) * sizeof **list);
        if (!more) {
            why[0] = '\0';
            return BIL_E_MEMORY;
        }
        *list = more;
    }
    find_hit *hit = &(*list)[(*count)++];
    *hit = (find_hit){.end = FIND_ABSENT};
    address_text(&where, hit->address);
    address_line(&where, hit->line);
    return BIL_OK;
}

/* The first "a-b" that stands where a range may. */
static const char *range_in(const char *text, long *low, long *high, size_t *length)
{
    const link_kind *kind = link_kind_of(text);
    const char *at = kind ? strstr(text, kind->range_from) : NULL;
    for (; at && *at; at++) {
        if (!isdigit((unsigned char)*at) || !strchr(kind->range_after, at[-1]))
            continue;
        char *dash, *end;
        *low = strtol(at, &dash, 10);
        if (*dash != '-' || !isdigit((unsigned char)dash[1]))
            continue;
        *high = strtol(dash + 1, &end, 10);
        if (*end && !strchr(kind->range_before, *end))
            continue;
        *length = (size_t)(end - at);
        return at;
    }
    return NULL;
}

int find_expand(const char *text, find_hit **list, size_t *count, char *why, size_t size)
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
        error = find_expand(one, list, count, why, size);
    }
    return error;
}

int find_new(const catalogue *known, find_hit **list, size_t *count, char *why, size_t size)
{
    enum { PORTS = 64 };
    serial_port *ports = mem_new(PORTS, sizeof *ports);
    if (!ports)
        return BIL_E_MEMORY;
    size_t found = ports_list(ports, PORTS);
    int error = BIL_OK;
    for (size_t i = 0; i < known->count && !error; i++) {
        const char *text = known->list[i]->factory_address;
        const link_kind *kind = text ? link_kind_of(text) : NULL;
        const char *rest = kind ? text + strlen(kind->scheme) : "";
        if (text && rest[0] != '?')
            error = find_expand(text, list, count, why, size);
        for (size_t k = 0; rest[0] == '?' && k < found && k < PORTS && !error; k++) {
            char whole[ADDRESS_TEXT + 300];
            snprintf(whole, sizeof whole, "%s%s%s", kind->scheme, ports[k].path, rest);
            error = find_expand(whole, list, count, why, size);
        }
    }
    mem_free(ports);
    return error;
}

typedef struct entry {
    const find_hit *hit;
    size_t at;
} entry;

static int by_address(const void *left, const void *right)
{
    const entry *a = left, *b = right;
    int order = strcmp(a->hit->address, b->hit->address);
    return order ? order : (a->at > b->at) - (a->at < b->at);
}

void find_drop_doubles(find_hit *list, size_t *count)
{
    entry *sorted = mem_new(*count + 1, sizeof *sorted);
    bool *twice = mem_new(*count + 1, sizeof *twice);
    if (!sorted || !twice) {
        mem_free(sorted);
        mem_free(twice);
        return;
    }
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
    mem_free(sorted);
    mem_free(twice);
}

/* ---- one address ---- */

static uint32_t patience_ms(const catalogue *known)
{
    uint32_t most = 0;
    for (size_t i = 0; i < known->count; i++)
        most = known->list[i]->link.reply_ms > most ? known->list[i]->link.reply_ms : most;
    return most + 100;
}

/* Does anybody answer one harmless read? */
static bool knock(find_hit *hit, const address *where, const catalogue *known)
{
    linked below;
    bil_result result = {0};
    if (!link_open(&below, where))
        return false;
    const bil_link link = below.link;
    const bil_description *d = NULL;
    for (size_t i = known->count; i-- > 0;)
        d = link_fits(where->kind, known->list[i]) ? known->list[i] : d;
    hit->end = FIND_ABSENT;
    if (!d) { /* nothing is known that could be there */
        link_end(&below);
        return false;
    }
    below.kind->wait_at_most(below.memory, CONNECT_MS);
    bil_outcome outcome = link.ops->connect(link.ctx, &(bil_connect){.description = d}, &result);
    if (outcome == BIL_REFUSED || result.cause == BIL_E_GARBLED || result.cause == BIL_E_SESSION_TAKEN)
        hit->end = FIND_REFUSED; /* somebody is there, and speaks another way, or with somebody else */
    if (outcome == BIL_DONE) {
        below.kind->wait_at_most(below.memory, patience_ms(known));
        uint8_t raw[BIL_TEXT_MAX];
        outcome = link_read_one(link, d, d->identity[BIL_ID_MODEL], raw, &result);
        hit->end = outcome == BIL_UNKNOWN || outcome == BIL_NOT_SENT ? FIND_SILENT : FIND_REFUSED;
    }
    hit->error = (int)result.cause;
    hit->connect_errno = below.kind->connect_errno(below.memory);
    link_end(&below);
    return hit->end == FIND_REFUSED;
}

static void who_is_it(find_hit *hit, const catalogue *known, secret_source from)
{
    device dev;
    char why[300];
    hit->error = device_open_within(&dev, hit->address, NULL, IDENTIFY_MS, known, &from, why, sizeof why);
    if (hit->error) {
        snprintf(hit->says, sizeof hit->says, "%s", dev.login.says);
        hit->end = hit->error == BIL_E_UNKNOWN_MODEL ? FIND_UNKNOWN : FIND_REFUSED;
        return;
    }
    hit->end = FIND_DEVICE;
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
    find_hit *list;
    size_t count, finished;
    const catalogue *known;
    void (*done)(void *ctx, const find_hit *hit, size_t finished, size_t count);
    void *ctx;
    shared_secrets secrets;
} search;

static const char *line_of(void *ctx, size_t i)
{
    return ((search *)ctx)->list[i].line;
}

/* `before` is the address asked before on the same line: where that had no line at all, this one has none. */
static void ask(void *ctx, size_t i, size_t before)
{
    search *s = ctx;
    find_hit *hit = &s->list[i];
    address where;
    char why[200];
    if (before != LINES_NONE && s->list[before].end == FIND_ABSENT) {
        hit->error = s->list[before].error;
        hit->connect_errno = s->list[before].connect_errno;
    } else if (address_parse(hit->address, &where, why, sizeof why) == BIL_OK && knock(hit, &where, s->known)) {
        who_is_it(hit, s->known, secrets_shared(&s->secrets));
    }
}

static void asked(void *ctx, size_t i)
{
    search *s = ctx;
    s->finished++;
    if (s->done)
        s->done(s->ctx, &s->list[i], s->finished, s->count);
}

void find_run(find_hit *list, size_t count, const catalogue *known, const secret_source *from, unsigned at_once,
              void (*done)(void *ctx, const find_hit *hit, size_t finished, size_t count), void *ctx)
{
    search s = {.list = list, .count = count, .known = known, .done = done, .ctx = ctx};
    secrets_share(&s.secrets, from);
    lines_run(&(lines_work){count, at_once, line_of, ask, asked, &s});
    secrets_unshare(&s.secrets);
}

double find_bound(const find_hit *list, size_t count, const catalogue *known, unsigned at_once)
{
    search s = {.list = (find_hit *)list, .count = count};
    lines_work c = {count, at_once, line_of, NULL, NULL, &s};
    size_t lines, longest;
    lines_measure(&c, &lines, &longest);
    size_t hands = lines_hands(&c, lines);
    /* lines in turn on each hand, and never less than the longest line takes by itself */
    double turns = (double)((lines + hands - 1) / (hands ? hands : 1)) * (double)longest;
    return turns * (CONNECT_MS + patience_ms(known) + IDENTIFY_MS) / 1000.0;
}
