#include "cli/library.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/asking.h"
#include "cli/password.h"

static void put_doubt(void *ctx, int error, const char *what, const char *why)
{
    const library *l = ctx;
    if (error != BIL_E_DISPUTED || l->host) /* those of descriptions are said by put_disputes */
        say_error(what, error, why);
}

/* Two descriptions of one model that differ: which, and how to decide. */
static void put_disputes(const library *l)
{
    const bil_description *d, *other;
    char digest[65], its[65];
    for (size_t i = 0; (d = bil_host_description(l->host, i)); i++)
        for (size_t k = i + 1; bil_host_disputed(l->host, i) && (other = bil_host_description(l->host, k)); k++) {
            if (strcmp(d->model, other->model) != 0 || bil_host_digest(l->host, d, digest) != BIL_OK ||
                bil_host_digest(l->host, other, its) != BIL_OK || strcmp(digest, its) == 0)
                continue;
            tell(stderr,
                 "%s!%s %s has two descriptions that differ: %.12s and %.12s. Until you decide, the first is used for "
                 "reading, and nothing is written by either.\n  To decide: bilancia check --decide %.12s%s\n",
                 warn(), plain(), d->model, digest, its, digest, next_site());
        }
}

int library_failed(const library *l, int error)
{
    bool told = l->host && bil_host_error(l->host) == error;
    if (told && bil_host_of_site(l->host)[0])
        next_like(bil_host_of_site(l->host), l->description);
    return say_error(told ? bil_host_what(l->host) : "", error, told ? bil_host_why(l->host) : NULL);
}

int library_code(const library *l, int error)
{
    return error ? library_failed(l, error) : EXIT_DONE;
}

int library_owner(library *l, const char *text, char name[DEVICE_NAME])
{
    const bil_site_device *device;
    const char *hash = strrchr(text, '#');
    snprintf(name, DEVICE_NAME, "%.*s", hash ? (int)(hash - text) : (int)strlen(text), text);
    int error = bil_site_device_of(l->site, name, &device);
    if (error)
        return library_failed(l, error);
    snprintf(name, DEVICE_NAME, "%s", device->name);
    return -1;
}

int library_wants_copy(const char *text)
{
    return strchr(text, '#') ? -1 : say_error(text, BIL_E_CALL, "say which copy of it, such as DEVICE#12");
}

/* What was typed once in a call isn't asked for again. */
static void keep_typed(library *l, const char *name, const char *text)
{
    for (size_t i = 0; i < LIBRARY_SECRETS; i++)
        if (!l->secrets[i]) {
            size_t size = strlen(name) + strlen(text) + 2;
            l->secrets[i] = malloc(size);
            if (l->secrets[i])
                snprintf(l->secrets[i], size, "%s=%s", name, text);
            return;
        }
}

bool library_password(library *l, const char *where, const char *which, bool may_ask, char *out, size_t size)
{
    char name[600], question[700]; /* an address has less than 300 bytes */
    if (!may_ask) {
        passwords_from_environment("BILANCIA_PASSWORD", l->secrets, LIBRARY_SECRETS);
        snprintf(name, sizeof name, "%s%s", which[0] ? "_" : "", which);
        return password_kept(l->secrets, LIBRARY_SECRETS, name, out, size);
    }
    snprintf(name, sizeof name, "%s at %s", which, where);
    if (where[0] && password_kept(l->secrets, LIBRARY_SECRETS, name, out, size))
        return true;
    if (!isatty(STDIN_FILENO))
        return false;
    bool usual = !which[0] || strcmp(which, "password") == 0;
    int used = usual ? snprintf(question, sizeof question, "Password of the device")
                     : snprintf(question, sizeof question, "\"%.60s\" of the device", which);
    snprintf(question + used, sizeof question - (size_t)used, "%s%s%s: ", where[0] ? " at " : "", where,
             usual ? "" : " (a password or code)");
    progress_clear();
    if (!password_from_prompt(question, out, size))
        return false;
    if (where[0])
        keep_typed(l, name, out);
    return true;
}

static bool give(void *ctx, const char *where, const char *which, bool may_ask, char *out, size_t size)
{
    return library_password(ctx, where, which, may_ask, out, size);
}

/* Whether a password may go there where nothing else tells who is there: a person says that, or nobody does. */
static bool trust(void *ctx, const char *where, const char *says, const char *before)
{
    (void)ctx;
    if (!isatty(STDIN_FILENO))
        return false;
    progress_clear();
    tell(stderr, "%s wants its password before it says who it is. Of itself it says:\n  %s\n", where, says);
    if (before[0])
        tell(stderr, "%s!%s When it was agreed to that its password may go there it said:\n  %s\n", warn(), plain(),
             before);
    return ask_at_terminal(before[0] ? "Is that the device all the same, and may its password go there?"
                                     : "Is that the device, and may its password go there from now on?");
}

int library_begin(library *l, const command *self, int argc, const char **argv, struct poptOption *options, int least,
                  int most, bool site)
{
    int code = call_begin(&l->c, self, argc, argv, options, least, most);
    if (code >= 0)
        return code;
    l->verb = self->name;
    next_like(l->given, l->description);
    bil_host_config config = {.struct_size = sizeof config,
                              .who = l->who,
                              .site = l->nowhere ? "" : l->given,
                              .description = l->description,
                              .log = l->quiet ? NULL : put_doubt,
                              .ctx = l,
                              .password = give,
                              .trust = trust};
    int error = bil_host_open(&l->host, &config);
    if (!error && !l->quiet)
        put_disputes(l);
    if (!error && site)
        error = bil_site_open(l->host, NULL, &l->site);
    return error ? library_end(l, library_failed(l, error)) : -1;
}

int library_takes(library *l, const char *option, const char *text)
{
    int error = bil_host_takes(l->host, text);
    return error ? say_error(option, error, bil_host_why(l->host)) : -1;
}

int library_site(library *l)
{
    int error = l->site ? BIL_OK : bil_site_open(l->host, NULL, &l->site);
    return error == BIL_E_NO_SITE && !l->given ? BIL_OK : error;
}

int library_end(library *l, int code)
{
    bil_host_close(l->host);
    passwords_forget(l->secrets, LIBRARY_SECRETS);
    return call_end(&l->c, code);
}
