/* bilancia settle: decides what counts where a saved copy and a device differ. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/new_copy.h"
#include "host/base/float_text.h"
#include "host/copy/csv.h"
#include "host/look/decisions.h"
#include "show/need.h"

typedef struct settle_call {
    char *decisions, *record, *list, *folder, *why, *who, *given;
    char **decide;
    int device_wins, saved_wins;
    filter_words words;
} settle_call;

typedef struct settling {
    new_copy copy;
    side *sides;   /* the saved copy, the device */
    json_t *asked; /* decisions given beforehand */
    json_t *taken; /* decisions taken, one for each parameter */
    winner rest;   /* of what isn't decided otherwise */
    unsigned count[4];
} settling;

/* ---- one at a time, at the terminal ---- */

static bool line_from(char *out, size_t size)
{
    if (!fgets(out, (int)size, stdin))
        return false;
    out[strcspn(out, "\n")] = '\0';
    return true;
}

static void put_choice(const findings *f, const finding *one)
{
    char saved[2 * BIL_VALUE_TEXT] = "—", now[2 * BIL_VALUE_TEXT] = "—", name[512];
    if (one->items[0])
        item_text(one->items[0], f->sides[0].description, saved, sizeof saved);
    if (one->items[1])
        item_text(one->items[1], f->sides[1].description, now, sizeof now);
    bil_str_plain(one->item->name, name, sizeof name);
    say("\n%s%s%s %s%s%s  %s\n    saved   %s\n    device  %s\n", warn(), one->weight & BIL_SAFETY ? "!" : "≠", plain(),
        bold(), one->id, plain(), name, saved, now);
}

/* Asks until the answer makes sense. WINS_OPEN: the person stops. */
static decision ask_person(settling *s, const findings *f, const finding *one, char *value, size_t size)
{
    char answer[2 * BIL_VALUE_TEXT];
    put_choice(f, one);
    for (;;) {
        say("  d device wins · s saved wins · v VALUE a new value · D S the same for all that follow · q stop: ");
        fflush(stdout);
        if (!line_from(answer, sizeof answer) || strcmp(answer, "q") == 0)
            return (decision){WINS_OPEN, NULL};
        bool all = strcmp(answer, "D") == 0 || strcmp(answer, "S") == 0;
        if (all || strcmp(answer, "d") == 0 || strcmp(answer, "s") == 0) {
            winner wins = tolower((unsigned char)answer[0]) == 'd' ? WINS_DEVICE : WINS_SAVED;
            s->rest = all ? wins : s->rest;
            return (decision){wins, NULL};
        }
        if (answer[0] != 'v' || answer[1] != ' ')
            continue;
        snprintf(value, size, "%s", answer + 2);
        if (edit_check(&s->copy.work, one->id, value) == BIL_OK)
            return (decision){WINS_VALUE, value};
        say("  %s✗%s %s\n", bad(), plain(), s->copy.work.why);
    }
}

/* ---- deciding ---- */

static int take(settling *s, const finding *one, decision d)
{
    int error = BIL_OK;
    if (d.wins == WINS_VALUE)
        error = edit_set(&s->copy.work, one->id, d.value);
    else if (d.wins == WINS_DEVICE && one->items[1])
        error = edit_take(&s->copy.work, one->items[1]);
    if (error == BIL_E_UNREADABLE)
        return say_error(one->id, error, "the device didn't give this value, so it can't win");
    if (error)
        return say_error("", error, s->copy.work.why);
    s->count[d.wins]++;
    decisions_add(s->taken, one->id, d.wins, d.value);
    return -1;
}

static int decide(settling *s, const findings *f, const finding *one)
{
    char value[2 * BIL_VALUE_TEXT];
    decision d = decisions_find(s->asked, one->id);
    if (d.wins == WINS_OPEN)
        d.wins = s->rest;
    if (d.wins == WINS_OPEN && isatty(STDIN_FILENO)) {
        d = ask_person(s, f, one, value, sizeof value);
        if (d.wins == WINS_OPEN)
            return say_error(one->id, BIL_E_DECLINED, "stopped before everything was decided; no new copy was made");
    }
    if (d.wins == WINS_OPEN)
        return say_error(one->id, BIL_E_PERSON,
                         "nobody can be asked which counts: say --device-wins, --saved-wins, --decide or --decisions");
    return take(s, one, d);
}

