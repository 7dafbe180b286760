/* What a write is about to do, for the person who decides. */
#include <jansson.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "bilancia/words.h"
#include "host/library/seen.h"
#include "show/age.h"
#include "show/next.h"
#include "show/screen.h"
#include "show/unit_text.h"
#include "show/values.h"
#include "show/writing.h"

/* ---- before ---- */

/* What the device is doing, and that it has to stop for the write. */
bool state_text(const bil_description *d, uint32_t state, char text[BIL_VALUE_TEXT])
{
    if (d->state == BIL_NONE)
        return false;
    const bil_param *param = &d->params[d->state];
    uint8_t raw[BIL_TEXT_MAX] = {0};
    for (size_t i = param->format->size; i-- > 0; state >>= 8)
        raw[i] = (uint8_t)state;
    return bil_value_text(param->format, raw, NULL, text, BIL_VALUE_TEXT) == BIL_OK;
}

/* The longest that what comes may take, in seconds: what the description gives its procedures. */
static unsigned longest(const write_call *w)
{
    static const bil_proc_kind kinds[] = {BIL_PROC_HOLD, BIL_PROC_STORE, BIL_PROC_RESTART, BIL_PROC_RELEASE};
    const bil_description *d = w->want.description;
    char hardware[BIL_VALUE_TEXT];
    uint64_t ms = 0;
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    for (size_t k = 0; k < sizeof kinds / sizeof kinds[0]; k++) {
        const bil_procedure *how = bil_description_procedure(d, kinds[k], hardware, w->found);
        bool restarts = kinds[k] == BIL_PROC_RESTART;
        for (uint16_t i = 0; how && i < how->step_count && !(restarts && bil_job_goes_on(w->job)); i++)
            ms += how->steps[i].within_ms;
    }
    return (unsigned)((ms + 999) / 1000);
}

/* Is a restart wanted of it that its description has no procedure for? */
static bool cant_restart(const write_call *w)
{
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    return w->config.restart != BIL_RESTART_NEVER && w->config.restart != BIL_RESTART_BY_HAND &&
           !bil_description_procedure(w->want.description, BIL_PROC_RESTART, hardware, 0);
}

static void put_state(const write_call *w)
{
    char text[BIL_VALUE_TEXT], hardware[BIL_VALUE_TEXT];
    static const char *const restarts[] = {"", ", restarts", ", and again for a restart when it stands",
                                           ", and again for a restart at the time given",
                                           ", is switched off and on by hand"};
    const bil_description *d = w->want.description;
    uint32_t found = w->found;
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    if (!state_text(d, found, text))
        return;
    say("%sState%s    %s", bold(), plain(), text);
    bool holds = bil_description_procedure(d, BIL_PROC_HOLD, hardware, 0) && !bil_job_leaves_working(w->job);
    bool restarts_too = !w->config.trial && !bil_job_goes_on(w->job) && !cant_restart(w);
    if (w->already) {
        say("; it is left alone\n");
        return;
    }
    bool works = d->works_when_on && (restarts_too || w->config.kind == BIL_JOB_RESET);
    if (w->config.kind == BIL_JOB_RESET)
        say(works ? "; it is at work after the reset\n" : "; it stands after the reset\n");
    else if (bil_job_leaves_working(w->job))
        say(write_is_at_work(w) ? "; %sit goes on working%s\n" : "; it isn't held for this\n", good(), plain());
    else if (!holds || found == d->state_held)
        say("\n");
    else
        say("; it is held for the write%s, and %s afterwards\n", restarts_too ? restarts[w->config.restart] : "",
            works ? "is at work" : "stands");
    if (works)
        say("%s!%s        once it was switched off and on it %sis at work by itself%s: see that nobody is in its way\n",
            bad(), plain(), bold(), plain());
    else if (holds && write_is_at_work(w))
        say("%s!%s        it is at work: %sit stops for this%s, up to %u s, and is set to work again only when you say "
            "so\n",
            bad(), plain(), bold(), plain(), longest(w));
}

