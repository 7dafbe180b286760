/* bilancia compare: any of devices, saved copies, stored and factory values, side by side. */
#include <stdlib.h>

#include "cli/look_cli.h"
#include "show/need.h"

static int run(const command *self, int argc, const char **argv)
{
    showing s = {0};
    int all = 0, json = 0, other_model = 0;
    filter_words words = {0};
    finding_filter filter;
    char *description = NULL, *given = NULL, *report = NULL;
    struct poptOption options[] = {
        {"all", 'a', POPT_ARG_NONE, &all, 0, "equal values too", NULL},
        FILTER_OPTIONS(words),
        {"report", 'r', POPT_ARG_STRING, &report, 0, "write a report: a page, a table or a text",
         "FILE.html|.csv|.txt"},
        {"other-model", 0, POPT_ARG_NONE, &other_model, 0, "compare different models, by the same ids", NULL},
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 2, SIDES_MOST);
    if (code >= 0)
        return code;
    catalogue m;
    if (report && !report_is_good(report))
        return call_end(&c, EXIT_CALL);
    int error = filter_of(&words, &filter);
    if (!error)
        error = catalogue_at_hand(&m, description, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    s.all = all;
    s.json = json;
    s.report = report;
    size_t count = (size_t)c.count;
    side *sides = calloc(count, sizeof *sides);
    if (!sides)
        no_memory();
    code = sides_open(sides, c.arguments, count, &m, given);
    if (code < 0) {
        if (!other_model)
            code = sides_fit(sides, count);
        if (code < 0)
            code = show_findings(&s, sides, count, &filter);
        sides_close(sides, count);
    }
    free(sides);
    return call_end(&c, code);
}

const command command_compare = {
    "compare",
    "[options] LEFT RIGHT [MORE...]",
    "compares devices, saved copies, stored, factory and kept values, two or more",
    "  bilancia compare crusher_ED30-0417_20261123-071500.bset modbus+tcp://127.0.0.1:5020/3\n"
    "  bilancia compare crusher#baseline crusher                   as a site names them\n"
    "  bilancia compare kneading kneading#stored kneading#last     in force, stored, saved\n"
    "  bilancia compare factory crusher#last                       all that was changed since delivery\n"
    "  bilancia compare kneader-1 kneader-2 kneader-3              which is the odd one out?\n"
    "  bilancia compare crusher#baseline crusher --report crusher.html\n",
    run,
    120};
