/* bilancia resume, keep, undo: after a write that broke off, or to go back to what was before it. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/writing.h"
#include "host/base/arena.h"
#include "show/age.h"

extern const command command_keep, command_undo;

typedef struct again {
    record_story last, first; /* the newest record, and the one with which its story began */
    ledger known;
    bool foreign;  /* another computer's */
    bool ours_too; /* `ours` is the newest that this computer began there */
    char ours[STORAGE_PATH];
    char copy[STORAGE_PATH], where[STORAGE_PATH], folder[STORAGE_PATH];
} again;

/* The file that a record names: where it says, or, when everything was moved, beside the record or among the copies of
 * the site; and still the same. -1, or the exit code. */
static int find_set(again *a, write_call *w, ledger_part part, const char *said, const char *digest)
{
    const char *slash = strrchr(said, '/'), *name = slash ? slash + 1 : said;
    const char *folders[] = {NULL, w->safety_folder, w->folder};
    char page[STORAGE_PATH], why[500];
    set_origin *o = need(1, sizeof *o);
    bil_set_totals totals;
    char hex[2 * BIL_SHA256 + 1] = "";
    int code = -1;
    bool found = false, there = false;
    bool paged = !a->foreign && ledger_page(a->first.intent, part, page);
    for (size_t i = 0; i < (paged ? 4 : 3) && !found; i++) { /* where it may lie, and the page beside the ledger */
        bool beside = i == 1 || i == 2;
        snprintf(a->copy, sizeof a->copy, "%.2000s%s%.2000s", beside ? folders[i] : "", beside ? "/" : "",
                 beside   ? name
                 : i == 0 ? said
                          : page);
        there = there || storage_is_there(a->copy);
        found = storage_is_there(a->copy) && set_file_check(a->copy, o, &totals, why, sizeof why) == BIL_OK;
        if (found)
            set_digest_hex(totals.digest, hex);
        found = found && (strcmp(hex, digest) == 0 || (!digest[0] && a->foreign));
    }
    if (!found)
        code = say_error(said, there ? BIL_E_SET_ALTERED : BIL_E_FILE_OPEN,
                         there ? "this isn't the copy any more that the record names"
                               : "the copy that the record names is gone");
    snprintf(w->expected_digest, sizeof w->expected_digest, "%s", digest);
    free(o);
    return code;
}

/* The record that is meant: a file, or the newest of a device of the site. */
static int find_record(again *a, write_call *w, const char *which, const char *site_given, bool undoes)
{
    int error = BIL_OK;
    bool found;
    if (storage_ends_with(which, ".brec")) {
        error = story_read(which, &a->known, &a->last);
        found = error == BIL_OK;
        folder_of(which, a->folder);
        w->folder = w->safety_folder = w->record_folder = a->folder;
        w->site_given = site_given;
        if (found) /* an address, or the same device of the site */
            snprintf(a->where, sizeof a->where, "%s", a->last.address);
        w->address = a->where;
        /* later ones of the same unit go on with the same story */
        record_story *newest = need(1, sizeof *newest);
        if (found && story_newest(a->folder, &a->known, a->last.model, a->last.serial, undoes, newest) &&
            strcmp(newest->chain, a->last.chain) == 0 && (a->last.foreign || !newest->foreign))
            a->last = *newest;
        free(newest);
    } else {
        int code = writing_find(w, which, site_given);
        if (code >= 0)
            return code;
        if (!w->h)
            return say_error(which, BIL_E_NO_RECORD, NULL);
        found = story_newest(w->folder, &a->known, NULL, NULL, undoes, &a->last);
        record_story *ours = need(1, sizeof *ours);
        a->ours_too = found && a->last.foreign && story_newest_of_ours(w->folder, &a->known, undoes, ours);
        snprintf(a->ours, sizeof a->ours, "%s", ours->path);
        free(ours);
    }
    if (!found)
        return say_error(which, error ? error : BIL_E_NO_RECORD,
                         error ? NULL : "nothing was written to this device yet");
    story_first(w->folder, &a->known, &a->last, &a->first);
    /* the folder of the record may be gone, or lead elsewhere by now: then what follows lies beside the ledger */
    if (!a->last.foreign && storage_make_folders(w->folder, 0777) != BIL_OK &&
        ledger_make_pages(a->first.intent, a->folder) == BIL_OK)
        w->folder = w->safety_folder = a->folder;
    a->foreign = a->last.foreign || a->first.foreign;
    w->goes_on = !a->foreign && (undoes || !a->last.on_trial); /* making a trial last is a new decision */
    return -1;
}

/* What somebody else's record asks for, whole; then it takes the serial number from a person's own hand, which no file
 * can give. -1, or the exit code. */
