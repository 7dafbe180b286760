/* bilancia settle: decides what counts where a saved copy and a device differ. */
#include "bilancia/settle.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/new_copy.h"
#include "show/need.h"

typedef struct settle_call {
    library l;
    char *decisions, *record, *list, *folder, *why;
    char **decide;
    int device_wins, saved_wins;
    filter_words words;
} settle_call;

/* ---- one at a time, at the terminal ---- */

static bool line_from(char *out, size_t size)
{
    if (!fgets(out, (int)size, stdin))
        return false;
    out[strcspn(out, "\n")] = '\0';
    return true;
}

static void put_choice(const bil_look *look, const bil_finding *one)
{
    char saved[2 * BIL_VALUE_TEXT] = "—", now[2 * BIL_VALUE_TEXT] = "—";
    if (one->items[0])
        bil_look_text(look, 0, one->items[0], saved, sizeof saved);
    if (one->items[1])
        bil_look_text(look, 1, one->items[1], now, sizeof now);
    say("\n%s%s%s %s%s%s  %s\n    saved   %s\n    device  %s\n", warn(), one->weight & BIL_SAFETY ? "!" : "≠", plain(),
        bold(), one->id, plain(), one->name, saved, now);
}

/* Asks until the answer makes sense. OPEN: the person stops. */
static bil_winner ask_person(void *ctx, bil_settling *s, const bil_finding *one, bil_winner *rest, char *value,
                             size_t size)
{
    const settle_call *c = ctx;
    char answer[2 * BIL_VALUE_TEXT];
    progress_clear();
    put_choice(bil_settling_look(s), one);
    for (;;) {
        say("  d device wins · s saved wins · v VALUE a new value · D S the same for all that follow · q stop: ");
        fflush(stdout);
        if (!line_from(answer, sizeof answer) || strcmp(answer, "q") == 0)
            return BIL_WINS_OPEN;
        bool all = strcmp(answer, "D") == 0 || strcmp(answer, "S") == 0;
        if (all || strcmp(answer, "d") == 0 || strcmp(answer, "s") == 0) {
            bil_winner wins = tolower((unsigned char)answer[0]) == 'd' ? BIL_WINS_DEVICE : BIL_WINS_SAVED;
            *rest = all ? wins : *rest;
            return wins;
        }
        if (answer[0] != 'v' || answer[1] != ' ')
            continue;
        snprintf(value, size, "%s", answer + 2);
        if (bil_copy_try(bil_settling_copy(s), one->id, value) == BIL_OK)
            return BIL_WINS_VALUE;
        say("  %s✗%s %s\n", bad(), plain(), bil_host_why(c->l.host));
    }
}

/* ---- what comes of it ---- */

static int put_list(bil_settling *s, const settle_call *c)
{
    unsigned rows;
    int error = bil_settling_list(s, c->list, &rows);
    if (error)
        return library_failed(&c->l, error);
    say("%s✓ list%s  %s: %u value%s to write to the device\n", good(), plain(), c->list, rows, rows == 1 ? "" : "s");
    return -1;
}

static int put_record(bil_settling *s, const settle_call *c)
{
    int error = bil_settling_record(s, c->record);
    if (error)
        return library_failed(&c->l, error);
    say("%s✓ decisions%s  %s\n", good(), plain(), c->record);
    return -1;
}

static int finish(settle_call *c, bil_settling *s, new_copy *n)
{
    say("\nSettled: device wins %u, saved wins %u, new value %u\n", bil_settling_count(s, BIL_WINS_DEVICE),
        bil_settling_count(s, BIL_WINS_SAVED), bil_settling_count(s, BIL_WINS_VALUE));
    int code = new_copy_save(n, &c->l, bil_settling_copy(s), c->folder, c->why ? c->why : "settled");
    if (code < 0 && c->list)
        code = put_list(s, c);
    if (code < 0 && c->record)
        code = put_record(s, c);
    if (code < 0 && bil_settling_note(s) != BIL_OK) /* what was settled is there all the same */
        library_failed(&c->l, bil_host_error(c->l.host));
    return code < 0 ? EXIT_DONE : code;
}

