/* The whole write played against a simulated unit that starts with the values of the device. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/cells.h"
#include "bilancia/console.h"
#include "bilancia/words.h"
#include "cli/played.h"
#include "cli/writing.h"
#include "show/need.h"
#include "sim/entry.h"
#include "sim/http.h"
#include "sim/link.h"
#include "sim/stream.h"

typedef struct stage {
    played_model *played; /* where nobody wrote a unit of this model; or NULL */
    sim_unit unit;
    sim_link sim;
    bil_cell_link over;
    sim_stream stream; /* of one that is asked in words */
    bil_console_link words;
    bil_http_link documents; /* of one that has such */
    char room[128 * 1024];
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
        if (image->state[i] != BIL_PRESENT)
            continue;
        if (d->console || d->http) {
            bil_format plain = *param->format; /* the unit has its own words */
            char text[BIL_VALUE_TEXT];
            plain.words = NULL;
            if (bil_value_say(&plain, bil_image_raw(image, i), NULL, text, sizeof text) != BIL_OK ||
                !sim_put(&s->unit, param->id, text))
                return false;
            continue;
        }
        uint16_t *cells = sim_own(&s->unit, param->space, (uint16_t)param->at.number, param->cells);
        if (!cells || bil_value_to_cells(param->format, bil_image_raw(image, i), cells) != BIL_OK)
            return false; /* of a cell that several share, the rest stays */
    }
    if (password[0])
        sim_put_secret(&s->unit, password);
    sim_store(&s->unit);
    return true;
}

static bool set_stage(void *ctx, const bil_writing *w, const char *password, bil_link *link, bil_clock *clock)
{
    writing *x = ctx;
    const bil_image *have = bil_writing_have(w);
    const sim_model *model = model_of(have->description);
    stage *s = x->stage = need(1, sizeof *s);
    char why[300];
    if (!model)
        s->played = played_of(have->description, NULL, false, why, sizeof why);
    if (!model && !s->played)
        return false;
    if (!dress(s, model ? model : &s->played->model, have, password))
        return false;
    bil_cells cells = sim_link_open(&s->sim, &s->unit);
    *clock = sim_link_clock(&s->sim);
    if (have->description->console)
        *link = bil_console_link_over(&s->words, sim_stream_open(&s->stream, &s->sim, false), *clock, NULL);
    else if (have->description->http)
        *link = bil_http_link_over(&s->documents, sim_http_open(&s->sim), NULL, s->room, sizeof s->room);
    else
        *link = bil_cell_link_over(&s->over, cells);
    return true;
}

static void rehearsed(void *ctx, const bil_writing *w, const bil_ending *end, const bil_job_progress *p)
{
    const writing *x = ctx;
    progress_clear();
    bool well = exit_code_of_ending(end) == EXIT_DONE;
    char why[600];
    snprintf(why, sizeof why, "the rehearsal ended \"%s\"%s%s: %s; nothing was written to the device",
             bil_verdict_text(end->verdict), end->param[0] ? " at " : "", end->param, bil_host_error_text(end->cause));
    if (!well)
        say_error(bil_writing_address(w), end->cause, why);
    else if (!x->json)
        say("%s✓ rehearsed%s on a %s %s with the values of the device: %s, %u value%s with %u request%s "
            "in %.1f s of its time; nothing was written to the device\n\n",
            good(), plain(), x->stage->played ? "unit that was played by its description, a" : "simulated",
            bil_writing_description(w)->model, bil_verdict_text(end->verdict), p->written, p->written == 1 ? "" : "s",
            p->write_requests, p->write_requests == 1 ? "" : "s", (double)x->stage->sim.now / 1000);
}

void writing_stage_free(writing *x)
{
    if (x->stage)
        sim_played_free(x->stage->played);
    free(x->stage);
    x->stage = NULL;
}

void writing_rehearses(writing *x, bool only)
{
    x->wish.stage = set_stage;
    x->wish.rehearsed = rehearsed;
    x->wish.only_rehearsed = only;
}
