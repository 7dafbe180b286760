/* A write played on another unit before: nothing is written to the device, nor kept. */
#include <stdlib.h>

#include "host/base/person.h"
#include "host/write/inside.h"
#include "port/memory.h"

int write_rehearsal_reads(write_call *w)
{
    bil_job_progress p;
    write_doing(w, WRITE_READING, NULL);
    int error = device_read_all(&w->dev, (read_watch){.secrets = write_secrets(w)}, &p, NULL);
    return error ? write_fail(w, w->keep.address, error, NULL) : BIL_OK;
}

/* The unit that it is played on. */
typedef struct stage {
    write_call *w;
    device played;
} stage;

static bool agree(void *ctx, const bil_action *action)
{
    (void)ctx;
    (void)action;
    return true;
}

static bool keep_nothing(void *ctx, const bil_image *have)
{
    (void)ctx;
    (void)have;
    return true;
}

static bool put_password(void *ctx, uint8_t slot, const bil_format *format, uint8_t *raw)
{
    return write_put_password(((stage *)ctx)->w, slot, format, raw);
}

static bool bytes_of(void *ctx, const bil_transfer *t, bil_bytes *bytes)
{
    stage *s = ctx;
    return device_bytes(&s->played, &s->w->want.files, t, bytes);
}

static bool taken(void *ctx, uint8_t raw[BIL_FILE_RAW])
{
    return files_taken(&((stage *)ctx)->played.files, raw);
}

int write_rehearse(write_call *w, bil_link link, bil_clock clock, bil_action *end, bil_job_progress *counts)
{
    const bil_description *d = w->dev.description;
    char digest[2 * BIL_SHA256 + 1], serial[BIL_VALUE_TEXT];
    stage s = {.w = w, .played = {.text = w->dev.text, .link = link, .clock = clock, .description = d}};
    size_t size = bil_image_size(d);
    void *memory = mem_new(1, size);
    if (!memory)
        return write_fail(w, w->keep.address, BIL_E_MEMORY, NULL);
    bil_image_init(&s.played.image, d, memory, size);
    bil_job_config config = w->config;
    config.want = &w->want.image;
    config.serial = w->want.origin.serial;
    config.firmware = w->want.origin.firmware;
    config.restart = config.restart == BIL_RESTART_NEVER ? BIL_RESTART_NEVER : BIL_RESTART_NOW;
    config.unit = 0;
    bil_job *job = device_job(&s.played, config.kind, config);
    bil_run_hooks hooks = {.struct_size = sizeof hooks,
                           .ask = agree,
                           .record = agree,
                           .save = keep_nothing,
                           .secret = put_password,
                           .bytes = bytes_of,
                           .taken = taken,
                           .ctx = &s};
    if (!job) {
        mem_free(memory);
        return write_fail(w, w->keep.address, BIL_E_MEMORY, NULL);
    }
    secrets before = w->secrets; /* the password of the device stays what it is */
    int broken = bil_run(job, link, clock, &hooks, end);
    w->secrets = before;
    secret_wipe(&before, sizeof before);
    bil_job_progress_of(job, counts);
    files_close(&s.played.files);
    mem_free(job);
    mem_free(memory);
    bool well = !broken && !end->u.end.held &&
                (end->u.end.verdict == BIL_VERDICT_VERIFIED || end->u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS ||
                 end->u.end.verdict == BIL_VERDICT_IN_FORCE || end->u.end.verdict == BIL_VERDICT_ON_TRIAL);
    if (!well)
        return write_fail(w, w->keep.address, broken ? broken : (int)end->u.end.cause, NULL);
    if (w->config.kind == BIL_JOB_RESET)
        return BIL_OK;
    set_digest_hex(w->want.totals.digest, digest);
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    int error = keep_proved(&w->keep, person(w->who), digest, serial, "rehearsal");
    if (error)
        write_doubt(w, w->keep.name ? w->keep.name : "", error, NULL);
    return BIL_OK;
}
