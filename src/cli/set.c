/* bilancia set: changes single values on a device, through the same gate, record and proof as every write. */
#include <stdlib.h>
#include <string.h>

#include "cli/writing.h"
#include "host/base/arena.h"
#include "host/copy/keep.h"
#include "host/look/edit.h"

typedef struct setting {
    write_call *w;
    side now;
    offline work;
    char before[STORAGE_PATH], copy[STORAGE_PATH];
} setting;

/* The device as it is, as a copy: the changed one comes from it. -1, or the exit code. */
static int save_now(setting *s, const models *m)
{
    write_call *w = s->w;
    char why[STORAGE_PATH + 500], name[300];
    bil_set_totals totals;
    side_parse(&s->now, w->address);
    int error = side_open(&s->now, m, progress_of_reading, why, sizeof why);
    progress_clear();
    if (error)
        return say_error(w->address, error, why);
    set_origin *o = &s->now.origin;
    keep_origin(o, &s->now.image, person(w->who), "before single values are set", w->address,
                w->h && w->owner.copies ? w->owner.last.digest : "");
    keep_name(o, w->h != NULL, "", name, sizeof name);
    error = set_file_save(&s->now.image, o, w->safety_folder, name, s->before, &totals);
    return error ? say_error(w->safety_folder, error, NULL) : -1;
}

static int change(setting *s, const models *m, const char **assignments)
{
    int error = offline_open(&s->work, s->before, m);
    for (; !error && *assignments; assignments++) {
        char id[BIL_ID_MAX + 1];
        const char *equals = strchr(*assignments, '=');
        if (!equals || (size_t)(equals - *assignments) >= sizeof id)
            return say_error(*assignments, BIL_E_CALL, "ID=VALUE is wanted");
        snprintf(id, sizeof id, "%.*s", (int)(equals - *assignments), *assignments);
        error = offline_set(&s->work, id, equals + 1);
    }
    return error ? say_error("", error, s->work.why) : -1;
}

static int save_changed(setting *s)
{
    const write_call *w = s->w;
    char name[300];
    set_origin o;
    offline_origin(&s->work, person(w->who), w->why ? w->why : "set on the device", &o);
    keep_name(&o, w->h != NULL, "set", name, sizeof name);
    int error = offline_save(&s->work, o.who, o.why, w->safety_folder, name, s->copy);
    return error ? say_error("", error, s->work.why) : -1;
}

static int set_values(setting *s, const models *m, const char **assignments, int fd)
{
    int code = save_now(s, m);
    if (code >= 0)
        return code;
    code = change(s, m, assignments);
    if (code < 0 && !s->work.changed) {
        say("The device has these values already.\n");
        code = EXIT_DONE;
    }
    if (code < 0)
        code = save_changed(s);
    offline_close(&s->work);
    side_close(&s->now);
    if (code >= 0)
        return code;
    if (!s->w->json)
        say("%sThis changes the device, not a copy.%s\n", bold(), plain());
    s->w->copy = s->copy;
    code = writing_run(s->w, m, fd);
    if (code == EXIT_DONE && !s->w->json && !s->w->config.trial)
        say("The copy is up to date with it: %s\n", s->copy);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    char *folder = NULL, *who = NULL, *why = NULL, *description = NULL, *given = NULL, *restart = NULL,
         **despite = NULL;
    int yes = 0, json = 0, trial = 0, fd = -1;
    setting *s = need(1, sizeof *s);
    s->w = need(1, sizeof *s->w);
    struct poptOption options[] = {
        CALL_OPTIONS(s->w),
        HOW_OPTIONS(trial, restart, despite),
        WRITING_OPTIONS(yes, json, fd, folder, who, why),
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 2, 1000);
    if (code >= 0) {
        writing_end(s->w);
        free(s);
        return code;
    }
    *s->w = (write_call){.start_again = s->w->start_again,
                         .without_words = s->w->without_words,
                         .unseen = s->w->unseen,
                         .address = c.arguments[0],
                         .site_given = given,
                         .folder = folder ? folder : ".",
                         .safety_folder = folder ? folder : ".",
                         .who = who,
                         .why = why,
                         .yes = yes,
                         .json = json,
                         .sets = true,
                         .despite_words = despite};
    s->w->config.kind = BIL_JOB_WRITE;
    s->w->config.restart = BIL_RESTART_NOW;
    s->w->restart_word = restart;
    s->w->config.trial = trial;
    models m;
    code = note_is_good(who) && note_is_good(why) ? -1 : say_error("--why, --who", BIL_E_CALL, NOTE_WANTED);
    if (code < 0 && !folder)
        code = writing_find(s->w, c.arguments[0], given);
    if (code < 0 && !address_is_device(s->w->address))
        code =
            say_error(s->w->address, BIL_E_CALL, "set changes a device; a saved copy is changed with: bilancia edit");
    if (code < 0)
        code = writing_allowed(s->w);
    if (code < 0 && models_at_hand(&m, description, given) != BIL_OK)
        code = EXIT_FILE;
    if (code < 0)
        code = set_values(s, &m, c.arguments + 1, fd);
    code = call_end(&c, code); /* the options point into the call */
    writing_end(s->w);
    free(s);
    return code;
}

const command command_set = {"set",
                             "[options] DEVICE ID=VALUE...",
                             "changes single values on a device: checked, recorded, stored and proved like every write",
                             "  bilancia set crusher limit.torque=120 --why 'less noise'\n"
                             "The values before are saved first; bilancia undo goes back to them.\n",
                             run,
                             70};
