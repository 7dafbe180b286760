/* The whole write played against a simulated unit that starts with the values of the device. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "cli/writing.h"
#include "show/need.h"
#include "sim/entry.h"
#include "sim/link.h"

typedef struct stage {
    sim_unit unit;
    sim_link sim;
    bil_cell_link over;
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
        if (!sim_own(&s->unit, (uint8_t)param->space, (uint16_t)param->at.number, param->cells, cells))
            return false;
    }
    if (password[0])
        sim_put(&s->unit, "access.password", password);
    sim_store(&s->unit);
    return true;
}

/* What came out. -1 where the write goes on. */
static int tell_rehearsal(writing *x, const stage *s, const bil_action *end, const bil_job_progress *p, int error)
{
    const bil_description *d = x->w.want.description;
    char why[600];
    progress_clear();
    if (error) {
        snprintf(why, sizeof why, "the rehearsal ended \"%s\"%s%s: %s; nothing was written to the device",
                 bil_verdict_text(end->u.end.verdict), end->u.end.param == BIL_NONE ? "" : " at ",
                 end->u.end.param == BIL_NONE ? "" : d->params[end->u.end.param].id,
                 bil_host_error_text((int)end->u.end.cause));
        say_error(x->w.keep.address, (int)end->u.end.cause, why);
        return exit_code_of_end(end, BIL_OK);
    }
    if (!x->json)
        say("%s✓ rehearsed%s on a simulated %s with the values of the device: %s, %u value%s with %u request%s "
            "in %.1f s of its time; nothing was written to the device\n\n",
            good(), plain(), d->model, bil_verdict_text(end->u.end.verdict), p->written, p->written == 1 ? "" : "s",
            p->write_requests, p->write_requests == 1 ? "" : "s", (double)s->sim.now / 1000);
    return -1;
}

int writing_rehearse(writing *x)
{
    write_call *w = &x->w;
    const bil_description *d = w->dev.description;
    const sim_model *model = model_of(d);
    if (!model)
        return say_error(d->model, BIL_E_CALL, "there is no simulated unit of this model to rehearse on");
    if (write_rehearsal_reads(w) != BIL_OK)
        return say_trouble(&w->trouble);
    stage *s = need(1, sizeof *s);
    int code;
    if (dress(s, model, &w->dev.image, w->password)) {
        bil_link link = bil_cell_link_over(&s->over, sim_link_open(&s->sim, &s->unit));
        bil_action end;
        bil_job_progress counts;
        int error = write_rehearse(w, link, sim_link_clock(&s->sim), &end, &counts);
        code = tell_rehearsal(x, s, &end, &counts, error);
    } else {
        code = say_error(d->model, BIL_E_CALL, "the simulated unit doesn't have all values of this description");
    }
    free(s);
    return code;
}
