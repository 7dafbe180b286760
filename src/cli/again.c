/* What resume, keep and undo share: after a write that broke off, or to go back to what was before it. */
#include "cli/again.h"

#include <string.h>
#include <unistd.h>

#include "bilancia/words.h"
#include "cli/interrupt.h"
#include "show/age.h"

/* What somebody else's record asks for, whole. */
static void put_foreign(const bil_story *s, const char *verb)
{
    static const char *const checks[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    tell(stderr, "%sThis record isn't of this computer:%s what it says is shown, and counts once you agree.\n", bold(),
         plain());
    tell(stderr, "  Record          %s\n  Written         %s by %s, as it says\n", s->record, s->when,
         s->who[0] ? s->who : "nobody named");
    tell(stderr, "  Unit            %s, serial number %s, at %s\n", s->model, s->serial[0] ? s->serial : "none",
         s->address);
    tell(stderr, "  Would write     %s%s\n",
         s->resets      ? "the factory values"
         : s->writes[0] ? s->writes
                        : "nothing: there is no copy of what was before",
         s->groups[0] ? ", some groups" : "");
    tell(stderr, "  As              %s%s%s\n", bil_purpose_name(s->purpose),
         s->with_calibration ? ", with calibration" : "", s->without[0] ? ", with values left out: " : "");
    if (s->without[0])
        tell(stderr, "                  %s\n", s->without);
    tell(stderr, "  Found in state  %u%s\n  Checks it set aside, which hold again now:", (unsigned)s->found,
         s->held ? ", and left held" : "");
    for (int i = 0; i < BIL_CHECK_COUNT; i++)
        if (s->aside >> i & 1)
            tell(stderr, " %s", checks[i]);
    tell(stderr, "%s\n", s->aside ? "" : " none");
    if (s->ours[0])
        tell(stderr, "  What this computer began here itself: bilancia %s %s\n", verb, s->ours);
}

static void put_story(const bil_story *s)
{
    char age[64];
    age_text(s->when, age, sizeof age);
    say("%sRecord%s   %s\n", bold(), plain(), s->record);
    say("         begun %s by %s; %s\n", age, s->who[0] ? s->who : "nobody named",
        !s->verdict[0]                     ? "it was broken off"
        : s->held                          ? "it ended with the device still held"
        : s->on_trial                      ? "its values are on trial"
        : strcmp(s->verdict, "incomplete") ? "it came to its end"
                                           : "it ended incomplete");
    say("         %s\n\n", s->undoes ? "going back to what was there before" : "going on from what is there now");
}

/* Another computer's record takes the serial number from a person's own hand, which no file can give. */
static bool story(void *ctx, const bil_story *s, char *typed, size_t size)
{
    writing *x = ctx;
    if (s->foreign) {
        put_foreign(s, x->l.verb);
        bool asks = !x->serial && isatty(STDIN_FILENO);
        if (!x->serial && !asks)
            return false;
        if (asks)
            tell(stderr,
                 "To agree, type the %s of the unit in front of you: ", s->serial[0] ? "serial number" : "address");
        if (asks && !line_typed(typed, size))
            return false;
    }
    if (!x->json)
        put_story(s);
    return true;
}

int again_run(const command *self, int argc, const char **argv,
              int (*how)(bil_host *host, const char *which, const bil_write_wish *wish, bil_ending *ending))
{
    writing *x = writing_new();
    struct poptOption options[] = {{"serial", 0, POPT_ARG_STRING, &x->serial, 0,
                                    "the serial number of the unit: to agree to a record of another computer",
                                    "NUMBER"},
                                   PASSPHRASE_OPTION(x),
                                   HOW_OPTIONS(x),
                                   WRITING_OPTIONS(x),
                                   POPT_TABLEEND};
    int code = writing_begin(x, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    bil_ending ending = {.struct_size = sizeof ending};
    x->wish.story = story;
    writing_starts(x);
    code = writing_over(x, how(x->l.host, x->l.c.arguments[0], &x->wish, &ending), &ending);
    if (code == EXIT_DONE && !x->told)
        say("Nothing is left to finish: the last write ended \"%s\".\n", ending.before);
    return writing_end(x, code);
}
