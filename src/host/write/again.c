#include "host/write/again.h"

#include <stdlib.h>
#include <string.h>

#include "host/write/inside.h"
#include "port/memory.h"

void again_open(again *a, bool undoes)
{
    memset(a, 0, sizeof *a);
    a->undoes = undoes;
    ledger_open(&a->known); /* without it the records alone tell their order */
}

void again_close(again *a)
{
    ledger_close(&a->known);
}

/* ---- which record ---- */

static int begin(again *a, write_call *w)
{
    story_first(w->keep.records, &a->known, &a->last, &a->first);
    if (mem_is_short()) /* then it isn't known which record is the newest */
        return write_fail(w, a->last.path, BIL_E_MEMORY, NULL);
    /* the folder of the record may be gone, or lead elsewhere by now: then what follows lies beside the ledger */
    if (!a->last.foreign && storage_make_folders(w->keep.records, 0777) != BIL_OK &&
        ledger_make_pages(a->first.intent, a->folder) == BIL_OK)
        w->keep.records = w->keep.copies = w->keep.collected = a->folder;
    a->foreign = a->last.foreign || a->first.foreign;
    w->goes_on = !a->foreign && (a->undoes || !a->last.on_trial); /* making a trial last is a new decision */
    return BIL_OK;
}

int again_of_record(again *a, write_call *w, const char *path)
{
    int error = story_read(path, &a->known, &a->last);
    if (error)
        return write_fail(w, path, error, NULL);
    snprintf(a->where, sizeof a->where, "%s", a->last.address);
    w->keep.address = a->where;
    w->record_folder = w->keep.records;
    /* later ones of the same unit go on with the same story */
    record_story *newest = mem_new(1, sizeof *newest);
    if (newest && story_newest(w->keep.records, &a->known, a->last.model, a->last.serial, a->undoes, newest) &&
        strcmp(newest->chain, a->last.chain) == 0 && (a->last.foreign || !newest->foreign))
        a->last = *newest;
    mem_free(newest);
    return begin(a, w);
}

int again_of_device(again *a, write_call *w)
{
    if (!story_newest(w->keep.records, &a->known, NULL, NULL, a->undoes, &a->last))
        return write_fail(w, w->keep.name, BIL_E_NO_RECORD, "nothing was written to this device yet");
    record_story *ours = mem_new(1, sizeof *ours);
    a->ours_too = ours && a->last.foreign && story_newest_of_ours(w->keep.records, &a->known, a->undoes, ours);
    a->ours_too = a->ours_too && (a->undoes || !ours->settled);
    snprintf(a->ours, sizeof a->ours, "%s", a->ours_too ? ours->path : "");
    mem_free(ours);
    return begin(a, w);
}

/* ---- somebody else's ---- */

const char *again_wanted(const again *a)
{
    return a->first.serial[0] ? a->first.serial : a->first.address;
}

uint32_t again_aside(const again *a)
{
    uint32_t rules = UINT32_C(1) << BIL_CHECK_RULES; /* see record_again */
    return a->undoes ? a->first.despite & ~rules : a->first.despite;
}

int again_agree(again *a, write_call *w, const char *typed)
{
    char why[2 * SET_TEXT + 100];
    const char *what = a->first.serial[0] ? "serial number" : "address";
    if (strcmp(typed, again_wanted(a)) == 0) {
        w->foreign_agreed = a->last.intent;
        return BIL_OK;
    }
    snprintf(why, sizeof why, "it is about the %s %s, not about \"%s\"", what, again_wanted(a), typed);
    return write_fail(w, a->last.path, typed[0] ? BIL_E_OTHER_UNIT : BIL_E_DECLINED, why);
}

/* ---- what is written ---- */

/* The file that a record names: where it says, or, when everything was moved, beside the record or among the copies of
 * the site; and still the same. */
static int find_set(again *a, write_call *w, ledger_part part, const char *said, const char *digest)
{
    const char *slash = strrchr(said, '/'), *name = slash ? slash + 1 : said;
    const char *folders[] = {NULL, w->keep.copies, w->keep.records};
    char page[STORAGE_PATH], why[500];
    set_origin *o = mem_new(1, sizeof *o);
    if (!o)
        return write_fail(w, said, BIL_E_MEMORY, NULL);
    bil_set_totals totals;
    char hex[2 * BIL_SHA256 + 1] = "";
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
    mem_free(o);
    if (!found)
        return write_fail(w, said, there ? BIL_E_SET_ALTERED : BIL_E_FILE_OPEN,
                          there ? "this isn't the copy any more that the record names"
                                : "the copy that the record names is gone");
    snprintf(w->expected_digest, sizeof w->expected_digest, "%s", digest);
    return BIL_OK;
}

static void where_it_may_be(const again *a, write_call *w)
{
    char why[200];
    address there;
    bool known = address_parse(a->last.address, &there, why, sizeof why) == BIL_OK;
    /* where it was going, where it was, what it had as its number, and where it went at first */
    w->numbers[0] = a->last.unit_after;
    w->numbers[1] = known ? BIL_UNIT(there.unit) : 0;
    w->numbers[2] = a->last.unit_after ? a->last.unit_before : 0;
    w->numbers[3] = a->first.unit_after;
    w->recorded_address = a->last.address;
}

int again_choose(again *a, write_call *w)
{
    const record_story *first = &a->first;
    bool undoes = a->undoes, back = record_again(first, undoes, &w->config);
    if (a->foreign)
        w->config.despite = undoes ? UINT32_C(1) << BIL_CHECK_RULES : 0;
    w->groups = undoes ? NULL : first->groups;
    w->expected_serial = a->last.serial[0] ? a->last.serial : NULL;
    where_it_may_be(a, w);
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
        return BIL_OK;
    return back ? find_set(a, w, LEDGER_BEFORE, first->safety, first->safety_digest)
                : find_set(a, w, LEDGER_WANTED, first->copy, first->copy_digest);
}

int again_take_description(const again *a, write_call *w, catalogue *m)
{
    const bil_description *same = NULL;
    if (!a->foreign && a->first.description[0])
        catalogue_choose(m, a->first.description);
    if (!a->first.layout[0] || catalogue_find(m, a->first.model, a->first.layout, &same))
        return BIL_OK;
    return write_fail(w, a->last.path, same ? BIL_E_OTHER_LAYOUT : BIL_E_UNKNOWN_MODEL,
                      "the write was begun with another description than those at hand: give it with --description");
}