static int agree_to_foreign(again *a, write_call *w, const char *verb, bool undoes, const char *serial)
{
    const record_story *s = &a->first;
    static const char *const checks[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    const char *wanted = s->serial[0] ? s->serial : s->address, *what = s->serial[0] ? "serial number" : "address";
    char typed[SET_TEXT] = "", why[2 * STORAGE_PATH];
    tell(stderr, "%sThis record isn't of this computer:%s what it says is shown, and counts once you agree.\n", bold(),
         plain());
    tell(stderr, "  Record          %s\n  Written         %s by %s, as it says\n", a->last.path, s->when,
         s->who[0] ? s->who : "nobody named");
    tell(stderr, "  Unit            %s, serial number %s, at %s\n", s->model, s->serial[0] ? s->serial : "none",
         a->last.address);
    tell(stderr, "  Would write     %s%s\n",
         undoes && !s->undoes   ? s->safety[0] ? s->safety : "nothing: there is no copy of what was before"
         : s->resets && !undoes ? "the factory values"
                                : s->copy,
         s->groups[0] && !undoes ? ", some groups" : "");
    tell(stderr, "  As              %s%s%s\n", bil_purpose_name(undoes ? BIL_RESTORE : (bil_purpose)s->purpose),
         s->with_calibration ? ", with calibration" : "", s->without[0] ? ", with values left out: " : "");
    if (s->without[0])
        tell(stderr, "                  %s\n", s->without);
    tell(stderr, "  Found in state  %u%s\n  Checks it set aside, which hold again now:", (unsigned)a->last.found,
         a->last.held ? ", and left held" : "");
    uint32_t aside = undoes ? s->despite & ~(UINT32_C(1) << BIL_CHECK_RULES) : s->despite; /* see record_again */
    for (int i = 0; i < BIL_CHECK_COUNT; i++)
        if (aside >> i & 1)
            tell(stderr, " %s", checks[i]);
    tell(stderr, "%s\n", aside ? "" : " none");
    if (a->ours_too)
        tell(stderr, "  What this computer began here itself: bilancia %s %s\n", verb, a->ours);
    if (serial) {
        snprintf(typed, sizeof typed, "%s", serial);
    } else if (isatty(STDIN_FILENO)) {
        tell(stderr, "To agree, type the %s of the unit in front of you: ", what);
        if (fgets(typed, sizeof typed, stdin))
            typed[strcspn(typed, "\n")] = '\0';
    } else {
        snprintf(why, sizeof why,
                 "it isn't of this computer, and nobody can be asked here; to agree say --serial and the %s", what);
        return say_error(a->last.path, BIL_E_FOREIGN, why);
    }
    if (strcmp(typed, wanted) != 0) {
        snprintf(why, sizeof why, "it is about the %s %s, not about \"%s\"", what, wanted, typed);
        return say_error(a->last.path, typed[0] ? BIL_E_OTHER_UNIT : BIL_E_DECLINED, why);
    }
    w->foreign_agreed = a->last.intent;
    return -1;
}

static void say_story(const again *a, bool undoes)
{
    const record_story *s = &a->first;
    char age[64];
    age_text(s->when, age, sizeof age);
    say("%sRecord%s   %s\n", bold(), plain(), a->last.path);
    say("         begun %s by %s; %s\n", age, s->who[0] ? s->who : "nobody named",
        !a->last.verdict[0]                     ? "it was broken off"
        : a->last.held                          ? "it ended with the device still held"
        : a->last.on_trial                      ? "its values are on trial"
        : strcmp(a->last.verdict, "incomplete") ? "it came to its end"
                                                : "it ended incomplete");
    say("         %s\n\n", undoes ? "going back to what was there before" : "going on from what is there now");
}

/* What is to be written now: the copy of the first record, or what was there before it. */
static int choose(again *a, write_call *w, bool undoes)
{
    const record_story *first = &a->first;
    bool back = record_again(first, undoes, &w->config);
    if (w->config.restart == BIL_RESTART_IDLE && !w->restart_word)
        w->restart_word = "idle";
    if (a->foreign)
        w->config.despite = undoes ? UINT32_C(1) << BIL_CHECK_RULES : 0;
    w->groups = undoes ? NULL : first->groups;
    w->expected_serial = a->last.serial[0] ? a->last.serial : NULL;
    char why[200];
    address there;
    bool known = address_parse(a->last.address, &there, why, sizeof why) == BIL_OK;
    /* where it was going, where it was, what it had as its number, and where it went at first */
    w->numbers[0] = a->last.unit_after;
    w->numbers[1] = known ? BIL_UNIT(there.unit) : 0;
    w->numbers[2] = a->last.unit_after ? a->last.unit_before : 0;
    w->numbers[3] = first->unit_after;
    w->recorded_address = a->last.address;
    w->undoes = undoes;
    /* beside what is to be written now, the other of the two: what the story found, or what it wanted */
    bool paged = !a->foreign && ledger_page(first->intent, undoes ? LEDGER_WANTED : LEDGER_BEFORE, w->before_path) &&
                 storage_is_there(w->before_path);
    if (!paged)
        snprintf(w->before_path, sizeof w->before_path, "%s", undoes ? first->copy : first->safety);
    if (!storage_is_there(w->before_path)) /* it was moved, or none was taken: then nothing can be told of that */
        w->before_path[0] = '\0';
    w->without_before = undoes ? NULL : a->last.without;
    w->copy = a->copy;
    if (w->config.kind == BIL_JOB_RESET)
        return -1;
    return back ? find_set(a, w, LEDGER_BEFORE, first->safety, first->safety_digest)
                : find_set(a, w, LEDGER_WANTED, first->copy, first->copy_digest);
}

/* Goes on with the record found. The exit code. */
static int go_on(again *a, write_call *w, const command *self, call *c, const char *description, const char *serial,
                 const char *given, int fd)
{
    bool undoes = self == &command_undo, keeps = self == &command_keep;
    models m;
    int code = -1;
    if (keeps && !a->last.on_trial)
        code = say_error(c->arguments[0], BIL_E_NO_RECORD, "nothing is on trial there");
    if (code < 0 && !undoes && a->last.finished) {
        say("Nothing is left to finish: the last write ended \"%s\".\n", a->last.verdict);
        code = EXIT_DONE;
    }
    if (code < 0 && a->foreign)
        code = agree_to_foreign(a, w, self->name, undoes, serial);
    if (code < 0)
        code = choose(a, w, undoes);
    if (code < 0 && models_at_hand(&m, description, given) != BIL_OK)
        code = EXIT_FILE;
    if (code < 0 && !a->foreign && a->first.description[0])
        models_choose(&m, a->first.description); /* the one that it was begun with */
    const bil_description *same = NULL;
    if (code < 0 && a->first.layout[0] && !models_find(&m, a->first.model, a->first.layout, &same))
        code = say_error(a->last.path, same ? BIL_E_OTHER_LAYOUT : BIL_E_UNKNOWN_MODEL,
                         "the write was begun with another description than those at hand: give it with --description");
    if (code < 0) {
        if (!w->json)
            say_story(a, undoes);
        code = writing_run(w, &m, fd);
    }
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    bool undoes = self == &command_undo;
    char *restart = NULL, *serial = NULL, **despite = NULL;
    char *folder = NULL, *who = NULL, *why = NULL, *description = NULL, *given = NULL;
    int yes = 0, json = 0, fd = -1;
    write_call *w = need(1, sizeof *w);
    struct poptOption options[] = {
        CALL_OPTIONS(w),
        RESTART_OPTION(restart),
        {"serial", 0, POPT_ARG_STRING, &serial, 0,
         "the serial number of the unit: to agree to a record of another computer", "NUMBER"},
        DESPITE_OPTION(despite),
        WRITING_OPTIONS(yes, json, fd, folder, who, why),
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 1);
    if (code >= 0) {
        writing_end(w);
        return code;
    }
    again *a = need(1, sizeof *a);
    w->who = who;
    w->why = why;
    w->yes = yes;
    w->json = json;
    w->restart_word = restart;
    w->despite_words = despite;
    ledger_open(&a->known); /* without it the records alone tell their order */
    code = find_record(a, w, c.arguments[0], given, undoes);
    if (code < 0 && folder)
        w->folder = w->safety_folder = folder;
    if (code < 0)
        code = go_on(a, w, self, &c, description, serial, given, fd);
    code = call_end(&c, code); /* the options point into the call */
    writing_end(w);
    ledger_close(&a->known);
    free(a);
    return code;
}

const command command_resume = {
    "resume",
    "[options] DEVICE|RECORD.brec",
    "finishes a write that was broken off",
    "  bilancia resume crusher                     as a site names it\n"
    "  bilancia resume crusher_ED30-0417_20261123-071500.brec\n"
    "What is already right isn't written again; the device is let go to what it did at first.\n",
    run,
    100};
const command command_keep = {"keep",
                              "[options] DEVICE|RECORD.brec",
                              "makes values last that are on trial",
                              "  bilancia set crusher limit.torque=120 --trial\n"
                              "  bilancia keep crusher                       or: bilancia undo crusher\n"
                              "They are written again where a restart took them away, stored, and proved.\n",
                              run,
                              110};
const command command_undo = {
    "undo",
    "[options] DEVICE|RECORD.brec",
    "goes back to the values before the last write",
    "  bilancia undo crusher\n"
    "After a write that broke off: to the values before it began, however often it was resumed.\n",
    run,
    120};
