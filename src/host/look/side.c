#include "host/look/side.h"

#include <stdlib.h>
#include <string.h>

#include "host/base/float_text.h"
#include "host/base/json.h"
#include "host/copy/load.h"
#include "host/describe/choice.h"
#include "port/memory.h"

static const char *const names[] = {
#define NAME(NAME_, name, text) name,
    SIDE_KINDS(NAME)
#undef NAME
};

static const char *const texts[] = {
#define TEXT(NAME_, name, text) text,
    SIDE_KINDS(TEXT)
#undef TEXT
};

const char *side_kind_name(side_kind kind)
{
    return names[kind];
}

const char *side_kind_text(side_kind kind)
{
    return texts[kind];
}

static bool parse_which(side *s, const char *which)
{
    int used = 0;
    if (strcmp(which, "stored") == 0)
        s->kind = SIDE_STORED;
    else if (strcmp(which, "factory") == 0)
        s->kind = SIDE_FACTORY;
    else if (sscanf(which, "kept%2d%n", &s->copy, &used) == 1 && which[used] == '\0' && s->copy > 0)
        s->kind = SIDE_KEPT;
    else
        return false;
    return true;
}

bool side_parse(side *s, const char *text)
{
    memset(s, 0, sizeof *s);
    snprintf(s->text, sizeof s->text, "%s", text);
    snprintf(s->place, sizeof s->place, "%s", text);
    if (side_wants_model(s)) {
        s->kind = SIDE_FACTORY;
        return true;
    }
    char *hash = strrchr(s->place, '#');
    if (!address_is_device(text) && (!hash || strcmp(hash, "#factory") != 0)) {
        s->kind = SIDE_COPY;
        return true;
    }
    s->kind = SIDE_RUNNING;
    if (!hash)
        return true;
    *hash = '\0';
    return parse_which(s, hash + 1);
}

bool side_wants_model(const side *s)
{
    return strcmp(s->text, "factory") == 0;
}

/* ---- devices ---- */

static int no_factory(const bil_description *d, char *why, size_t size)
{
    snprintf(why, size, "the description of %s doesn't say what it is delivered with", d->model);
    return BIL_E_NO_COPY;
}

static int empty_image(side *s, const bil_description *d)
{
    size_t size = bil_image_size(d);
    mem_free(s->memory);
    s->memory = mem_new(1, size);
    if (!s->memory)
        return BIL_E_MEMORY;
    s->description = d;
    return bil_image_init(&s->image, d, s->memory, size);
}

/* From the description; who the unit is stays open. */
static int factory_image(side *s, const bil_description *d, char *why, size_t size)
{
    if (!d->factory)
        return no_factory(d, why, size);
    if (empty_image(s, d) != BIL_OK)
        return BIL_E_MEMORY;
    for (uint16_t i = 0; i < d->count; i++)
        if (d->factory_known[i])
            bil_image_put(&s->image, i, d->factory + d->params[i].raw_at);
    set_origin_of(&s->origin, &s->image);
    snprintf(s->extra, sizeof s->extra, "as the description names them");
    return BIL_OK;
}

static int hidden(const side *s, const device *dev, char *why, size_t size)
{
    const bil_description *d = dev->description;
    if (s->kind == SIDE_KEPT) {
        device_keeps_no(d, (unsigned)s->copy, why, size);
        return BIL_E_NO_COPY;
    }
    snprintf(why, size,
             d->unstored == BIL_NONE
                 ? "%s can't show what it has stored, and can't tell whether that is what is in force"
                 : "%s says that values in force aren't stored yet, and can't show what is stored",
             d->model);
    return BIL_E_STORED_HIDDEN;
}

/* The first place named for what is wanted, or NULL. */
static const bil_bank *wanted_bank(const side *s, const bil_description *d)
{
    bil_bank_kind kind = s->kind == SIDE_STORED    ? BIL_BANK_STORED
                         : s->kind == SIDE_FACTORY ? BIL_BANK_FACTORY
                                                   : BIL_BANK_KEPT;
    for (uint8_t i = 0; i < d->bank_count; i++)
        if (d->banks[i].kind == kind && d->banks[i].copy == s->copy)
            return &d->banks[i];
    return NULL;
}

static void tell_when(side *s, device *dev)
{
    char text[BIL_VALUE_TEXT];
    const bil_bank *bank = wanted_bank(s, dev->description);
    if (bank->when == BIL_NONE || device_look(dev, bank->when) != BIL_OK)
        return;
    const bil_param *p = &dev->description->params[bank->when];
    if (bil_value_text(p->format, bil_image_raw(&dev->image, bank->when), &host_floats, text, sizeof text) == BIL_OK)
        snprintf(s->extra, sizeof s->extra, "copy %d, %s: %s%s%s", s->copy, p->name, text, p->unit[0] ? " " : "",
                 p->unit);
}

