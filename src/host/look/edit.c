#include "host/look/edit.h"

#include <stdlib.h>
#include <string.h>

#include "host/base/float_text.h"
#include "host/base/time.h"
#include "host/copy/csv.h"
#include "host/describe/rule_text.h"
#include "host/run/secret.h"
#include "port/memory.h"

int edit_open(edited *o, const char *path, const catalogue *m)
{
    memset(o, 0, sizeof *o);
    int error = copy_load(&o->from, path, m, false);
    o->description = o->from.description;
    if (error) {
        snprintf(o->why, sizeof o->why, "%s", o->from.why);
        edit_close(o);
    }
    return error;
}

void edit_close(edited *o)
{
    copy_unload(&o->from);
    secret_wipe(&o->key, sizeof o->key);
}

int edit_find(edited *o, const char *id, uint16_t *index)
{
    const bil_description *d = o->description;
    int32_t found = bil_description_find(d, id, strlen(id));
    if (found < 0) {
        nearest like = {0};
        for (uint16_t i = 0; i < d->count; i++)
            nearest_offer(&like, id, d->params[i].id);
        snprintf(o->why, sizeof o->why, "%s: %s has no such parameter%s%s%s", id, d->model,
                 like.best[0] ? "; did you mean " : "", like.best, like.best[0] ? "?" : "");
        return BIL_E_UNKNOWN_PARAMETER;
    }
    *index = (uint16_t)found;
    const bil_param *p = &d->params[found];
    bool ours = p->cls == BIL_CLASS_SETUP || p->cls == BIL_CLASS_PLACE || p->cls == BIL_CLASS_CALIBRATION;
    if (ours && p->flags & BIL_WRITABLE)
        return BIL_OK;
    snprintf(o->why, sizeof o->why, "%s (%s): %s", id, p->name,
             ours ? "the device takes no value for this" : "this belongs to the unit, or is never part of a copy");
    return BIL_E_NOT_YOURS;
}

static void show_limits(const bil_format *f, char *out, size_t size)
{
    /* The limits as raw values: keys of signed numbers and floats are turned back. */
    char ends[2][BIL_VALUE_TEXT] = {"", ""};
    const uint64_t keys[2] = {f->mul < 0 ? f->high : f->low, f->mul < 0 ? f->low : f->high};
    for (int i = 0; i < 2; i++) {
        uint64_t bits = keys[i], sign = UINT64_C(1) << (8 * f->size - 1);
        uint8_t raw[8];
        if (bil_type_is_float((bil_type)f->type))
            bits = bits & sign ? bits & ~sign : ~bits;
        else if (bil_type_is_signed((bil_type)f->type))
            bits ^= UINT64_C(1) << 63;
        for (size_t k = 0; k < f->size; k++)
            raw[k] = (uint8_t)(bits >> 8 * (f->size - 1u - k));
        bil_value_text(f, raw, &host_floats, ends[i], sizeof ends[i]);
    }
    snprintf(out, size, "from %s to %s", ends[0], ends[1]);
}

/* What the parameter takes, for somebody who gave something else. */
static void show_wanted(const bil_param *p, char *out, size_t size)
{
    const bil_format *f = p->format;
    out[0] = '\0';
    if (f->choice_count)
        for (uint16_t i = 0; i < f->choice_count && strlen(out) + 40 < size; i++)
            snprintf(out + strlen(out), size - strlen(out), "%s%s", i ? ", " : "one of ", f->choices[i].name);
    else if (f->type == BIL_BOOL)
        snprintf(out, size, "true or false");
    else if (f->type == BIL_TEXT)
        snprintf(out, size, "a text of at most %u bytes", f->size);
    else if (f->type == BIL_FILE)
        snprintf(out, size, "a file, which comes from a device or another copy");
    else if (f->limited)
        show_limits(f, out, size);
    if (f->step > 1 && strlen(out) + 40 < size) {
        uint8_t raw[8] = {0};
        char text[BIL_VALUE_TEXT] = "";
        bil_format bare = *f;
        bare.offset = 0;
        for (size_t k = 0; k < 4 && k < f->size; k++)
            raw[f->size - 1u - k] = (uint8_t)(f->step >> 8 * k);
        bil_value_text(&bare, raw, NULL, text, sizeof text);
        snprintf(out + strlen(out), size - strlen(out), ", in steps of %s", text);
    }
    if (p->unit[0] && out[0])
        snprintf(out + strlen(out), size - strlen(out), " %s", p->unit);
}

