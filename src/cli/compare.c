/* bilancia compare: any of devices, saved copies, stored and factory values, side by side. */
#include "cli/look_cli.h"

static int run(const command *self, int argc, const char **argv)
{
    showing s = {0};
    int all = 0, json = 0, other_model = 0;
    char *report = NULL;
    filter_words words = {0};
    bil_look_wish wish;
    library l = {0};
    struct poptOption options[] = {
        {"all", 'a', POPT_ARG_NONE, &all, 0, "equal values too", NULL},
        FILTER_OPTIONS(words),
        {"report", 'r', POPT_ARG_STRING, &report, 0, "write a report: a page, a table or a text",
         "FILE.html|.csv|.txt"},
        {"other-model", 0, POPT_ARG_NONE, &other_model, 0, "compare different models, by the same ids", NULL},
        {"description", 'd', POPT_ARG_STRING, &l.description, 0, "a description to try first", "FILE"},
        SITE_OPTION(l.given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 2, BIL_LOOK_SIDES, false);
    if (code >= 0)
        return code;
    code = report_wanted(report);
    if (code < 0)
        code = look_wish_of(&words, &wish);
    if (code < 0) {
        s.all = all;
        s.json = json;
        s.report = report;
        wish.other_model = other_model;
        wish.as_far_as = true;
        code = look_at(&l, &s, l.c.arguments, (size_t)l.c.count, &wish);
    }
    return library_end(&l, code);
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