/* Another place of the device, or what the description knows of it. */
static int read_elsewhere(side *s, device *dev, read_watch by, char *why, size_t size)
{
    const bil_bank *bank = wanted_bank(s, dev->description);
    if (bank) {
        s->bank = (uint8_t)(bank->kind + 1);
        if (s->kind == SIDE_KEPT)
            tell_when(s, dev);
        return device_read_bank(dev, bank, by, NULL);
    }
    if (s->kind == SIDE_STORED && device_says_stored(dev)) {
        snprintf(s->extra, sizeof s->extra, "those in force: the device says that all are stored");
        return device_read_all(dev, by, NULL, NULL);
    }
    return hidden(s, dev, why, size);
}

static int open_device(side *s, const catalogue *m, read_watch by, char *why, size_t size)
{
    device *dev = mem_new(1, sizeof *dev);
    int error = dev ? device_open(dev, s->place, m, &by.secrets, why, size) : BIL_E_MEMORY;
    if (error) {
        mem_free(dev);
        return error;
    }
    set_origin_of(&s->origin, &dev->image);
    if (s->kind == SIDE_RUNNING) {
        error = device_read_all(dev, by, NULL, NULL);
    } else if (s->kind == SIDE_FACTORY && !wanted_bank(s, dev->description)) {
        set_origin who = s->origin;
        error = factory_image(s, dev->description, why, size);
        if (!error)
            s->origin = who;
    } else {
        error = read_elsewhere(s, dev, by, why, size);
    }
    if (!error && !s->memory) { /* what was read outlives the link */
        error = empty_image(s, dev->description);
        if (!error) {
            bil_image_copy(&s->image, &dev->image);
            set_origin_of(&s->origin, &s->image);
            error = files_share_all(&s->files, &dev->files, &dev->image) ? BIL_OK : BIL_E_NO_BYTES;
        }
    }
    device_close(dev);
    mem_free(dev);
    return error;
}

/* ---- all ---- */

int side_open(side *s, const catalogue *m, read_watch by, char *why, size_t size)
{
    why[0] = '\0';
    if (s->kind == SIDE_COPY) {
        int error = set_file_open(&s->set, s->place, SET_QUICKLY);
        if (error) {
            snprintf(why, size, "%s", s->set.why);
            return error;
        }
        s->origin = s->set.origin;
        if (s->origin.scope[0] && strcmp(s->origin.scope, CHOICE_ALL) != 0)
            snprintf(s->extra, sizeof s->extra, "%s%.150s",
                     strncmp(s->origin.scope, CHOICE_ALL " ", 4) == 0 ? "" : "only ", s->origin.scope);
        s->description = catalogue_find(m, s->origin.model, s->origin.layout, NULL);
        return BIL_OK;
    }
    if (address_is_device(s->place))
        return open_device(s, m, by, why, size);
    const bil_description *d = s->description;
    for (size_t i = 0; !d && i < m->count; i++)
        if (strcasecmp(m->list[i]->model, s->place) == 0)
            d = m->list[i];
    if (d)
        return factory_image(s, d, why, size);
    snprintf(why, size,
             side_wants_model(s) ? "no description of the model is at hand" : "no description of %s is at hand",
             s->place);
    return BIL_E_UNKNOWN_MODEL;
}

void side_lend(side *s, side_kind kind, const char *place, const set_origin *origin, const bil_image *image)
{
    memset(s, 0, sizeof *s);
    s->kind = kind;
    s->lent = true;
    snprintf(s->text, sizeof s->text, "%s", place);
    snprintf(s->place, sizeof s->place, "%s", place);
    s->origin = *origin;
    s->description = image->description;
    s->image = *image;
}

static bool is_file(const side *s)
{
    return s->kind == SIDE_COPY && !s->lent;
}

void side_close(side *s)
{
    if (is_file(s))
        set_file_close(&s->set);
    mem_free(s->memory);
    s->memory = NULL;
    files_close(&s->files);
    json_decref(s->left_out);
    s->left_out = NULL;
}

static void note_left_out(void *ctx, const bil_item *item)
{
    json_t *list = ctx;
    if (json_array_size(list) < BIL_PARAMS_MAX) /* no description has more */
        jn_add(list, jn_pack("{s:s%,s:s,s:s%}", "id", item->id.text, item->id.length, "class",
                             bil_class_name(item->cls), "name", item->name.text, item->name.length));
}

/* One of these, whose seal stands behind the values? */
static void note_seal(void *ctx, bil_str id)
{
    size_t i;
    json_t *one;
    json_array_foreach((json_t *)ctx, i,
                       one) if (bil_str_equal(id, (bil_str){json_string_value(json_object_get(one, "id")),
                                                            json_string_length(json_object_get(one, "id"))}))
        jn_put(one, "sealed", json_true());
}

