/* bilancia rehearse: the whole write played against a simulated unit that starts with the values of the device. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "cli/writing.h"
#include "host/base/arena.h"
#include "sim/entry.h"
#include "sim/link.h"

typedef struct stage {
    sim_unit unit;
    sim_link sim;
    device dev; /* of the simulated unit; its image is its own */
} stage;

static const sim_model *model_of(const bil_description *d)
{
    char name[BIL_TEXT_MAX + 1];
    size_t i = 0;
    for (; d->model[i] && i < sizeof name - 1; i++)
        name[i] = (char)tolower((unsigned char)d->model[i]);
    name[i] = '\0';
    return sim_model_named(name);
}

/* What the device holds, put into the unit as its own: in force and stored. */
static bool dress(stage *s, const sim_model *model, const bil_image *image, const char *password)
{
    const bil_description *d = image->description;
    sim_start(&s->unit, model, true, NULL, NULL);
    for (uint16_t i = 0; i < d->count; i++) {
        const bil_param *param = &d->params[i];
        uint16_t cells[BIL_TEXT_MAX / 2 + 1];
        if (image->state[i] != BIL_PRESENT)
            continue;
        bil_value_to_cells(&param->format, bil_image_raw(image, i), cells);
        if (!sim_own(&s->unit, param->space, param->address, param->cells, cells))
            return false;
    }
    if (password[0])
        sim_put(&s->unit, "access.password", password);
    sim_store(&s->unit);
    return true;
}

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

static void note_rehearsal(const write_call *w)
{
    char digest[2 * BIL_SHA256 + 1];
    if (!w->h || w->config.kind == BIL_JOB_RESET)
        return;
    set_digest_hex(w->totals.digest, digest);
    int error =
        note_add(&w->h->place, w->owner.folder, "proved", person(w->who),
                 json_pack("{s:s,s:s,s:s}", "about", digest, "by", "rehearsal", "serial", w->expected_serial), NULL);
    if (error)
        say_error(w->h->place.path, error, NULL);
}

/* What came out, by the exit code of the rehearsal. -1 where the write goes on. */
static int tell_rehearsal(write_call *w, const stage *s, const bil_action *end, const bil_job_progress *p, int code)
{
    const bil_description *d = w->want.description;
    char why[600];
    if (code != EXIT_DONE) {
        snprintf(why, sizeof why, "the rehearsal ended \"%s\"%s%s: %s; nothing was written to the device",
                 bil_verdict_text(end->u.end.verdict), end->u.end.param == BIL_NONE ? "" : " at ",
                 end->u.end.param == BIL_NONE ? "" : d->params[end->u.end.param].id,
                 bil_host_error_text((int)end->u.end.cause));
        say_error(w->address, (int)end->u.end.cause, why);
        return code;
    }
    if (!w->json)
        say("%s✓ rehearsed%s on a simulated %s with the values of the device: %s, %u value%s with %u request%s "
            "in %.1f s of its time; nothing was written to the device\n\n",
            good(), plain(), d->model, bil_verdict_text(end->u.end.verdict), p->written, p->written == 1 ? "" : "s",
            p->write_requests, p->write_requests == 1 ? "" : "s", (double)s->sim.now / 1000);
    note_rehearsal(w);
    return -1;
}

int rehearse(write_call *w)
{
    const sim_model *model = model_of(w->dev.description);
    if (!model)
        return say_error(w->dev.description->model, BIL_E_CALL,
                         "there is no simulated unit of this model to rehearse on");
    int error = device_read_all(&w->dev, progress_of_reading, NULL, NULL);
    progress_clear();
    if (error)
        return say_error(w->address, error, NULL);
    stage *s = need(1, sizeof *s);
    size_t size = bil_image_size(w->dev.description);
    void *memory = need(1, size);
    s->dev = w->dev;
    bil_image_init(&s->dev.image, w->dev.description, memory, size);
    int code = -1;
    if (!dress(s, model, &w->dev.image, w->password)) {
        code = say_error(w->dev.description->model, BIL_E_CALL,
                         "the simulated unit doesn't have all values of this description");
    } else {
        bil_job_config config = w->config;
        config.want = &w->want;
        char serial[BIL_VALUE_TEXT];
        bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
        w->expected_serial = serial;
        config.serial = w->origin.serial;
        config.firmware = w->origin.firmware;
        config.restart = config.restart == BIL_RESTART_NEVER ? BIL_RESTART_NEVER : BIL_RESTART_NOW;
        config.unit = 0;
        bil_job *job = device_job(&s->dev, config.kind, config);
        runner r = {.link = sim_link_open(&s->sim, &s->unit),
                    .password = w->password,
                    .ask = agree,
                    .record = agree,
                    .save = keep_nothing};
        r.clock = sim_link_clock(&s->sim);
        bil_action end = run_job(job, &r);
        bil_job_progress p;
        bil_job_progress_of(job, &p);
        code = exit_of(&end, w);
        code = tell_rehearsal(w, s, &end, &p, code);
        w->expected_serial = NULL;
        free(job);
    }
    free(memory);
    free(s);
    return code;
}
