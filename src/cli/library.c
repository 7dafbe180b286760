#include "cli/library.h"

#include <string.h>

static void put_doubt(void *ctx, int error, const char *what, const char *why)
{
    (void)ctx;
    say_error(what, error, why);
}

int library_failed(const library *l, int error)
{
    bool told = l->host && bil_host_error(l->host) == error;
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
    return strchr(text, '#') ? -1
                             : say_error(text, BIL_E_CALL, "say which copy: DEVICE#12; bilancia history lists them");
}

int library_begin(library *l, const command *self, int argc, const char **argv, struct poptOption *options, int least,
                  int most, bool site)
{
    int code = call_begin(&l->c, self, argc, argv, options, least, most);
    if (code >= 0)
        return code;
    bil_host_config config = {.struct_size = sizeof config,
                              .who = l->who,
                              .site = l->nowhere ? "" : l->given,
                              .description = l->description,
                              .log = put_doubt,
                              .ctx = l};
    int error = bil_host_open(&l->host, &config);
    if (!error && site)
        error = bil_site_open(l->host, NULL, &l->site);
    return error ? library_end(l, library_failed(l, error)) : -1;
}

int library_end(library *l, int code)
{
    bil_host_close(l->host);
    return call_end(&l->c, code);
}
