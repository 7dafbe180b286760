/* bilancia show: a saved copy, as a person reads it. */
#include <string.h>
#include <unistd.h>

#include "cli/look_cli.h"

static bool put_out(void *ctx, const uint8_t *bytes, size_t count)
{
    (void)ctx;
    return fwrite(bytes, 1, count, stdout) == count;
}

/* The bytes of a file, to where nobody reads them. */
static int give_file(library *l, const char *which, const char *id)
{
    bil_copy *copy;
    if (isatty(STDOUT_FILENO))
        return say_error(id, BIL_E_CALL, "its bytes aren't for a terminal: put > and a name behind the call");
    int error = bil_copy_open(l->host, which, &copy);
    if (!error)
        error = bil_copy_give_file(copy, id, put_out, NULL);
    if (!error && fflush(stdout) != 0)
        error = BIL_E_FILE_WRITE;
    return error ? library_failed(l, error) : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    int json = 0;
    char *report = NULL, *file = NULL;
    filter_words words = {0};
    bil_look_wish wish;
    bil_look *look;
    library l = {0};
    struct poptOption options[] = {
        FILTER_OPTIONS(words),
        {"report", 'r', POPT_ARG_STRING, &report, 0, "write a settings sheet: a page, a table or a text",
         "FILE.html|.csv|.txt"},
        {"file", 0, POPT_ARG_STRING, &file, 0, "the bytes of this file of the copy, and nothing else", "ID"},
        {"description", 'd', POPT_ARG_STRING, &l.description, 0, "a description to use", "FILE"},
        SITE_OPTION(l.given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 1, 1, false);
    if (code >= 0)
        return code;
    if (file)
        return library_end(&l, give_file(&l, l.c.arguments[0], file));
    code = report_wanted(report);
    if (code < 0)
        code = look_wish_of(&words, &wish);
    if (code >= 0)
        return library_end(&l, code);
    showing s = {.all = true, .json = json, .as_copy = json, .report = report};
    const char *which = l.c.arguments[0];
    wish.all = true;
    wish.as_far_as = !json; /* a program gets all of it, or nothing */
    bil_named kind;
    int error = bil_host_named(l.host, which, &kind, NULL);
    if (!error && kind == BIL_NAMED_DEVICE)
        return library_end(
            &l, say_error(which, BIL_E_CALL, "show takes a saved copy; read the device first, or say DEVICE#last"));
    if (!error)
        error = bil_look_open(l.host, &which, 1, &wish, &look);
    return library_end(&l, error ? library_failed(&l, error) : look_through(&s, look, 1));
}

const command command_show = {"show",
                              "[options] COPY",
                              "shows a saved copy: the unit, all values by group, what is left out",
                              "  bilancia show crusher_ED30-0417_20261123-071500.bset\n"
                              "  bilancia show crusher#last --report crusher.html      a settings sheet\n"
                              "  bilancia show labeller#last --file media.logo >logo.pbm\n",
                              run,
                              200};
