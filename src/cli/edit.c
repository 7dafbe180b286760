/* bilancia edit: changes values in a saved copy, with no device there. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/new_copy.h"
#include "cli/password.h"
#include "show/need.h"

enum { SECRET_TEXT = 257 }; /* as long as a passphrase may be */

typedef struct edit_call {
    library l;
    char *of, *values, *side, *folder, *why, *seal, *unsealed, **files;
    int fd; /* where passphrase and secrets come from, each on a line; -1: from a person */
    filter_words words;
} edit_call;

/* What passes the filter of another copy or device. */
static int take_from(bil_copy *copy, const edit_call *e)
{
    bil_look_wish wish;
    unsigned taken, stay;
    int code = look_wish_of(&e->words, &wish);
    if (code >= 0)
        return code;
    int error = bil_copy_take_from(copy, e->of, &wish, &taken, &stay);
    progress_clear();
    if (error)
        return library_failed(&e->l, error);
    say("Taken from %s: %u value%s%s\n", e->of, taken, taken == 1 ? "" : "s",
        stay ? "; what belongs to the unit or couldn't be read stays" : "");
    return -1;
}

/* Typed twice, or from the file descriptor. The exit code, or -1. */
static int take_secret(const edit_call *e, const char *what, char *out, size_t size)
{
    char question[300], again[SECRET_TEXT];
    if (e->fd >= 0)
        return password_from_fd(e->fd, out, size)
                   ? -1
                   : say_error(what, BIL_E_CALL, "the file descriptor has no line for it, or one that is too long");
    snprintf(question, sizeof question, "%s: ", what);
    if (!isatty(STDIN_FILENO) || !password_from_prompt(question, out, size))
        return say_error(what, BIL_E_PERSON, "nobody gives it: --secrets-fd N takes it from a file descriptor");
    snprintf(question, sizeof question, "%s, once more: ", what);
    bool same = password_from_prompt(question, again, sizeof again) && strcmp(out, again) == 0;
    explicit_bzero(again, sizeof again);
    return same ? -1 : say_error(what, BIL_E_CALL, "it was typed in two ways");
}

/* The next of a list of ids with commas between; false at its end. */
static bool next_id(const char **list, char id[BIL_ID_MAX + 1])
{
    size_t length = strcspn(*list, ",");
    if (!**list)
        return false;
    snprintf(id, BIL_ID_MAX + 1, "%.*s", (int)length, *list);
    *list += length + ((*list)[length] == ',');
    return true;
}

static int seal_one(const edit_call *e, bil_copy *copy, const char *id)
{
    const bil_description *d = bil_copy_description(copy);
    char what[BIL_ID_MAX + BIL_NAME_MAX + 8], secret[SECRET_TEXT] = "";
    int32_t index = bil_description_find(d, id, strlen(id));
    snprintf(what, sizeof what, "%s%s%s%s", index < 0 ? "" : d->params[index].name, index < 0 ? "" : " (", id,
             index < 0 ? "" : ")");
    int code = take_secret(e, what, secret, sizeof secret);
    int error = code < 0 ? bil_copy_seal(copy, id, secret) : BIL_OK;
    explicit_bzero(secret, sizeof secret);
    if (code < 0 && !error)
        say("Sealed   %s\n", what);
    return error ? library_failed(&e->l, error) : code;
}

/* Is each of them one that can be sealed? Nobody types what is refused. An earlier seal of it goes, so that all that
 * are sealed anew may have another passphrase. */
static int may_seal(const edit_call *e, bil_copy *copy)
{
    char id[BIL_ID_MAX + 1];
    for (const char *list = e->seal; next_id(&list, id);) {
        int error = bil_copy_seal(copy, id, NULL);
        if (error)
            return library_failed(&e->l, error);
    }
    return -1;
}

static int seal(const edit_call *e, bil_copy *copy)
{
    char id[BIL_ID_MAX + 1], passphrase[SECRET_TEXT] = "";
    int code = -1, error = BIL_OK;
    for (const char *list = e->unsealed ? e->unsealed : ""; !error && next_id(&list, id);)
        error = bil_copy_seal(copy, id, NULL);
    if (error)
        return library_failed(&e->l, error);
    if (!e->seal)
        return -1;
    code = may_seal(e, copy);
    if (code < 0)
        code = take_secret(e, "Passphrase of the secrets sealed in the copy", passphrase, sizeof passphrase);
    if (code < 0)
        error = bil_copy_seal_by(copy, passphrase);
    explicit_bzero(passphrase, sizeof passphrase);
    if (error)
        return library_failed(&e->l, error);
    for (const char *list = e->seal; code < 0 && next_id(&list, id);)
        code = seal_one(e, copy, id);
    return code;
}

