#include "cli/many.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "show/hint.h"
#include "show/need.h"

/* What is kept of one device until all were read. */
typedef struct kept {
    json_t *json;
    char name[DEVICE_NAME], model[100], serial[100];
    int error;
} kept;

typedef struct reading {
    const many *m;
    kept *kept;
    size_t count;
} reading;

/* What was seen, and what to check. */
static const char *why_of(const bil_read_one_of_many *one, char *out, size_t size)
{
    char hint[300] = "";
    if (one->system_error)
        hint_for(one->address, one->error, one->system_error, hint, sizeof hint);
    snprintf(out, size, "%s%s%s", one->why, hint[0] ? "; " : "", hint);
    return out;
}

static void put_one(const many *m, const bil_read_one_of_many *one)
{
    static const char *const marks[] = {"✓", "=", "=", "!", "✗"};
    bool well = one->end == BIL_READ_SAME || one->end == BIL_READ_UNCHANGED;
    if (m->json || (m->quiet && well && !one->unstored))
        return;
    char why[700];
    progress_clear();
    say("%s%s%s ",
        one->end == BIL_READ_SAVED || well ? good()
        : one->end == BIL_READ_PARTLY      ? warn()
                                           : bad(),
        marks[one->end], plain());
    put_cell(stdout, one->device, 22);
    putchar(' ');
    switch (one->end) {
    case BIL_READ_SAVED:
        say("saved, %u values: %s", one->values, one->path);
        break;
    case BIL_READ_PARTLY:
        say("saved, %u values, %u unreadable: %s", one->values, one->unreadable, one->path);
        break;
    case BIL_READ_SAME:
        say("read, the values are those of the last copy");
        break;
    case BIL_READ_UNCHANGED:
        say("its counter says that nothing changed");
        break;
    default:
        say("%s", why_of(one, why, sizeof why));
    }
    if (one->unstored)
        say("; %snot stored yet%s: a power cut loses values", warn(), plain());
    putchar('\n');
    fflush(stdout);
}

static json_t *one_json(const bil_read_one_of_many *one)
{
    json_t *json = json_pack("{s:s,s:s,s:s,s:s,s:i,s:i,s:i,s:b}", "device", one->device, "address", one->address, "end",
                             bil_read_end_name(one->end), "path", one->path, "values", (int)one->values, "unreadable",
                             (int)one->unreadable, "requests", (int)one->requests, "unstored", (int)one->unstored);
    if (one->error)
        json_object_set_new(json, "error", json_string(bil_host_error_name(one->error)));
    char why[700];
    if (one->why[0])
        json_object_set_new(json, "why", json_string(why_of(one, why, sizeof why)));
    return json;
}

static bool each(void *ctx, const bil_read_one_of_many *one, size_t finished, size_t count)
{
    reading *r = ctx;
    if (!r->kept) {
        r->kept = need(count, sizeof *r->kept);
        r->count = count;
    }
    kept *k = &r->kept[one->index];
    snprintf(k->name, sizeof k->name, "%s", one->device);
    snprintf(k->model, sizeof k->model, "%s", one->model);
    snprintf(k->serial, sizeof k->serial, "%s", one->serial);
    k->error = one->error;
    if (r->m->json)
        k->json = one_json(one);
    put_one(r->m, one);
    if (!r->m->json && finished < count)
        progress_line("Reading", "devices", (uint32_t)finished, (uint32_t)count, 0);
    return !r->m->stop || !r->m->stop();
}

void say_moved(library *l, const char *device, const char *model, const char *serial)
{
    const bil_site_device *other;
    if (!serial[0] || bil_site_unit(l->site, model, serial, device, &other) != BIL_OK)
        return;
    progress_clear();
    say("%s!%s %s: serial number %s was read as %s on %.10s: it was moved, or one of the addresses is wrong\n", warn(),
        plain(), device, serial, other->name, other->last->when);
}

static int code_of(const reading *r, const bil_read_many *sum)
{
    bool reached = false;
    for (size_t i = 0; i < r->count; i++) {
        int code = exit_code_of(r->kept[i].error);
        if (code == EXIT_FILE)
            return EXIT_FILE;
        reached = reached || code != EXIT_NOT_REACHABLE;
    }
    return sum->failed == 0 && sum->partly == 0 ? EXIT_DONE : reached ? EXIT_INCOMPLETE : EXIT_NOT_REACHABLE;
}

static void put_total(const reading *r, const bil_read_many *sum)
{
    if (r->m->quiet && !sum->failed && !sum->saved && !sum->partly)
        return;
    progress_clear();
    say("%zu device%s: %u saved, %u as before, %u with unreadable values, %u failed\n", r->count,
        r->count == 1 ? "" : "s", sum->saved, sum->same, sum->partly, sum->failed);
}

static int tell_all(library *l, const reading *r, const bil_read_many *sum)
{
    json_t *list = json_array();
    for (size_t i = 0; i < r->count; i++) {
        if (r->m->json)
            json_array_append_new(list, r->kept[i].json);
        else
            say_moved(l, r->kept[i].name, r->kept[i].model, r->kept[i].serial);
    }
    if (r->m->json)
        say_json(json_pack("{s:s,s:i,s:i,s:i,s:i,s:O}", "site", bil_site_folder(l->site), "saved", (int)sum->saved,
                           "same", (int)sum->same, "partly", (int)sum->partly, "failed", (int)sum->failed, "devices",
                           list));
    else
        put_total(r, sum);
    json_decref(list);
    return code_of(r, sum);
}

int many_read(library *l, const many *m)
{
    reading r = {.m = m};
    size_t names = 0;
    while (m->names && m->names[names])
        names++;
    bil_read_many sum = {.struct_size = sizeof sum,
                         .why = m->why,
                         .only_changed = m->only_changed,
                         .at_once = m->at_once,
                         .each = each,
                         .ctx = &r};
    int error = bil_site_read(l->site, m->names, names, &sum);
    progress_clear();
    int code;
    if (error && !r.kept)
        code = library_failed(l, error);
    else if (!r.kept)
        code = say_error(bil_site_folder(l->site), BIL_E_NO_DEVICE, "there is no device to read");
    else
        code = tell_all(l, &r, &sum);
    if (error && r.kept) /* what was read is there all the same */
        code = library_failed(l, error);
    free(r.kept);
    return code;
}