/* Is it the copy that one would expect, and is any check set aside? */
static void put_warnings(const write_call *w)
{
    char digest[2 * BIL_SHA256 + 1];
    const char *check;
    json_t *why;
    set_digest_hex(w->want.totals.digest, digest);
    const keep *k = &w->keep;
    if (!w->undoes && !w->sets && !w->goes_on && w->config.kind != BIL_JOB_RESET) {
        bool is_baseline = strcmp(digest, k->baseline) == 0, is_last = strcmp(digest, k->last) == 0;
        if (k->baseline[0] && !is_baseline)
            say("%s!%s        this copy isn't the baseline of %s\n", warn(), plain(), k->name);
        if (k->last[0] && !is_last && !is_baseline)
            say("%s!%s        nor is it the newest copy: that was read %s\n", warn(), plain(), k->last_when);
    }
    for (uint16_t i = 0; i < w->want.description->count; i++)
        if (w->want.description->params[i].flags & BIL_ACCESS && write_need(w, i) == BIL_NEED_WRITE)
            say("%s!%s        this changes who may do what on the device: %s (%s)\n", bad(), plain(),
                w->want.description->params[i].name, w->want.description->params[i].id);
    for (uint16_t i = 0; i < w->want.description->count && w->config.kind == BIL_JOB_RESET; i++)
        if (w->want.description->params[i].cls == BIL_CLASS_SECRET)
            say("%s!%s        this changes who may do what on the device: %s becomes the one from the manual\n", bad(),
                plain(), w->want.description->params[i].name);
    if (bil_job_unit_after(w->job) && bil_job_unit_after(w->job) != w->config.unit)
        say("%s!%s        its unit number on the line changes: afterwards it answers at %u; nobody else does yet\n",
            warn(), plain(), BIL_UNIT_NUMBER(bil_job_unit_after(w->job)));
    json_object_foreach(w->config.kind == BIL_JOB_RESET ? NULL : w->despite, check, why)
        say("%s!%s        the check of the %s is set aside: %s\n", bad(), plain(), check, json_string_value(why));
}

static void put_who(const write_call *w)
{
    char age[64], id[BIL_ID_COUNT][BIL_VALUE_TEXT];
    for (int i = 0; i < BIL_ID_COUNT; i++)
        bil_image_identity(&w->dev.image, (bil_identity)i, id[i], sizeof id[i]);
    const set_origin *o = &w->want.origin;
    char unit[UNIT_TEXT];
    age_text(o->when, age, sizeof age);
    if (w->config.kind == BIL_JOB_RESET)
        say("%sReset%s    to the values as delivered\n", bold(), plain());
    else
        say("%sCopy%s     %s\n", bold(), plain(), w->called ? w->called : w->copy);
    if (w->config.kind != BIL_JOB_RESET)
        say("         of %s, %s; read %s%s%s\n", o->device[0] ? o->device : "a device without a name",
            unit_text(&(unit_says){o->vendor, o->model, NULL, o->firmware, o->serial, NULL}, unit), age,
            o->why[0] ? ": " : "", o->why);
    say("%sDevice%s   %s\n", bold(), plain(), w->keep.address);
    unit_says says = {id[BIL_ID_VENDOR][0] ? id[BIL_ID_VENDOR] : w->want.description->vendor,
                      id[BIL_ID_MODEL],
                      id[BIL_ID_HARDWARE],
                      id[BIL_ID_FIRMWARE],
                      id[BIL_ID_SERIAL],
                      NULL};
    say("         %s, %s\n", id[BIL_ID_NAME][0] ? id[BIL_ID_NAME] : "without a name", unit_text(&says, unit));
    static const char *const meaning[] = {"the same unit", "another unit, in the same place",
                                          "another unit, in another place"};
    put_state(w);
    put_warnings(w);
    bil_purpose purpose = bil_job_purpose(w->job);
    if (w->groups && w->groups[0])
        say("%sOnly%s     %s\n", bold(), plain(), w->groups);
    if (w->config.kind != BIL_JOB_RESET)
        say("%sPurpose%s  %s: %s\n", bold(), plain(), bil_purpose_name(purpose), meaning[purpose]);
    say("\n");
}

