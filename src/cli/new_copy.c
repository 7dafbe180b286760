#include "cli/new_copy.h"

#include <string.h>

void new_copy_of(new_copy *n, const char *which, const bil_copy *copy)
{
    *n = (new_copy){0};
    snprintf(n->source, sizeof n->source, "%s", bil_copy_tells(copy)->path);
    const char *hash = strrchr(which, '#');
    if (hash && strcmp(which, n->source) != 0)
        snprintf(n->device, sizeof n->device, "%.*s", (int)(hash - which), which);
}

int new_copy_open(new_copy *n, library *l, const char *which, bil_copy **copy)
{
    int error = bil_copy_open(l->host, which, copy);
    if (error)
        return library_failed(l, error);
    new_copy_of(n, which, *copy);
    return -1;
}

/* What a site calls the copy; its path elsewhere. */
static const char *name_of(const new_copy *n, library *l, char *out, size_t size)
{
    const bil_site_copy *copy;
    char which[DEVICE_NAME + 80], its[CALLED];
    snprintf(out, size, "%s", n->path);
    if (!n->device[0] || library_site(l) != BIL_OK || !l->site)
        return out;
    snprintf(which, sizeof which, "%s#%s", n->device, n->digest);
    if (bil_site_copy_of(l->site, which, &copy) == BIL_OK)
        snprintf(out, size, "%s#%s", n->device, called(copy, its));
    return out;
}

int new_copy_save(new_copy *n, library *l, bil_copy *copy, const char *folder, const char *why)
{
    unsigned changed = bil_copy_changed(copy);
    if (!changed) {
        say("Nothing changes: no new copy is made.\n");
        return -1;
    }
    int error = bil_copy_save(copy, folder, why);
    if (error)
        return library_failed(l, error);
    snprintf(n->path, sizeof n->path, "%s", bil_copy_tells(copy)->path);
    snprintf(n->digest, sizeof n->digest, "%s", bil_copy_tells(copy)->digest);
    say("Saved    %s%s%s\n", bold(), n->path, plain());
    say("%s✓ new copy%s: %u changed; %snot sent to a device%s. To send it:\n", good(), plain(), changed, bold(),
        plain());
    char name[NEW_COPY_PATH], word[4 * NEW_COPY_PATH + 3], device[4 * DEVICE_NAME + 3];
    say("  bilancia write %s %s%s\n", pasted(name_of(n, l, name, sizeof name), word, sizeof word),
        n->device[0] ? pasted(n->device, device, sizeof device) : "ADDRESS", next_job());
    return -1;
}
