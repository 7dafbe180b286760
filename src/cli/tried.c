/* bilancia tried: what a write left to people to try, and what came of it. */
#include <jansson.h>
#include <string.h>
#include <unistd.h>

#include "cli/asking.h"
#include "cli/interrupt.h"
#include "cli/library.h"

enum { MOST = 2 * BIL_TESTS_MAX };

typedef struct tests {
    bil_site_test list[MOST];
    char what[MOST][404];
    size_t count;
} tests;

static bool take(void *ctx, const bil_site_test *test)
{
    tests *t = ctx;
    if (t->count == MOST)
        return false;
    t->list[t->count] = *test;
    snprintf(t->what[t->count], sizeof t->what[0], "%s", test->what);
    t->list[t->count].what = t->what[t->count];
    t->count++;
    return true;
}

static const char *state_of(const bil_site_test *t)
{
    return !t->answered ? "open" : t->passed ? "passed" : "failed";
}

static void put_list(const tests *t, bool json)
{
    json_t *list = json_array();
    for (size_t i = 0; i < t->count; i++) {
        const bil_site_test *one = &t->list[i];
        if (json)
            json_array_append_new(list, json_pack("{s:s,s:s,s:s}", "kind", one->warning ? "warning" : "test", "what",
                                                  one->what, "result", state_of(one)));
        else
            say("%s%s %-6s%s %s\n",
                one->answered && one->passed ? good()
                : one->answered              ? bad()
                                             : warn(),
                one->answered && one->passed ? "✓"
                : one->answered              ? "✗"
                                             : "!",
                state_of(one), plain(), one->what);
    }
    if (json)
        say_json(list);
    else
        json_decref(list);
}

/* Each that isn't known to be so is asked again. The exit code. */
static int ask(library *l, const char *device, tests *t)
{
    bool there = isatty(STDIN_FILENO);
    unsigned left = 0, failed = 0;
    interrupt_begin(NULL);
    for (size_t i = 0; i < t->count; i++) {
        bil_site_test *one = &t->list[i];
        if (one->answered && one->passed)
            continue;
        bil_write_answer answer = ask_of_test(one->what, one->warning, &there);
        bool says = answer != BIL_ANSWER_NOBODY;
        int error = says ? bil_site_tried(l->site, device, one->what, answer == BIL_ANSWER_YES) : BIL_OK;
        if (error)
            return library_failed(l, error);
        one->answered = one->answered || says;
        one->passed = says && answer == BIL_ANSWER_YES;
        left += !one->answered;
        failed += one->answered && !one->passed;
    }
    interrupt_end();
    char word[4 * DEVICE_NAME + 3];
    if (failed)
        say("%s✗ %u failed%s: the machine must not work like this. To go back: bilancia undo %s%s\n", bad(), failed,
            plain(), pasted(device, word, sizeof word), next_job());
    if (left)
        say("%s!%s %u left to try. To answer: bilancia tried %s%s\n", warn(), plain(), left,
            pasted(device, word, sizeof word), next_site());
    if (!failed && !left)
        say("%s✓ all of it is as it should be%s\n", good(), plain());
    return failed || left ? EXIT_INCOMPLETE : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    tests t = {.count = 0};
    int json = 0, list = 0;
    struct poptOption options[] = {{"list", 0, POPT_ARG_NONE, &list, 0, "only show them, with what was answered", NULL},
                                   {"json", 'j', POPT_ARG_NONE, &json, 0, "answer as JSON; nothing is asked", NULL},
                                   WHO_OPTION(l.who),
                                   SITE_OPTION(l.given),
                                   HELP_OPTION,
                                   POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 1, 1, true);
    if (code >= 0)
        return code;
    const char *device = l.c.arguments[0];
    int error = bil_site_tests(l.site, device, take, &t);
    if (error)
        code = library_failed(&l, error);
    else if (t.count == 0)
        say("The last write left nothing to try.\n");
    else if (json || list)
        put_list(&t, json);
    else
        code = ask(&l, device, &t);
    return library_end(&l, code < 0 ? EXIT_DONE : code);
}

const command command_tried = {"tried",
                               "[options] DEVICE",
                               "answers what a write left to be tried: tests, warnings that were to be over",
                               "  bilancia tried crusher\n"
                               "What isn't answered, or isn't as it should be, stays with the device until it is.\n",
                               run,
                               365};
