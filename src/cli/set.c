/* bilancia set: changes single values on a device, through the same gate, record and proof as every write. */
#include <stdlib.h>
#include <string.h>

#include "cli/writing.h"
#include "host/look/edit.h"
#include "show/need.h"

typedef struct setting {
    writing *x;
    side now;
    edited work;
    char before[STORAGE_PATH], copy[STORAGE_PATH];
} setting;

/* The device as it is, as a copy: the changed one comes from it. -1, or the exit code. */
static int save_now(setting *s)
{
    write_call *w = &s->x->w;
    char why[STORAGE_PATH + 500];
    side_parse(&s->now, w->keep.address);
    int error = side_open(&s->now, &s->x->m, progress_of_reading, why, sizeof why);
    progress_clear();
    if (error)
        return say_error(w->keep.address, error, why);
    error = write_save_now(w, &s->now.image, s->before);
    return error ? say_error(w->keep.copies, error, NULL) : -1;
}

static int change(setting *s, const char **assignments)
{
    int error = edit_open(&s->work, s->before, &s->x->m);
    for (; !error && *assignments; assignments++) {
        char id[BIL_ID_MAX + 1];
        const char *equals = strchr(*assignments, '=');
        if (!equals || (size_t)(equals - *assignments) >= sizeof id)
            return say_error(*assignments, BIL_E_CALL, "ID=VALUE is wanted");
        snprintf(id, sizeof id, "%.*s", (int)(equals - *assignments), *assignments);
        error = edit_set(&s->work, id, equals + 1);
    }
    return error ? say_error("", error, s->work.why) : -1;
}

static int save_changed(setting *s)
{
    const write_call *w = &s->x->w;
    int error = edit_keep(&s->work, &w->keep, person(w->who), w->why ? w->why : "set on the device", "set", s->copy);
    return error ? say_error("", error, s->work.why) : -1;
}

static int set_values(setting *s, const char **assignments)
{
    writing *x = s->x;
    int code = save_now(s);
    if (code >= 0)
        return code;
    code = change(s, assignments);
    if (code < 0 && !s->work.changed) {
        say("The device has these values already.\n");
        code = EXIT_DONE;
    }
    if (code < 0)
        code = save_changed(s);
    edit_close(&s->work);
    side_close(&s->now);
    if (code >= 0)
        return code;
    if (!x->json)
        say("%sThis changes the device, not a copy.%s\n", bold(), plain());
    x->w.copy = s->copy;
    code = writing_run(x);
    if (code == EXIT_DONE && !x->json && !x->w.config.trial && !x->w.keep.in_site) /* a site has it as its newest */
        say("The copy is up to date with it: %s\n", s->copy);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    int trial = 0;
    writing *x = writing_new(BIL_JOB_WRITE);
    struct poptOption options[] = {TRIAL_OPTION(trial), HOW_OPTIONS(x), WRITING_OPTIONS(x), POPT_TABLEEND};
    call c;
    int code = writing_begin(x, &c, self, argc, argv, options, 2, 1000);
    if (code >= 0)
        return code;
    setting *s = need(1, sizeof *s);
    s->x = x;
    x->w.sets = true;
    x->w.config.trial = trial;
    code = note_is_good(x->who) && note_is_good(x->why) ? -1 : say_error("--why, --who", BIL_E_CALL, NOTE_WANTED);
    if (code < 0)
        code = writing_find(x, c.arguments[0]);
    if (code < 0 && !address_is_device(x->w.keep.address))
        code = say_error(x->w.keep.address, BIL_E_CALL,
                         "set changes a device; a saved copy is changed with: bilancia edit");
    if (code < 0 && write_allowed(&x->w) != BIL_OK)
        code = say_trouble(&x->w.trouble);
    if (code < 0)
        code = writing_models(x);
    if (code < 0)
        code = set_values(s, c.arguments + 1);
    code = writing_end(x, &c, code);
    free(s);
    return code;
}

const command command_set = {"set",
                             "[options] DEVICE ID=VALUE...",
                             "changes single values on a device: checked, recorded, stored and proved like every write",
                             "  bilancia set crusher limit.torque=120 --why 'less noise'\n"
                             "The values before are saved first; bilancia undo goes back to them.\n",
                             run,
                             310};
