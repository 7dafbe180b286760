/* The program's handle. */
#include <assert.h>
#include <dirent.h>
#include <pwd.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "core/bytes.h"
#include "host/base/decided.h"
#include "host/base/person.h"
#include "host/describe/doubt.h"
#include "host/describe/forecast.h"
#include "host/library/inside.h"
#include "host/site/index.h"

/* ---- calls ---- */

int lib_begin(bil_host *h)
{
    assert(h && h->alive == ALIVE);
    if (h->busy)
        return BIL_E_BAD_CALL;
    h->busy = true;
    h->trouble = (trouble){0};
    mem_enter(&h->scope, h->has_hooks ? &h->hooks : NULL);
    return BIL_OK;
}

int lib_end_of(bil_host *h, int error)
{
    h->busy = false;
    if (mem_leave(&h->scope))
        error = trouble_of(&h->trouble, BIL_E_MEMORY, "", NULL);
    h->trouble.error = error;
    return error;
}

int lib_end(bil_host *h, int error, const char *what, const char *why)
{
    trouble_of(&h->trouble, error, error ? what : "", error ? why : "");
    return lib_end_of(h, error);
}

int lib_fail(bil_host *h, int error, const char *what, const char *why)
{
    int busy = lib_begin(h);
    return busy ? busy : lib_end(h, error, what, why);
}

bool lib_take(void *out, size_t known, const void *given)
{
    memset(out, 0, known);
    return !given || bil_take_struct(out, known, given, *(const size_t *)given) == BIL_OK;
}

int lib_note(bil_host *h, const char *text)
{
    return note_is_good(text) ? BIL_OK : trouble_of(&h->trouble, BIL_E_CALL, text, NOTE_WANTED);
}

/* ---- parts ---- */

void *lib_part(bil_host *h, size_t size, void (*end)(part *part))
{
    part *p = mem_new(1, size);
    if (!p)
        return NULL;
    *p = (part){.host = h, .next = h->parts, .at = &h->parts, .end = end};
    if (h->parts)
        h->parts->at = &p->next;
    h->parts = p;
    return p;
}

void lib_drop(part *p)
{
    p->end(p);
    *p->at = p->next;
    if (p->next)
        p->next->at = p->at;
    p->host = NULL; /* who uses it once more is found by that in debug builds */
    mem_free(p);
}

void lib_nothing(part *p)
{
    (void)p;
}

/* ---- descriptions ---- */

static int put_first(bil_host *h, const bil_description *d)
{
    if (h->known.count == CATALOGUE_MAX)
        return trouble_of(&h->trouble, BIL_E_CALL, d->model, "there are as many descriptions as there may be");
    memmove(h->known.list + 1, h->known.list, h->known.count * sizeof h->known.list[0]);
    memmove(h->known.disputed + 1, h->known.disputed, h->known.count * sizeof h->known.disputed[0]);
    h->known.list[0] = d;
    h->known.disputed[0] = false;
    h->known.count++;
    h->known.given = d->model;
    return BIL_OK;
}

/* A description in memory of its own, which belongs to the host; NULL: it isn't there, as the trouble says. */
static const bil_description *load(bil_host *h, const char *path, int *error)
{
    char why[500] = "";
    described *one = mem_new(1, sizeof *one);
    *error = one ? description_load(&one->loaded, path, why, sizeof why) : BIL_E_MEMORY;
    if (*error) {
        mem_free(one);
        trouble_of(&h->trouble, *error, why[0] ? "" : path, why);
        return NULL;
    }
    snprintf(one->path, sizeof one->path, "%s", path);
    one->next = h->loaded;
    h->loaded = one;
    return &one->loaded.table;
}

static void say(bil_host *h, int error, const char *what, const char *why)
{
    if (h->config.log)
        h->config.log(h->config.ctx, error, what, why);
}

static void two_differ(void *ctx, const char *model, const char *digest, const char *other)
{
    char why[300];
    snprintf(why, sizeof why,
             "there are two descriptions that differ, %.12s and %.12s: the first is used for reading, and nothing is "
             "written by either until somebody decides",
             digest, other);
    say(ctx, BIL_E_DISPUTED, model, why);
}

/* Those of the site: one that can't be read is told and passed over, everything else is known. */
static void take_those_of(bil_host *h, const site *place)
{
    char folder[STORAGE_PATH];
    site_path(place, "", "descriptions", folder);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    while (dir && (entry = readdir(dir)) && h->known.count < CATALOGUE_MAX) {
        char path[STORAGE_PATH + 300];
        int error;
        if (!index_takes_name(entry->d_name, ".yaml"))
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        const bil_description *d = load(h, path, &error);
        if (d)
            h->known.list[h->known.count++] = d;
        else
            say(h, error, path, h->trouble.why);
    }
    if (dir)
        closedir(dir);
}

