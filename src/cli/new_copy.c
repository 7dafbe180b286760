#include "cli/new_copy.h"
#include "host/copy/keep.h"
#include "show/need.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static int find_in_site(new_copy *n, const char *text, const char *site_given)
{
    copy_row copy;
    n->h = calloc(1, sizeof *n->h);
    if (!n->h)
        no_memory();
    int error = enter_site(n->h, site_given);
    if (error) {
        free(n->h);
        n->h = NULL;
        return exit_code_of(error);
    }
    error = find_copy(n->h, text, &n->owner, &copy);
    if (error) {
        leave_site(n->h);
        free(n->h);
        n->h = NULL;
        return exit_code_of(error);
    }
    copy_path(&n->h->place, &copy, n->source);
    site_path(&n->h->place, n->owner.folder, "copies", n->folder);
    return -1;
}

int new_copy_open(new_copy *n, const char *text, const catalogue *m, const char *site_given, const char *folder)
{
    memset(n, 0, sizeof *n);
    int code = -1;
    if (address_is_device(text))
        return say_error(text, BIL_E_CALL, "a saved copy is wanted here; read the device first");
    if (access(text, F_OK) != 0 && strchr(text, '#')) {
        code = find_in_site(n, text, site_given);
    } else {
        snprintf(n->source, sizeof n->source, "%s", text);
        folder_of(text, n->folder);
    }
    if (code >= 0)
        return code;
    if (folder)
        snprintf(n->folder, sizeof n->folder, "%s", folder);
    int error = edit_open(&n->work, n->source, m);
    if (error) {
        code = say_error("", error, n->work.why);
        new_copy_close(n);
    }
    return code;
}

int new_copy_save(new_copy *n, const char *who, const char *why)
{
    if (!n->work.changed) {
        say("Nothing changes: no new copy is made.\n");
        return -1;
    }
    keep k = keep_in_folder(n->folder, "");
    k.in_site = n->h != NULL;
    int error = edit_keep(&n->work, &k, who, why, "", n->path);
    if (error)
        return say_error("", error, n->work.why);
    say("Saved    %s%s%s\n", bold(), n->path, plain());
    say("%s✓ new copy%s: %u value%s changed; %snot sent to a device%s. To send it:\n", good(), plain(), n->work.changed,
        n->work.changed == 1 ? "" : "s", bold(), plain());
    char copy[2 * STORAGE_PATH], name[4 * SITE_NAME + 3];
    say("  bilancia write %s %s\n", pasted(n->path, copy, sizeof copy),
        n->h ? pasted(n->owner.name, name, sizeof name) : "ADDRESS");
    return -1;
}

void new_copy_close(new_copy *n)
{
    edit_close(&n->work);
    if (!n->h)
        return;
    device_row_free(&n->owner);
    leave_site(n->h);
    free(n->h);
    n->h = NULL;
}