/* ID=PATH */
static int put_file(const edit_call *e, bil_copy *copy, const char *words)
{
    char id[BIL_ID_MAX + 1];
    const char *equals = strchr(words, '=');
    if (!equals || (size_t)(equals - words) >= sizeof id)
        return say_error(words, BIL_E_CALL, "ID=PATH is wanted");
    snprintf(id, sizeof id, "%.*s", (int)(equals - words), words);
    int error = bil_copy_put_file(copy, id, equals + 1);
    return error ? library_failed(&e->l, error) : -1;
}

static int change(bil_copy *copy, const edit_call *e, const char **assignments)
{
    int code = e->of ? take_from(copy, e) : -1, error = BIL_OK;
    if (code < 0 && e->values)
        error = bil_copy_import(copy, e->values, e->side);
    for (; code < 0 && !error && *assignments; assignments++)
        error = bil_copy_assign(copy, *assignments);
    for (char **file = e->files; code < 0 && !error && file && *file; file++)
        code = put_file(e, copy, *file);
    if (error)
        return library_failed(&e->l, error);
    return code < 0 ? seal(e, copy) : code;
}

/* What the new copy has in another way than the one it comes from. */
static int show_changes(edit_call *e, const new_copy *n)
{
    const char *const sides[] = {n->source, n->path};
    showing s = {0};
    bil_look_wish wish = {.struct_size = sizeof wish};
    int code = n->path[0] ? look_at(&e->l, &s, sides, 2, &wish) : EXIT_DONE;
    return code == EXIT_DIFFERENT ? EXIT_DONE : code;
}

static int edit(edit_call *e, const char **arguments, int count)
{
    if (filter_is_given(&e->words) && !e->of)
        return say_error("--group, --match, --class, --safety", BIL_E_CALL,
                         "they say what to take over: --take-from COPY is missing");
    if (count == 1 && !e->of && !e->values && !e->files && !e->seal && !e->unsealed)
        return say_error(
            arguments[0], BIL_E_CALL,
            "say what changes: ID=VALUE, --values FILE.csv, --take-from COPY, --file ID=PATH, or --seal ID");
    if (e->fd >= 0 && !e->seal)
        return say_error("--secrets-fd", BIL_E_CALL, "it goes with --seal");
    new_copy *n = need(1, sizeof *n);
    bil_copy *copy;
    int code = library_takes(&e->l, "--why", e->why);
    if (code < 0)
        code = new_copy_open(n, &e->l, arguments[0], &copy);
    if (code < 0) {
        code = change(copy, e, arguments + 1);
        if (code < 0)
            code = new_copy_save(n, &e->l, copy, e->folder, e->why ? e->why : "changed offline");
        bil_copy_close(copy);
        if (code < 0)
            code = show_changes(e, n);
    }
    free(n);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    edit_call e = {.fd = -1};
    struct poptOption options[] = {
        {"take-from", 't', POPT_ARG_STRING, &e.of, 0, "take values over from another copy or device", "COPY"},
        FILTER_OPTIONS(e.words),
        {"values", 'v', POPT_ARG_STRING, &e.values, 0,
         "values from a table: a settings sheet, or one with the columns id and value", "FILE.csv"},
        {"side", 0, POPT_ARG_STRING, &e.side, 0, "of the table of a comparison: which side's values", "Left|Right|A|B"},
        {"file", 0, POPT_ARG_ARGV, &e.files, 0, "take a file of this computer, such as a layout", "ID=PATH"},
        {"seal", 0, POPT_ARG_STRING, &e.seal, 0,
         "secrets, such as keys, that are put into the copy under a passphrase; asked for, not shown", "ID,ID"},
        {"without-seal", 0, POPT_ARG_STRING, &e.unsealed, 0, "take these out again", "ID,ID"},
        {"secrets-fd", 0, POPT_ARG_INT, &e.fd, 0,
         "read the passphrase, and behind it each secret, from this file descriptor, a line each", "N"},
        NEW_COPY_OPTIONS(e.folder, e.why, e.l.who),
        {"description", 'd', POPT_ARG_STRING, &e.l.description, 0, "a description to try first", "FILE"},
        SITE_OPTION(e.l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&e.l, self, argc, argv, options, 1, 1000, false);
    return code >= 0 ? code : library_end(&e.l, edit(&e, e.l.c.arguments, e.l.c.count));
}

const command command_edit = {
    "edit",
    "[options] COPY [ID=VALUE...]",
    "changes values in a saved copy, with no device there; the result is a new copy",
    "  bilancia edit crusher#last limit.torque=120 ramp.up='3.5 s' --why 'softer start'\n"
    "  bilancia edit crusher#last --take-from kneader-1#baseline --group regulator\n"
    "  bilancia edit crusher#last --values season.csv           columns id and value, as a report has them\n"
    "  bilancia edit labeller#last --seal broker.key            a key that no device shows, under a passphrase\n"
    "The old copy stays as it is. Nothing is sent to a device.\n",
    run,
    210};