static void put(edited *o, uint16_t index, const uint8_t *raw)
{
    const bil_format *f = o->description->params[index].format;
    bool same =
        o->from.image.state[index] == BIL_PRESENT && memcmp(bil_image_raw(&o->from.image, index), raw, f->size) == 0;
    o->changed += !same;
    if (!same)
        o->given[index / 8] |= (uint8_t)(1u << index % 8);
    bil_image_put(&o->from.image, index, raw);
}

static int parse(edited *o, const char *id, const char *text, uint16_t *index, uint8_t *raw)
{
    int error = edit_find(o, id, index);
    if (error)
        return error;
    const bil_param *p = &o->description->params[*index];
    size_t length = strlen(text), unit = strlen(p->unit);
    if (unit && p->format->type != BIL_TEXT && length > unit && strcmp(text + length - unit, p->unit) == 0) {
        length -= unit;
        while (length && text[length - 1] == ' ')
            length--;
    }
    error = bil_value_parse(p->format, text, length, &host_floats, raw);
    if (!error)
        error = bil_value_check(p->format, raw);
    if (error) {
        char wanted[400];
        show_wanted(p, wanted, sizeof wanted);
        bool comma = strchr(text, ',') && p->format->type != BIL_TEXT;
        snprintf(o->why, sizeof o->why, "%s = %.60s: %s%s%s%s", id, text, bil_host_error_text(error),
                 comma       ? "; decimals stand behind a point, not a comma"
                 : wanted[0] ? "; wanted is "
                             : "",
                 comma ? "" : wanted, "");
    }
    return error;
}

int edit_set(edited *o, const char *id, const char *text)
{
    uint16_t index;
    uint8_t raw[BIL_TEXT_MAX] = {0};
    int error = parse(o, id, text, &index, raw);
    if (!error)
        put(o, index, raw);
    return error;
}

int edit_assign(edited *o, const char *assignment)
{
    char id[BIL_ID_MAX + 1];
    const char *equals = strchr(assignment, '=');
    if (!equals || (size_t)(equals - assignment) >= sizeof id) {
        snprintf(o->why, sizeof o->why, "%.100s: ID=VALUE is wanted", assignment);
        return BIL_E_CALL;
    }
    snprintf(id, sizeof id, "%.*s", (int)(equals - assignment), assignment);
    return edit_set(o, id, equals + 1);
}

int edit_check(edited *o, const char *id, const char *text)
{
    uint16_t index;
    uint8_t raw[BIL_TEXT_MAX] = {0};
    return parse(o, id, text, &index, raw);
}

int edit_take(edited *o, const bil_item *item)
{
    char id[BIL_ID_MAX + 1];
    uint16_t index;
    bil_str_plain(item->id, id, sizeof id);
    int error = edit_find(o, id, &index);
    if (error)
        return error;
    const bil_param *p = &o->description->params[index];
    if (item->unreadable)
        error = BIL_E_UNREADABLE;
    else if (item->type != p->format->type || item->size != p->format->size ||
             !bil_str_equal((bil_str){p->unit, strlen(p->unit)}, item->unit))
        error = BIL_E_OTHER_TYPE;
    else
        error = bil_value_check(p->format, item->raw);
    if (!error && item->type == BIL_FILE && !files_has(&o->from.files, item->raw))
        error = BIL_E_NO_BYTES;
    if (error)
        snprintf(o->why, sizeof o->why, "%s: %s", id, bil_host_error_text(error));
    else
        put(o, index, item->raw);
    return error;
}

/* ---- tables ---- */

typedef struct import {
    edited *o;
    const char *path;
    bool store;           /* the second time, when all are known to be good */
    unsigned long *lines; /* where each parameter stood */
} import;