void side_collect_left_out(side *s)
{
    s->left_out = jn_array();
    s->set.left_out = note_left_out;
    s->set.file = note_seal;
    s->set.ctx = s->left_out;
    for (uint16_t i = 0; !is_file(s) && i < s->image.description->count; i++)
        if (bil_class_left_out((bil_class)s->image.description->params[i].cls)) {
            bil_item item;
            bil_image_item(&s->image, i, &item);
            note_left_out(s->left_out, &item);
        }
}

bool side_file(side *s, const uint8_t raw[BIL_FILE_RAW], uint8_t *out, size_t most)
{
    char why[500];
    bil_bytes from;
    uint64_t size = bil_file_size(raw);
    if (size > most || (is_file(s) && !s->files.count && copy_files(s->place, &s->files, why, sizeof why) != BIL_OK) ||
        !files_to_give(&s->files, raw, &from))
        return false;
    from.begin(from.ctx);
    for (size_t had = 0, now; had < size; had += now)
        if ((now = from.give(from.ctx, out + had, (size_t)size - had)) == 0)
            return false;
    return true;
}

static int next_of_image(void *ctx, bil_item *item)
{
    side *s = ctx;
    int got = s->images.next(s->images.ctx, item);
    if (got == 1)
        bil_image_item_told(&s->image, (uint16_t)(s->at.at - 1), &host_floats, s->token, item);
    return got;
}

bil_source side_source(side *s)
{
    if (is_file(s))
        return set_file_source(&s->set);
    s->images = bil_image_as_source(&s->at, &s->image);
    return (bil_source){next_of_image, s};
}

const char *side_why(const side *s)
{
    return s->set.why;
}

/* ---- values as people read them ---- */

static void raw_text(const uint8_t *raw, size_t count, char *out, size_t size)
{
    size_t used = (size_t)snprintf(out, size, "raw ");
    for (size_t i = 0; i < count && used + 3 < size; i++)
        used += (size_t)snprintf(out + used, size - used, "%02x", raw[i]);
}

item_fit item_value(const bil_item *item, const bil_description *description, char *out, size_t size)
{
    char said[2 * BIL_VALUE_TEXT] = "";
    bool null = item->value.length == 0 || item->value.text[0] == 'n';
    if (!null && item->value.text[0] == '"')
        bil_str_plain((bil_str){item->value.text + 1, item->value.length - 2}, said, sizeof said);
    else if (!null)
        bil_str_plain(item->value, said, sizeof said);
    int32_t index = description ? bil_description_find(description, item->id.text, item->id.length) : -1;
    const bil_format *format = index < 0 ? NULL : description->params[index].format;
    bil_format text = {.type = BIL_TEXT, .size = item->size};
    static const bil_format file = {.type = BIL_FILE, .size = BIL_FILE_RAW, .form = &bil_form_file};
    if (!format && (item->type == BIL_TEXT || item->type == BIL_FILE)) /* these need no description */
        format = item->type == BIL_TEXT ? &text : &file;
    if (!format || format->type != item->type || format->size != item->size) {
        raw_text(item->raw, item->size, out, size);
        return null ? ITEM_FITS : ITEM_UNKNOWN;
    }
    bool told = bil_value_text(format, item->raw, &host_floats, out, size) == BIL_OK;
    if (!told)
        raw_text(item->raw, item->size, out, size);
    return null || (told && strcmp(out, said) == 0) ? ITEM_FITS : ITEM_DIFFERS;
}

void item_bare_text(const bil_item *item, const bil_description *description, char *out, size_t size)
{
    if (item->unreadable) {
        snprintf(out, size, "(%s)", bil_host_error_name(item->unreadable));
        return;
    }
    item_fit fit = item_value(item, description, out, size);
    size_t used = strlen(out);
    if (fit == ITEM_DIFFERS && used < size)
        snprintf(out + used, size - used, " (the copy says otherwise)");
}

/* Digits of a digest that tell files apart at a glance; whether they are equal is told by all of it. */
enum { SHORT = 8 };

void item_text(const bil_item *item, const bil_description *description, char *out, size_t size)
{
    item_bare_text(item, description, out, size);
    char unit[64];
    bil_str_plain(item->unit, unit, sizeof unit);
    size_t used = strlen(out), cut = item->type == BIL_FILE ? strcspn(out, " ") + sizeof " bytes" + SHORT : used;
    if (!item->unreadable && cut < used)
        out[used = cut] = '\0';
    if (unit[0] && !item->unreadable && strncmp(out, "raw ", 4) != 0)
        snprintf(out + used, size - used, " %s", unit);
}