static int settle(settle_call *c)
{
    const char **sides = c->l.c.arguments;
    bil_look_wish look;
    bil_settling *s;
    size_t count = 0;
    if (c->device_wins && c->saved_wins)
        return say_error("--device-wins, --saved-wins", BIL_E_CALL, "one of them, not both");
    int code = library_takes(&c->l, "--why", c->why);
    if (code < 0)
        code = look_wish_of(&c->words, &look);
    if (code >= 0)
        return code;
    while (c->decide && c->decide[count])
        count++;
    bil_settle_wish wish = {.struct_size = sizeof wish,
                            .look = &look,
                            .decisions = (const char *const *)c->decide,
                            .decision_count = count,
                            .file = c->decisions,
                            .rest = c->device_wins  ? BIL_WINS_DEVICE
                                    : c->saved_wins ? BIL_WINS_SAVED
                                                    : BIL_WINS_OPEN,
                            .ask = isatty(STDIN_FILENO) ? ask_person : NULL,
                            .ctx = c};
    progress_line("Connecting", "", 0, 0, 0);
    int error = bil_settle(c->l.host, sides[0], sides[1], &wish, &s);
    progress_clear();
    if (error == BIL_E_PERSON)
        return say_error(bil_host_what(c->l.host), error,
                         "nobody can be asked which counts: say --device-wins, --saved-wins, --decide or --decisions");
    if (error)
        return library_failed(&c->l, error);
    new_copy *n = need(1, sizeof *n);
    new_copy_of(n, sides[0], bil_settling_copy(s));
    code = finish(c, s, n);
    free(n);
    bil_settling_close(s);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    settle_call c = {0};
    struct poptOption options[] = {
        {"device-wins", 0, POPT_ARG_NONE, &c.device_wins, 0, "what isn't decided otherwise: as on the device", NULL},
        {"saved-wins", 0, POPT_ARG_NONE, &c.saved_wins, 0, "what isn't decided otherwise: as in the copy", NULL},
        {"decide", 0, POPT_ARG_ARGV, &c.decide, 0, "decides what fits a pattern; may be given often",
         "PATTERN=device|saved|VALUE"},
        {"decisions", 0, POPT_ARG_STRING, &c.decisions, 0, "decides as a file says", "FILE.json"},
        FILTER_OPTIONS(c.words),
        {"record", 0, POPT_ARG_STRING, &c.record, 0, "write the decisions to a file, to take them again", "FILE.json"},
        {"list", 0, POPT_ARG_STRING, &c.list, 0, "write a table of the values to write to the device", "FILE.csv"},
        NEW_COPY_OPTIONS(c.folder, c.why, c.l.who),
        {"description", 'd', POPT_ARG_STRING, &c.l.description, 0, "a description to try first", "FILE"},
        SITE_OPTION(c.l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&c.l, self, argc, argv, options, 2, 2, false);
    return code >= 0 ? code : library_end(&c.l, settle(&c));
}

const command command_settle = {
    "settle",
    "[options] COPY DEVICE",
    "decides what counts where a saved copy and a device (or another copy) differ",
    "  bilancia settle crusher#baseline crusher                      asks for each, at the terminal\n"
    "  bilancia settle crusher#baseline crusher --saved-wins --decide 'ramp.*=device' --decide limit.torque=120\n"
    "  bilancia settle crusher#baseline crusher --group limit --device-wins --record choice.json --list write.csv\n"
    "  bilancia settle kneader-2#baseline kneader-2 --decisions choice.json\n"
    "The result is a new copy; nothing is sent to the device. A file of decisions holds\n"
    "  {\"bilancia_decisions\": 0, \"decisions\": [{\"id\": \"ramp.*\", \"wins\": \"device\"},\n"
    "    {\"id\": \"limit.torque\", \"wins\": \"value\", \"value\": \"120\"}, {\"id\": \"*\", \"wins\": \"saved\"}]}\n",
    run,
    220};