static int decide_all(settling *s, const finding_filter *filter)
{
    findings *f = calloc(1, sizeof *f);
    finding one;
    int code = -1;
    if (!f)
        no_memory();
    findings_begin(f, s->sides, 2, filter, true);
    while (code < 0 && findings_next(f, &one) == 1)
        if (one.differs && one.item->cls != BIL_CLASS_UNIT)
            code = decide(s, f, &one);
    for (int i = 0; i < 2 && code < 0 && f->damaged == i; i++)
        code = say_error("", f->error, side_why(&s->sides[i]));
    free(f);
    return code;
}

/* ---- what comes of it ---- */

static bool is_settable(const bil_param *p)
{
    return p->flags & BIL_WRITABLE && p->cls != BIL_CLASS_UNIT && !bil_class_left_out((bil_class)p->cls);
}

/* The values that the device has in another way than they were settled: as a table, for `edit --values` and people. */
static int put_list(const settling *s, const char *path)
{
    const edited *o = &s->copy.work;
    const bil_image *now = &s->sides[1].image;
    storage_file storage;
    char folder[STORAGE_PATH], whole[STORAGE_PATH], text[BIL_TOKEN];
    unsigned rows = 0;
    int error = storage_begin(&storage, folder, folder_of(path, folder));
    if (error)
        return say_error(path, error, NULL);
    csv_put(storage.file, "id", false);
    csv_put(storage.file, "value", true);
    csv_put(storage.file, "unit", true);
    csv_end(storage.file);
    for (uint16_t i = 0; i < o->description->count; i++) {
        bil_item item;
        char token[BIL_TOKEN];
        if (!is_settable(&o->description->params[i]) || o->from.image.state[i] != BIL_PRESENT ||
            bil_image_same(&o->from.image, now, i))
            continue;
        bil_image_item_told(&o->from.image, i, &host_floats, token, &item);
        item_bare_text(&item, o->description, text, sizeof text);
        csv_put(storage.file, o->description->params[i].id, false);
        if (item.type == BIL_TEXT)
            csv_put_text(storage.file, text, true);
        else
            csv_put(storage.file, text, true);
        csv_put(storage.file, o->description->params[i].unit, true);
        csv_end(storage.file);
        rows++;
    }
    error = ferror(storage.file) ? storage_error() : storage_commit(&storage, folder, whole);
    if (error)
        return say_error(path, error, NULL);
    say("%s✓ list%s  %s: %u value%s to write to the device\n", good(), plain(), whole, rows, rows == 1 ? "" : "s");
    return -1;
}

static int put_record(const settling *s, const char *path, const char *who)
{
    char folder[STORAGE_PATH], whole[STORAGE_PATH];
    const char *name = folder_of(path, folder);
    int error = decisions_save(s->taken, who, s->copy.source, s->sides[1].text, folder, name, whole);
    if (error)
        return say_error(path, error, NULL);
    say("%s✓ decisions%s  %s\n", good(), plain(), whole);
    return -1;
}

/* In a site the decisions are kept with the device. */
static void put_note(const settling *s, const char *who)
{
    char digest[2 * BIL_SHA256 + 1];
    set_origin origin;
    bil_set_totals totals;
    const new_copy *n = &s->copy;
    if (!n->h)
        return;
    set_digest_hex(n->work.from.totals.digest, digest);
    if (n->path[0] && set_file_glance(n->path, &origin, &totals) == BIL_OK)
        set_digest_hex(totals.digest, digest);
    json_t *body = json_pack("{s:s,s:s,s:s,s:i,s:i,s:i}", "about", digest, "saved", n->source, "device",
                             s->sides[1].text, "device_wins", (int)s->count[WINS_DEVICE], "saved_wins",
                             (int)s->count[WINS_SAVED], "new_values", (int)s->count[WINS_VALUE]);
    if (json_array_size(s->taken) <= 400) /* a note is small; --record keeps any number */
        json_object_set(body, "decisions", s->taken);
    int error = note_add(&n->h->place, n->owner.folder, "settled", who, body, NULL);
    if (error)
        say_error(n->h->place.path, error, NULL);
}

