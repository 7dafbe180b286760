/* bilancia baseline: the copy that counts as right for a device, or the last one of each device of a group. */
#include <stdlib.h>
#include <string.h>

#include "cli/library.h"

static int mark(library *l, const char *which, const char *why)
{
    char name[DEVICE_NAME];
    const bil_site_copy *copy;
    char word[CALLED];
    int code = library_owner(l, which, name);
    if (code >= 0)
        return code;
    code = library_code(l, bil_site_baseline(l->site, which, why));
    if (code == EXIT_DONE && bil_site_copy_of(l->site, which, &copy) == BIL_OK)
        say("%s★ baseline%s  of %s: copy %s of %s\n", good(), plain(), name, called(copy, word), copy->when);
    return code;
}

static int take_back(library *l, const char *device)
{
    char name[DEVICE_NAME];
    int code = library_owner(l, device, name);
    if (code < 0)
        code = library_code(l, bil_site_take_back(l->site, device, NULL));
    if (code == EXIT_DONE)
        say("%s✓ taken back%s  no copy of %s counts as right any more\n", good(), plain(), name);
    return code;
}

/* ---- a group ---- */

typedef struct members {
    const char *group;
    char (*list)[DEVICE_NAME + 20];
    size_t count, room;
    bool known, named; /* it is a group, and no device is called so */
} members;

static bool add(void *ctx, const bil_site_device *d)
{
    members *m = ctx;
    m->named = m->named || strcmp(d->name, m->group) == 0 || strcmp(d->folder, m->group) == 0;
    if (strcmp(d->group, m->group) != 0 || d->retired)
        return true;
    m->known = true;
    if (d->copies == 0)
        return true;
    if (m->count == m->room) {
        m->room = m->room ? 2 * m->room : 16;
        void *more = realloc(m->list, m->room * sizeof *m->list);
        if (!more)
            return false;
        m->list = more;
    }
    snprintf(m->list[m->count++], sizeof *m->list, "devices/%s#last", d->folder);
    return true;
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char *why = NULL;
    int back = 0;
    struct poptOption options[] = {{"why", 0, POPT_ARG_STRING, &why, 0, "a note on why", "TEXT"},
                                   {"take-back", 0, POPT_ARG_NONE, &back, 0, "none counts as right any more", NULL},
                                   SITE_OPTION(l.given),
                                   WHO_OPTION(l.who),
                                   HELP_OPTION,
                                   POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 1, 1, true);
    if (code >= 0)
        return code;
    if (back)
        return library_end(&l, take_back(&l, l.c.arguments[0]));
    members m = {.group = l.c.arguments[0]};
    int error = strchr(m.group, '#') ? BIL_OK : bil_site_devices(l.site, add, &m);
    if (error)
        code = library_failed(&l, error);
    else if (!m.known || m.named)
        code = mark(&l, m.group, why);
    else
        code = EXIT_DONE;
    for (size_t i = 0; i < m.count && m.known && !m.named; i++) {
        int one = mark(&l, m.list[i], why);
        code = one > code ? one : code;
    }
    free(m.list);
    return library_end(&l, code);
}

const command command_baseline = {"baseline",
                                  "[options] DEVICE[#COPY]  |  baseline GROUP  |  baseline DEVICE --take-back",
                                  "marks the copy that counts as right for a device",
                                  "  bilancia baseline kneader-2#last --why \"accepted by the plant\"\n"
                                  "  bilancia baseline kneading           the last copy of each device of this group\n",
                                  run,
                                  440};