/* What is on the device beside what will be; true when all of it was shown. */
static bool put_changes(const write_call *w)
{
    const bil_description *d = w->want.description;
    const char *labels[] = {"device now", w->config.kind == BIL_JOB_RESET ? "as delivered" : "copy"};
    char now[2 * BIL_VALUE_TEXT], then[2 * BIL_VALUE_TEXT];
    value_table t;
    values_begin(&t, the_screen(), 2, labels);
    for (uint16_t i = 0; i < d->count; i++) {
        if (!write_planned(w, i))
            continue;
        param_text(&w->dev.image, i, now, sizeof now);
        param_text(&w->want.image, i, then, sizeof then);
        const char *mark = d->params[i].flags & BIL_SAFETY ? "!" : "→";
        values_row(
            &t, &(value_row){mark, d->params[i].id, d->params[i].name, 2, labels, (const char *const[]){now, then}, 0});
    }
    return values_end(&t);
}

/* What the description says the device loses by this write, and what of that is saved before. */
static unsigned put_losses(const write_call *w)
{
    const bil_description *d = w->want.description;
    unsigned lost = 0;
    for (uint8_t i = 0; i < d->loses_count; i++) {
        const bil_reminder *r = &d->loses[i];
        int32_t file = r->file ? bil_description_find(d, r->file, strlen(r->file)) : -1;
        if (!write_concerns(w, r))
            continue;
        bool collected = file >= 0 && write_collects(w, (uint16_t)file);
        if (collected)
            say("  %s·%s collected first, then lost: %s (%s)\n", bold(), plain(), r->text, r->file);
        else
            say("  %s!%s would be lost, and is in no copy: %s%s%s%s\n", bad(), plain(), r->text, r->file ? " (" : "",
                r->file ? r->file : "", r->file ? "; --collect saves it first)" : "");
        lost++;
    }
    return lost;
}

void put_collected(const char *id, const char *path, int width)
{
    if (path[0])
        say("%-*s  %s\n", width, "Collected", path);
    else
        say("%-*s  nothing: the device has none of %s\n", width, "Collected", id);
}

/* What a written parameter resets on the device and the copy doesn't bring back. */
static unsigned put_lost(const write_call *w)
{
    const bil_description *d = w->want.description;
    unsigned lost = 0;
    for (uint16_t i = 0; i < d->count; i++) {
        char now[2 * BIL_VALUE_TEXT];
        if (!write_would_lose(w, i))
            continue;
        param_text(&w->dev.image, i, now, sizeof now);
        say("  %s!%s %s = %s would be lost: another value resets it, and it isn't among those written\n", bad(),
            plain(), d->params[i].id, now);
        lost++;
    }
    return lost;
}

/* What will not be as the copy has it, value by value, and what there would be no way back from. */
static void put_not_as_wanted(const write_call *w)
{
    const struct {
        bil_error cause;
        const char *title;
    } lists[] = {{BIL_E_FIXED, "Differs, and the device takes no value for it"},
                 {BIL_E_LACKS, "Isn't written, since the copy has no value for it"},
                 {BIL_E_UNREADABLE,
                  w->config.kind == BIL_JOB_RESET
                      ? "Can't be read now, so that there is no way back from a reset"
                      : "Can't be read now, so that there is no way back from a write (--unseen ID writes it)"}};
    const bil_description *d = w->want.description;
    for (size_t k = 0; k < sizeof lists / sizeof lists[0]; k++) {
        bool first = true;
        for (uint16_t i = 0; i < d->count; i++) {
            if (write_exception(w, i) != lists[k].cause)
                continue;
            say("%s%s", first ? lists[k].title : ",", first ? ": " : " ");
            say("%s", d->params[i].id);
            if (lists[k].cause == BIL_E_UNREADABLE && w->by_name && w->by_name[i])
                say(" (written, as you said)");
            first = false;
        }
        if (!first)
            say("\n");
    }
    const char *id;
    json_t *why;
    json_object_foreach(w->without, id, why) say("Left out: %s, since %s\n", id, json_string_value(why));
    if (!bil_job_unit_tells(w->job) && w->config.kind != BIL_JOB_RESET)
        say("%s!%s %s: look at its name plate\n", bad(), plain(), bil_host_error_text(BIL_E_NO_IDENTITY));
}