static int take_descriptions(bil_host *h)
{
    int error = BIL_OK;
    char why[STORAGE_PATH + 300];
    if (h->config.description) {
        const bil_description *d = load(h, h->config.description, &error);
        if (!d)
            return error;
        put_first(h, d);
    }
    site *place = mem_new(1, sizeof *place);
    error = !place ? BIL_E_MEMORY : h->nowhere ? BIL_E_NO_SITE : site_find(place, h->site, why, sizeof why);
    if (!error)
        take_those_of(h, place);
    for (const bil_description *const *one = descriptions_built_in; *one && h->known.count < CATALOGUE_MAX; one++)
        h->known.list[h->known.count++] = *one;
    if (!error)
        catalogue_settle(&h->known, place->id, two_differ, h);
    mem_free(place);
    bool none = error == BIL_E_NO_SITE && !h->site;
    return error && !none ? trouble_of(&h->trouble, error, "", why) : BIL_OK;
}

/* ---- opening ---- */

/* getpwuid has one answer for all threads: this is its other form. */
static void whoever_is_logged_in(char *out, size_t size)
{
    struct passwd entry, *user = NULL;
    char texts[4096];
    out[0] = '\0';
    if (getpwuid_r(getuid(), &entry, texts, sizeof texts, &user) == 0 && user &&
        bil_text_is_printable(user->pw_name, strlen(user->pw_name)))
        snprintf(out, size, "%s", user->pw_name);
}

static char *kept_text(const char *text)
{
    char *copy = mem_new(strlen(text) + 1, 1);
    return copy ? strcpy(copy, text) : NULL;
}

static int open(bil_host *h)
{
    const bil_host_config *config = &h->config;
    if (config->who && (!note_is_good(config->who) || strlen(config->who) >= sizeof h->who))
        return trouble_of(&h->trouble, BIL_E_CALL, config->who, NOTE_WANTED);
    if (config->who)
        snprintf(h->who, sizeof h->who, "%s", config->who);
    else
        whoever_is_logged_in(h->who, sizeof h->who);
    h->nowhere = config->site && !config->site[0];
    if (config->site && !h->nowhere && !(h->site = kept_text(config->site)))
        return BIL_E_MEMORY;
    return take_descriptions(h);
}

static bool give(void *ctx, const char *where, uint8_t slot, const char *which, bool may_ask, char *out, size_t size)
{
    const bil_host *h = ctx;
    const char *name = slot == 1 && !may_ask ? "" : which;
    return h->config.password && h->config.password(h->config.ctx, where, name, may_ask, out, size) && out[0];
}

static bool trust(void *ctx, const char *where, const char *says, const char *before)
{
    const bil_host *h = ctx;
    return h->config.trust && h->config.trust(h->config.ctx, where, says, before);
}

secret_source lib_secrets(bil_host *h)
{
    return (secret_source){give, trust, h};
}

int bil_host_knows(bil_host *h, const char *where, const char *says)
{
    int error = lib_begin(h);
    if (error)
        return error;
    error = where && says ? login_agree(where, says) : BIL_E_BAD_CALL;
    return lib_end_of(h, error ? trouble_of(&h->trouble, error, where ? where : "", "") : BIL_OK);
}

int bil_host_open(bil_host **out, const bil_host_config *given)
{
    bil_host_config config;
    if (!out)
        return BIL_E_BAD_CALL;
    *out = NULL;
    if (!lib_take(&config, sizeof config, given))
        return BIL_E_BAD_CALL;
    mem_scope scope;
    mem_hooks hooks = {config.resize, config.ctx};
    mem_enter(&scope, config.resize ? &hooks : NULL);
    bil_host *h = mem_new(1, sizeof *h);
    mem_leave(&scope);
    if (!h)
        return BIL_E_MEMORY;
    *h = (bil_host){.alive = ALIVE, .hooks = hooks, .has_hooks = config.resize != NULL, .config = config};
    lib_begin(h);
    int error = lib_end_of(h, open(h));
    h->config.site = h->config.description = h->config.who = NULL; /* they were the caller's */
    *out = h;
    if (error == BIL_E_MEMORY) {
        bil_host_close(h);
        *out = NULL;
    }
    return error;
}

void bil_host_close(bil_host *h)
{
    if (!h)
        return;
    assert(h->alive == ALIVE && !h->busy);
    mem_hooks hooks = h->hooks;
    mem_scope scope;
    mem_enter(&scope, h->has_hooks ? &hooks : NULL);
    while (h->parts)
        lib_drop(h->parts);
    for (described *one; (one = h->loaded);) {
        h->loaded = one->next;
        description_free(&one->loaded);
        mem_free(one);
    }
    mem_free(h->site);
    arena_free(&h->told);
    arena_free(&h->kit);
    h->alive = 0;
    mem_free(h);
    mem_leave(&scope);
}

/* ---- trouble ---- */

int bil_host_error(const bil_host *h)
{
    return h->trouble.error;
}

const char *bil_host_what(const bil_host *h)
{
    return h->trouble.what;
}

const char *bil_host_why(const bil_host *h)
{
    return h->trouble.why;
}

const char *bil_host_of_site(const bil_host *h)
{
    return h->trouble.site;
}