static int finish(settling *s, const settle_call *wish)
{
    const char *who = person(wish->who);
    say("\nSettled: device wins %u, saved wins %u, new value %u\n", s->count[WINS_DEVICE], s->count[WINS_SAVED],
        s->count[WINS_VALUE]);
    int code = new_copy_save(&s->copy, who, wish->why ? wish->why : "settled");
    if (code < 0 && wish->list)
        code = put_list(s, wish->list);
    if (code < 0 && wish->record)
        code = put_record(s, wish->record, who);
    if (code < 0)
        put_note(s, who);
    return code < 0 ? EXIT_DONE : code;
}

/* ---- the call ---- */

static int gather(settling *s, const settle_call *wish)
{
    char why[600];
    for (char **words = wish->decide; words && *words; words++)
        if (decisions_add_words(s->asked, *words) != BIL_OK)
            return say_error(*words, BIL_E_CALL, "PATTERN=device, PATTERN=saved or PATTERN=VALUE is wanted");
    int error = wish->decisions ? decisions_add_file(s->asked, wish->decisions, why, sizeof why) : BIL_OK;
    if (error)
        return say_error("", error, why);
    s->rest = wish->device_wins ? WINS_DEVICE : wish->saved_wins ? WINS_SAVED : WINS_OPEN;
    return -1;
}

/* Another copy may stand for the device: then it is loaded, so that values can be listed against it. */
static int load_device(settling *s, const catalogue *m)
{
    side *second = &s->sides[1];
    edited other;
    if (second->kind != SIDE_COPY)
        return -1;
    int error = edit_open(&other, second->place, m);
    if (error)
        return say_error("", error, other.why);
    second->image = other.from.image;
    second->memory = other.from.memory;
    return -1;
}

static int settle(settling *s, const settle_call *wish, const char *const *texts, const catalogue *m)
{
    finding_filter filter;
    int error = filter_of(&wish->words, &filter);
    if (error)
        return exit_code_of(error);
    int code = gather(s, wish);
    if (code < 0)
        code = new_copy_open(&s->copy, texts[0], m, wish->given, wish->folder);
    if (code >= 0)
        return code;
    code = sides_open(s->sides, texts, 2, m, wish->given);
    if (code < 0) {
        code = sides_fit(s->sides, 2);
        if (code < 0)
            code = load_device(s, m);
        if (code < 0)
            code = decide_all(s, &filter);
        if (code < 0)
            code = finish(s, wish);
        sides_close(s->sides, 2);
    }
    new_copy_close(&s->copy);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    settle_call wish = {0};
    char *description = NULL;
    struct poptOption options[] = {
        {"device-wins", 0, POPT_ARG_NONE, &wish.device_wins, 0, "what isn't decided otherwise: as on the device", NULL},
        {"saved-wins", 0, POPT_ARG_NONE, &wish.saved_wins, 0, "what isn't decided otherwise: as in the copy", NULL},
        {"decide", 0, POPT_ARG_ARGV, &wish.decide, 0, "decides what fits a pattern; may be given often",
         "PATTERN=device|saved|VALUE"},
        {"decisions", 0, POPT_ARG_STRING, &wish.decisions, 0, "decides as a file says", "FILE.json"},
        FILTER_OPTIONS(wish.words),
        {"record", 0, POPT_ARG_STRING, &wish.record, 0, "write the decisions to a file, to take them again",
         "FILE.json"},
        {"list", 0, POPT_ARG_STRING, &wish.list, 0, "write a table of the values to write to the device", "FILE.csv"},
        NEW_COPY_OPTIONS(wish.folder, wish.why, wish.who),
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(wish.given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 2, 2);
    if (code >= 0)
        return code;
    catalogue m;
    if (wish.device_wins && wish.saved_wins)
        return call_end(&c, say_error("--device-wins, --saved-wins", BIL_E_CALL, "one of them, not both"));
    if (!note_is_good(wish.who) || !note_is_good(wish.why))
        return call_end(&c, say_error("--why, --who", BIL_E_CALL, NOTE_WANTED));
    int error = catalogue_at_hand(&m, description, wish.given);
    if (error)
        return call_end(&c, exit_code_of(error));
    settling *s = calloc(1, sizeof *s);
    side *sides = calloc(2, sizeof *sides);
    if (!s || !sides)
        no_memory();
    s->sides = sides;
    s->asked = json_array();
    s->taken = json_array();
    code = settle(s, &wish, c.arguments, &m);
    json_decref(s->asked);
    json_decref(s->taken);
    free(sides);
    free(s);
    return call_end(&c, code);
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
