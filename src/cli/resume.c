/* bilancia resume, keep, undo: after a write that broke off, or to go back to what was before it. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "../host/arena.h"
#include "writing.h"

typedef struct again {
    record_story last, first; /* the newest record, and the one with which its story began */
    ledger known;
    char copy[STORAGE_PATH], where[STORAGE_PATH], folder[STORAGE_PATH];
} again;

/* The file that a record names: where it says, or, when everything was moved, beside the record or among the copies of
 * the site; and still the same. -1, or the exit code. */
static int find_set(again *a, const write_call *w, const char *said, const char *digest)
{
    const char *slash = strrchr(said, '/'), *name = slash ? slash + 1 : said;
    const char *folders[] = {NULL, w->safety_folder, w->folder};
    set_origin *o = need(1, sizeof *o);
    bil_set_totals totals;
    char hex[2 * BIL_SHA256 + 1] = "";
    int code = -1;
    bool found = false;
    for (size_t i = 0; i < 3 && !found; i++) {
        snprintf(a->copy, sizeof a->copy, "%.2000s%s%.2000s", i ? folders[i] : "", i ? "/" : "", i ? name : said);
        found = access(a->copy, R_OK) == 0;
    }
    if (!found)
        code = say_error(said, BIL_E_FILE_OPEN, "the copy that the record names is gone");
    else if (set_file_glance(a->copy, o, &totals) == BIL_OK)
        set_digest_hex(totals.digest, hex);
    if (found && digest[0] && strcmp(hex, digest) != 0)
        code = say_error(a->copy, BIL_E_SET_ALTERED, "this isn't the copy any more that the record names");
    free(o);
    return code;
}

/* The record that is meant: a file, or the newest of a device of the site. */
static int find_record(again *a, write_call *w, const char *which, const char *site_given, bool that_wrote)
{
    int error = BIL_OK;
    bool found;
    if (storage_ends_with(which, ".brec")) {
        error = record_read(which, &a->last);
        found = error == BIL_OK;
        folder_of(which, a->folder);
        w->folder = w->safety_folder = a->folder;
        if (found) /* an address, or the same device of the site */
            snprintf(a->where, sizeof a->where, "%s", a->last.address);
        w->address = a->where;
        /* later ones of the same unit go on with the same story */
        record_story *newest = need(1, sizeof *newest);
        if (found && story_newest(a->folder, &a->known, a->last.model, a->last.serial, that_wrote, newest) &&
            strcmp(newest->chain, a->last.chain) == 0)
            a->last = *newest;
        free(newest);
    } else {
        int code = writing_find(w, which, site_given);
        if (code >= 0)
            return code;
        if (!w->h)
            return say_error(which, BIL_E_NO_RECORD, NULL);
        found = story_newest(w->folder, &a->known, NULL, NULL, that_wrote, &a->last);
    }
    if (!found)
        return say_error(which, error ? error : BIL_E_NO_RECORD,
                         error ? NULL : "nothing was written to this device yet");
    story_first(w->folder, &a->known, &a->last, &a->first);
    return -1;
}

static void say_story(const again *a, bool undoes)
{
    const record_story *s = &a->first;
    char age[64];
    age_text(s->when, age, sizeof age);
    printf("%sRecord%s   %s\n", bold(), plain(), a->last.path);
    printf("         begun %s by %s; %s\n", age, s->who[0] ? s->who : "nobody named",
           !a->last.verdict[0]                     ? "it was broken off"
           : a->last.held                          ? "it ended with the device still held"
           : a->last.on_trial                      ? "its values are on trial"
           : strcmp(a->last.verdict, "incomplete") ? "it came to its end"
                                                   : "it ended incomplete");
    printf("         %s\n\n", undoes ? "going back to what was there before" : "going on from what is there now");
}

/* What is to be written now: the copy of the first record, or what was there before it. */
static int choose(again *a, write_call *w, bool undoes)
{
    const record_story *first = &a->first;
    bool back = record_again(first, undoes, &w->config);
    if (w->config.restart == BIL_RESTART_IDLE && !w->restart_word)
        w->restart_word = "idle";
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
    w->undoes = undoes;
    /* beside what is to be written now, the other of the two: what the story found, or what it wanted */
    snprintf(w->before_path, sizeof w->before_path, "%s", undoes ? first->copy : first->safety);
    if (access(w->before_path, R_OK) != 0) /* it was moved, or none was taken: then nothing can be told of that */
        w->before_path[0] = '\0';
    w->without_before = undoes ? NULL : a->last.without;
    w->copy = a->copy;
    if (w->config.kind == BIL_JOB_RESET)
        return -1;
    return back ? find_set(a, w, first->safety, first->safety_digest) : find_set(a, w, first->copy, first->copy_digest);
}

static int run(const command *self, int argc, const char **argv)
{
    bool undoes = self == &command_undo, keeps = self == &command_keep;
    char *restart = NULL, **despite = NULL;
    char *folder = NULL, *who = NULL, *why = NULL, *description = NULL, *given = NULL;
    int yes = 0, json = 0, fd = -1;
    write_call *w = need(1, sizeof *w);
    struct poptOption options[] = {
        CALL_OPTIONS(w),
        RESTART_OPTION(restart),
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
    models m;
    if (code < 0 && keeps && !a->last.on_trial)
        code = say_error(c.arguments[0], BIL_E_NO_RECORD, "nothing is on trial there");
    if (code < 0 && !undoes && a->last.finished) {
        printf("Nothing is left to finish: the last write ended \"%s\".\n", a->last.verdict);
        code = EXIT_DONE;
    }
    if (code < 0)
        code = choose(a, w, undoes);
    if (code < 0 && models_at_hand(&m, description, given) != BIL_OK)
        code = EXIT_FILE;
    const bil_description *same = NULL;
    if (code < 0 && a->first.layout[0] && !models_find(&m, a->first.model, a->first.layout, &same))
        code = say_error(a->last.path, same ? BIL_E_OTHER_LAYOUT : BIL_E_UNKNOWN_MODEL,
                         "the write was begun with another description than those at hand: give it with --description");
    if (code < 0) {
        if (!json)
            say_story(a, undoes);
        code = writing_run(w, &m, fd);
    }
    code = call_end(&c, code); /* the options point into the call */
    writing_end(w);
    ledger_close(&a->known);
    free(a);
    return code;
}

const command command_resume = {
    "resume", "[options] DEVICE|RECORD.brec", "finishes a write that was broken off",
    "  bilancia resume crusher                     as a site names it\n"
    "  bilancia resume crusher_ED30-0417_20261123-071500.brec\n"
    "What is already right isn't written again; the device is let go to what it did at first.\n",
    run};
const command command_keep = {"keep", "[options] DEVICE|RECORD.brec", "makes values last that are on trial",
                              "  bilancia set crusher limit.torque=120 --trial\n"
                              "  bilancia keep crusher                       or: bilancia undo crusher\n"
                              "They are written again where a restart took them away, stored, and proved.\n",
                              run};
const command command_undo = {
    "undo", "[options] DEVICE|RECORD.brec", "goes back to the values before the last write",
    "  bilancia undo crusher\n"
    "After a write that broke off: to the values before it began, however often it was resumed.\n",
    run};
