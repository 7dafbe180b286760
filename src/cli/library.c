#include "cli/library.h"

#include <string.h>

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
                              .ctx = l};
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
    return call_end(&l->c, code);
}