/* Secrets that come from their seals, or stay in them. */
static void put_sealed(const write_call *w, write_sealed which, const char *title)
{
    const bil_description *d = w->want.description;
    const char *between = title;
    for (uint16_t i = 0; i < d->count; i++)
        if (write_is_sealed(w, i) == which) {
            say("%s%s (%s)", between, d->params[i].name, d->params[i].id);
            between = ", ";
        }
    if (between != title)
        putchar('\n');
}

static void put_changed(const write_call *w)
{
    const bil_description *d = w->want.description;
    const char *between = "Changed since, by another hand or a restart, and neither as it was then nor as wanted: ";
    for (uint16_t i = 0; i < d->count; i++)
        if (write_changed_since(w, i)) {
            say("%s%s", between, d->params[i].id);
            between = ", ";
        }
    if (w->changed)
        putchar('\n');
}

static void put_kept(const write_call *w, const unsigned kept[BIL_CLASS_COUNT], unsigned missing)
{
    const char *between = "Stays as it is on the device: ";
    for (int cls = 0; cls < BIL_CLASS_COUNT; cls++)
        if (kept[cls] && cls != BIL_CLASS_SETUP) {
            say("%s%u %s", between, kept[cls], bil_class_name((bil_class)cls));
            between = ", ";
        }
    if (missing) {
        say("%s%u setup that %s", between, missing,
            w->config.kind == BIL_JOB_RESET ? "isn't known as delivered"
            : w->groups && w->groups[0]     ? "isn't chosen, or not in the copy"
                                            : "the copy doesn't have");
        between = ", ";
    }
    if (between[0] == ',')
        say("\n");
}

static void put_list(const write_call *w, const char *title, const bil_reminder *list, size_t count)
{
    bool first = true;
    for (size_t i = 0; i < count; i++) {
        if (!write_concerns(w, &list[i]))
            continue;
        if (first)
            say("%s:\n", title);
        first = false;
        say("  - %s\n", list[i].text);
    }
}

/* What happens around the values, in its order. */
static bool collects_any(const write_call *w)
{
    bool any = false;
    for (uint16_t i = 0; i < w->want.description->count; i++)
        any = any || write_collects(w, i);
    return any;
}

static void put_then(const write_call *w)
{
    const bil_description *d = w->want.description;
    bool resets = w->config.kind == BIL_JOB_RESET;
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    bool hold = bil_description_procedure(d, BIL_PROC_HOLD, hardware, 0);
    bool hold_now = hold && !bil_job_leaves_working(w->job);
    const char *collect = collects_any(w) ? ", collect" : "";
    put_list(w, "Expect meanwhile", d->expect, d->expect_count);
    put_list(w, "By hand afterwards", d->by_hand, d->by_hand_count);
    put_list(w, "To be tried before the machine goes back to work", d->tests, d->test_count);
    if (w->config.trial) {
        say("Then: safety copy%s%s%s, read back twice%s; a trial: nothing is stored, the next restart or power cut "
            "ends it\n",
            hold_now ? ", hold" : "", collect, w->planned ? ", write" : "", hold_now ? ", release" : "");
        return;
    }
    if (resets) {
        say("Then: safety copy%s%s, factory reset, read back twice, compare; the device %s afterwards\n",
            hold ? ", hold" : "", collect, d->works_when_on ? "is at work" : "stands");
        return;
    }
    const char *store = bil_description_procedure(d, BIL_PROC_STORE, hardware, 0) ? ", store" : "";
    const char *write = w->planned || w->put_count ? ", write" : "";
    if (bil_job_goes_on(w->job)) {
        say("Then: safety copy%s%s%s%s%s, read back twice, compare; not restarted, so not seen to last yet (--prove "
            "has "
            "that now)\n",
            hold_now ? ", hold" : "", collect, write, store, hold_now ? ", release" : "");
        return;
    }
    static const char *const restarts[] = {"", ", restart", ", release, restart when the machine stands",
                                           ", release, restart at the time given",
                                           ", restart by your hand at the supply"};
    bool cant = cant_restart(w);
    say("Then: safety copy%s%s%s%s%s, read back twice, compare%s%s\n", hold ? ", hold" : "", collect, write, store,
        cant ? "" : restarts[w->config.restart], hold ? ", release" : "",
        cant ? "; its description has no procedure for a restart, so that nothing proves that it lasts (--restart "
               "by-hand "
               "does)"
             : "");
}

