#include "host/copy/keep.h"

#include <dirent.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/time.h"

keep keep_in_folder(const char *folder, const char *address)
{
    static const keep_ops nobody;
    return (keep){.ops = &nobody,
                  .address = address,
                  .copies = folder,
                  .collected = folder,
                  .records = folder,
                  .last = "",
                  .last_when = "",
                  .last_serial = "",
                  .baseline = ""};
}

int keep_allows(const keep *k, const keep_case *c, trouble *t)
{
    return k->ops->allows ? k->ops->allows(k->ctx, c, t) : BIL_OK;
}

bool keep_serial_shared(const keep *k, const char *model, const char *serial)
{
    return k->ops->serial_shared && k->ops->serial_shared(k->ctx, model, serial);
}

bool keep_had_later(const keep *k, const char *digest, char when[KEEP_WHEN])
{
    return k->ops->had_later && k->ops->had_later(k->ctx, digest, when);
}

int keep_sent(const keep *k, const char *who, const char *digest, const char *serial)
{
    return k->ops->sent ? k->ops->sent(k->ctx, who, digest, serial) : BIL_OK;
}

int keep_proved(const keep *k, const char *who, const char *digest, const char *serial, const char *by)
{
    return k->ops->proved ? k->ops->proved(k->ctx, who, digest, serial, by) : BIL_OK;
}

int keep_moved(const keep *k, const char *who, const char *address)
{
    return k->ops->moved ? k->ops->moved(k->ctx, who, address) : BIL_OK;
}

int keep_reached(const keep *k, const char *who, const char *why)
{
    return k->ops->reached ? k->ops->reached(k->ctx, who, why) : BIL_OK;
}

void keep_origin(set_origin *o, const bil_image *image, const char *who, const char *why, const char *from,
                 const char *parent)
{
    *o = (set_origin){.scope = "all"};
    set_origin_of(o, image);
    time_now(o->when, sizeof o->when);
    snprintf(o->who, SET_TEXT, "%s", who);
    snprintf(o->why, SET_TEXT, "%s", why);
    snprintf(o->from, SET_TEXT, "%s", from);
    snprintf(o->parent, SET_TEXT, "%s", parent);
}

unsigned keep_number(const char *file)
{
    enum { DIGITS = 5 }; /* of KEEP_NUMBERS */
    const char *dash = strrchr(file, '-'), *at = dash;
    while (at && at > file && at[-1] >= '0' && at[-1] <= '9')
        at--;
    if (!at || at - file < 2 || at == dash || dash - at > DIGITS || at[-1] != 'n' || at[-2] != '-' || at[0] == '0')
        return 0;
    return (unsigned)strtoul(at, NULL, 10);
}

static unsigned highest_in(const char *folder)
{
    unsigned highest = 0;
    DIR *dir = folder ? storage_list(folder) : NULL;
    for (struct dirent *entry; dir && (entry = readdir(dir));) {
        unsigned number = storage_ends_with(entry->d_name, ".bset") ? keep_number(entry->d_name) : 0;
        highest = number > highest ? number : highest;
    }
    if (dir)
        closedir(dir);
    return highest;
}

void keep_name(const keep *k, const char *stem, const char *what, const char *ending, char *out, size_t size)
{
    bool numbered = k->in_site && strcmp(ending, ".bset") == 0;
    unsigned there = numbered ? highest_in(k->copies) : 0, number = 1 + (there > k->highest ? there : k->highest);
    if (numbered && number <= KEEP_NUMBERS)
        snprintf(out, size, "%s-n%u-%c%s", stem, number, STORAGE_DIGEST, ending);
    else if (k->in_site)
        snprintf(out, size, "%s-%c%s", stem, STORAGE_DIGEST, ending);
    else
        snprintf(out, size, "%s%s%s%s", stem, *what ? "_" : "", what, ending);
}

int keep_values(const keep *k, const bil_image *have, file_store *files, const char *who, const char *why,
                const char *stem, const char *what, const char *unless, set_origin *o, char *path,
                bil_set_totals *totals)
{
    char own[200], name[300];
    keep_origin(o, have, who, why, k->address, k->last);
    if (k->scope)
        snprintf(o->scope, SET_TEXT, "%s", k->scope);
    set_file_stem(o, own, sizeof own);
    keep_name(k, stem ? stem : own, what, ".bset", name, sizeof name);
    return set_file_save_changed(have, files, o, k->copies, name, unless, path, totals);
}