/* Is it what a sheet of this copy says? Then nobody changed it, and it needn't be a value that may be changed. */
static bool is_as_it_was(const edited *o, const char *id, const char *value)
{
    const bil_image *image = &o->from.image;
    int32_t index = bil_description_find(o->description, id, strlen(id));
    char token[BIL_TOKEN], text[2 * BIL_VALUE_TEXT];
    bil_item item;
    if (index < 0 || image->state[index] == BIL_ABSENT)
        return false;
    bil_image_item_told(image, (uint16_t)index, &host_floats, token, &item);
    item_bare_text(&item, o->description, text, sizeof text);
    return strcmp(text, value) == 0;
}

static int import_row(void *ctx, unsigned long line, const char *id, const char *value)
{
    import *im = ctx;
    edited *o = im->o;
    uint16_t index;
    uint8_t raw[BIL_TEXT_MAX] = {0};
    char what[sizeof o->why];
    int error = parse(o, id, value, &index, raw);
    if (error && is_as_it_was(o, id, value))
        return 0;
    if (!error && !im->store && im->lines[index]) {
        snprintf(o->why, sizeof o->why, "%s stands in line %lu already", id, im->lines[index]);
        error = BIL_E_CSV;
    }
    if (error) {
        snprintf(what, sizeof what, "%.300s:%lu: %.380s", im->path, line, o->why);
        memcpy(o->why, what, sizeof what);
        return -error;
    }
    im->lines[index] = line;
    if (im->store)
        put(o, index, raw);
    return 0;
}

int edit_import(edited *o, const char *path, const char *which)
{
    char why[700] = "";
import im = {.o = o, .path = path };
    im.lines = mem_new(o->description->count, sizeof *im.lines);
    o->why[0] = '\0';
    if (!im.lines)
        return BIL_E_MEMORY;
    int error = csv_read(path, which, import_row, &im, why, sizeof why);
    im.store = true;
    if (!error)
        error = csv_read(path, which, import_row, &im, why, sizeof why);
    mem_free(im.lines);
    if (error && why[0])
        snprintf(o->why, sizeof o->why, "%s", why);
    return error;
}

/* ---- the new copy ---- */

static bool is_given(const edited *o, uint16_t index)
{
    return o->given[index / 8] >> index % 8 & 1;
}

/* With another mode some values aren't there any more: they don't stay in the copy. One that somebody gave wants its
 * mode. */
static int follow_modes(edited *o)
{
    bil_image *image = &o->from.image;
    for (uint16_t i = 0; i < o->description->count; i++) {
        const bil_param *p = &o->description->params[i];
        bool concerned = p->only && p->only->mode_count && (is_given(o, i) || is_given(o, p->only->mode));
        if (!concerned || image->state[i] != BIL_PRESENT || p->only->holds(p->only, image, image))
            continue;
        if (is_given(o, i)) {
            snprintf(o->why, sizeof o->why, "%s is there only with another value of %s", p->id,
                     o->description->params[p->only->mode].id);
            return BIL_E_RULE;
        }
        image->state[i] = BIL_ABSENT;
    }
    return BIL_OK;
}

static void origin_of(const edited *o, const char *who, const char *why, set_origin *out)
{
    *out = o->from.origin;
    set_digest_hex(o->from.totals.digest, out->parent);
    time_now(out->when, sizeof out->when);
    snprintf(out->who, SET_TEXT, "%s", who);
    snprintf(out->why, SET_TEXT, "%s", why);
    snprintf(out->from, SET_TEXT, "%s", SET_OFFLINE);
}

int edit_keep(edited *o, const keep *k, const char *who, const char *why, const char *what, char *path)
{
    char stem[200], name[300];
    set_origin origin;
    bil_set_totals totals;
    uint16_t params[2];
    bil_values values = bil_image_values(&o->from.image);
    int error = follow_modes(o);
    if (error)
        return error;
    int32_t rule = bil_rule_broken(o->description, values, 0, params);
    if (rule >= 0) {
        rule_text(o->description, (uint16_t)rule, params, values, o->why, sizeof o->why);
        return BIL_E_RULE;
    }
    origin_of(o, who, why, &origin);
    set_file_stem(&origin, stem, sizeof stem);
    keep_name(k, stem, what, ".bset", name, sizeof name);
    error = set_file_save(&o->from.image, &o->from.files, &origin, k->copies, name, path, &totals);
    if (error)
        snprintf(o->why, sizeof o->why, "%s: %s", k->copies, bil_host_error_text(error));
    return error;
}
