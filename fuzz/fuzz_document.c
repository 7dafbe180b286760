/* What a device with documents may say: the fuzzer's bytes are the reply to a read or a write of one of the labeller's
 * documents, with the status that the first two bytes tell. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/http.h"

extern const bil_description bil_description_en_2;
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

typedef struct speaker {
    const uint8_t *data;
    size_t size;
    uint16_t status;
} speaker;

static bil_outcome dial(void *ctx, bil_result *result)
{
    (void)ctx;
    (void)result;
    return BIL_DONE;
}

static bil_outcome say(void *ctx, const bil_http_request *request, bil_http_reply *reply, bil_result *result)
{
    const speaker *s = ctx;
    (void)result;
    size_t count = s->size < reply->room ? s->size : reply->room;
    for (size_t i = 0; i < request->size; i++) /* all of it can be read */
        if (request->body[i] == 0)
            abort();
    memcpy(reply->body, s->data, count);
    reply->size = count;
    reply->status = s->status;
    return BIL_DONE;
}

static void hang_up(void *ctx)
{
    (void)ctx;
}

static const bil_http_ops ops = {dial, say, hang_up};

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const uint16_t statuses[] = {200, 204, 202, 401, 404, 412, 500, 0};
    const bil_description *d = &bil_description_en_2;
    static uint8_t raw[8192], cause[256];
    if (size < 2)
        return 0;
    speaker s = {data + 2, size - 2, statuses[data[1] < 200 ? 0 : data[1] % 8]};
    bil_http_link memory;
    char *room = malloc(16000); /* of its own, so that a byte too far is seen */
    bil_result result = {0};
    bil_link link = bil_http_link_over(&memory, (bil_http_port){&ops, &s}, NULL, room, 16000);
    if (link.ops->connect(link.ctx, &(bil_connect){.description = d}, &result) != BIL_DONE)
        abort();
    uint16_t items[256], count = 0;
    uint8_t space = d->params[d->by_place[data[0] % d->count]].space;
    bool write = data[0] >> 6 & 1 && d->spaces[space].set;
    uint32_t bytes = 0;
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[d->by_place[i]].space == space && (!write || count < 20)) {
            items[count++] = d->by_place[i];
            bytes += d->params[d->by_place[i]].format->size;
        }
    if (write || d->spaces[space].ask) {
        memset(raw, 0, sizeof raw);
        raw[bytes] = cause[count] = 0x5a;
        const bil_transfer t = {
            .description = d, .items = items, .count = count, .write = write, .raw = raw, .cause = cause};
        bil_outcome outcome = link.ops->transfer(link.ctx, &t, &result);
        if (raw[bytes] != 0x5a || cause[count] != 0x5a)
            abort(); /* nothing is written behind what was asked for */
        if ((outcome == BIL_DONE) != (result.cause == BIL_OK))
            abort();
        for (const char *c = memory.heard; *c; c++)
            if (*c < 0x20 || *c > 0x7e)
                abort();
        const uint8_t *at = raw;
        for (uint16_t i = 0; outcome == BIL_DONE && !write && i < count; i++) { /* what is a value can be said again */
            char text[2 * BIL_TEXT_MAX + 8];
            const bil_format *f = d->params[items[i]].format;
            if (cause[i] == BIL_OK && bil_document_say(f, at, NULL, text, sizeof text) != BIL_OK)
                abort();
            at += f->size;
        }
    }
    free(room);
    return 0;
}