const char *bil_host_trouble(const bil_host *h)
{
    const trouble *t = &h->trouble;
    char *line =
        ((bil_host *)(uintptr_t)h)->line; /* made anew for each question, so that it needs no room of its own */
    const char *text = bil_host_error_text(t->error), *why = strcmp(t->why, text) ? t->why : "";
    bool twice = why[0] && strncmp(why, t->what, strlen(t->what)) == 0; /* a place in a file begins with its name */
    const char *what = twice ? "" : t->what;
    snprintf(line, sizeof h->line, "%s%s%s%s%s", what, what[0] ? ": " : "", text, why[0] ? ": " : "", why);
    return line;
}

/* ---- questions ---- */

const char *bil_host_who(const bil_host *h)
{
    assert(h->alive == ALIVE);
    return h->who;
}

const bil_description *bil_host_description(const bil_host *h, size_t i)
{
    return i < h->known.count ? h->known.list[i] : NULL;
}

const char *bil_host_description_file(const bil_host *h, size_t i)
{
    const described *one = i < h->known.count ? h->loaded : NULL;
    while (one && &one->loaded.table != h->known.list[i])
        one = one->next;
    return one ? one->path : i < h->known.count ? "" : NULL;
}

int bil_host_add_description(bil_host *h, const char *path)
{
    int error = lib_begin(h);
    if (error)
        return error;
    const bil_description *d = path ? load(h, path, &error) : NULL;
    if (!path)
        error = BIL_E_BAD_CALL;
    return lib_end_of(h, d ? put_first(h, d) : error);
}

int bil_host_add_table(bil_host *h, const bil_description *table)
{
    uint16_t where = BIL_NONE;
    int error = lib_begin(h);
    if (error)
        return error;
    error = table ? bil_description_check(table, &where) : BIL_E_BAD_CALL;
    if (error == BIL_E_TABLE)
        trouble_of(&h->trouble, error, where == BIL_NONE || !table->params[where].id ? "" : table->params[where].id,
                   NULL);
    return lib_end_of(h, error ? error : put_first(h, table));
}

int bil_host_digest(bil_host *h, const bil_description *d, char hex[65])
{
    int error = lib_begin(h);
    if (error)
        return error;
    return lib_end_of(h, catalogue_digest(d, hex) ? BIL_OK : BIL_E_MEMORY);
}

bool bil_host_disputed(const bil_host *h, size_t i)
{
    return i < h->known.count && h->known.disputed[i];
}

/* The one at hand with this digest; NULL where there is none, or two. */
static const bil_description *with_digest(const bil_host *h, const char *digits, char found[65])
{
    char digest[65];
    const bil_description *d = NULL;
    for (size_t i = 0; strlen(digits) >= 6 && i < h->known.count; i++)
        if (catalogue_digest(h->known.list[i], digest) && strncmp(digest, digits, strlen(digits)) == 0) {
            if (d && strcmp(digest, found) != 0)
                return NULL;
            d = h->known.list[i];
            strcpy(found, digest);
        }
    return d;
}

int bil_host_decide(bil_host *h, const char *digits, const bil_description **d)
{
    char why[STORAGE_PATH + 300] = "", digest[65] = "";
    int error = lib_begin(h);
    if (error)
        return error;
    site *place = mem_new(1, sizeof *place);
    error = !place       ? BIL_E_MEMORY
            : !digits    ? BIL_E_BAD_CALL
            : h->nowhere ? BIL_E_NO_SITE
                         : site_find(place, h->site, why, sizeof why);
    if (error)
        trouble_of(&h->trouble, error, "", why);
    else if (!(*d = with_digest(h, digits, digest)))
        error = trouble_of(&h->trouble, BIL_E_CALL, digits,
                           "no description at hand has this digest; at least six of its digits are wanted");
    else
        error = decided_add(DECIDED_DESCRIPTION, place->id, (*d)->model, digest);
    mem_free(place);
    return lib_end_of(h, error);
}

int bil_host_doubt(bil_host *h, const bil_description *d, unsigned i, char *text, size_t size)
{
    int error = lib_begin(h);
    if (error)
        return error;
    if (!description_doubt(d, i, text, size))
        text[0] = '\0';
    return lib_end_of(h, BIL_OK);
}

int bil_host_forecast(bil_host *h, const bil_description *d, bil_forecast *out)
{
    bil_forecast whole;
    int error = lib_begin(h);
    if (error)
        return error;
    size_t size = out ? out->struct_size : 0;
    if (!d || size < sizeof size || size > sizeof whole)
        return lib_end_of(h, BIL_E_BAD_CALL);
    error = description_forecast(d, &whole);
    whole.struct_size = size;
    if (!error)
        memcpy(out, &whole, size);
    return lib_end_of(h, error);
}

bool bil_host_unused(bil_host *h, const bil_description *d, bil_unused *row)
{
    if (lib_begin(h) != BIL_OK)
        return false;
    bool found = d && row && description_unused(d, row);
    lib_end_of(h, BIL_OK);
    return found;
}

int bil_host_takes(bil_host *h, const char *note)
{
    int error = lib_begin(h);
    return error ? error : lib_end_of(h, lib_note(h, note));
}