static void put_plan(const write_call *w)
{
    const bil_description *d = w->want.description;
    unsigned safety = 0, missing = 0, kept[BIL_CLASS_COUNT] = {0};
    bool resets = w->config.kind == BIL_JOB_RESET;
    for (uint16_t i = 0; i < d->count; i++) {
        bil_write_need need = write_need(w, i);
        safety += write_planned(w, i) && d->params[i].flags & BIL_SAFETY;
        if (need == BIL_NEED_OUT && !bil_class_left_out((bil_class)d->params[i].cls)) {
            kept[d->params[i].cls]++;
            missing += d->params[i].cls == BIL_CLASS_SETUP && w->dev.image.state[i] == BIL_PRESENT;
        }
    }
    if (w->planned) {
        say("Will be %s %sdevice%s: %u value%s", resets ? "reset on the" : "written to the", bold(), plain(),
            w->planned, w->planned == 1 ? "" : "s");
        if (safety)
            say(", %u of them safety-relevant (%s!%s)", safety, warn(), plain());
        putchar('\n');
        if (!put_changes(w))
            say("%s!%s they can't be shown here: there is no room for a temporary file\n", bad(), plain());
    } else {
        say(resets         ? "It has its factory values already, as far as they are known.\n"
            : w->put_count ? "Nothing differs that can be seen.\n"
                           : "Nothing differs: no value will be written.\n");
    }
    put_sealed(w, WRITE_PUTS, "Put in from the seals of the copy, and shown by the device to nobody: ");
    put_sealed(w, WRITE_LEAVES_SEALED,
               w->config.trial ? "Sealed in the copy, and no part of a trial: "
                               : "Sealed in the copy, and not opened; to be entered by hand: ");
    put_kept(w, kept, missing);
    put_not_as_wanted(w);
    if (w->already) /* and that is all */
        return;
    unsigned lost = (resets ? 0 : put_lost(w)) + put_losses(w);
    if (!resets && lost == 0)
        say("Would be lost: nothing; the values overwritten are saved first\n");
    put_then(w);
}

void put_preview(const bil_writing *writing)
{
    const write_call *w = lib_writing_call(writing);
    put_who(w);
    put_plan(w);
    char later[KEEP_WHEN], digest[65], word[4 * STORAGE_PATH + 3];
    set_digest_hex(w->want.totals.digest, digest);
    if (w->copy[0] && keep_had_later(&w->keep, digest, later))
        say("%s!%s a copy that was signed after this one was written to this device already, on %s\n", warn(), plain(),
            later);
    if (w->others[0])
        say("%s!%s another computer's record says that this unit wasn't finished, or is held: %s\n"
            "  That doesn't count here; to go on with it instead: bilancia resume %s%s\n",
            warn(), plain(), w->others, pasted(w->others, word, sizeof word), next_job());
    put_changed(w);
}
