#include "bilancia/description.h"

#include "bytes.h"
#include "require.h"

const char *bil_nth(const char *texts, unsigned n)
{
    for (; n && *texts; n--)
        texts += strlen(texts) + 1;
    return *texts ? texts : "?";
}

int bil_take_struct(void *out, size_t known, const void *given, size_t size)
{
    for (; size > known; size--)
        if (((const uint8_t *)given)[size - 1])
            return BIL_E_BAD_CALL;
    memcpy(out, given, size); /* behind it are zeros */
    return size < sizeof size ? BIL_E_BAD_CALL : BIL_OK;
}

int bil_place(const char *texts, const char *text, size_t length)
{
    for (int i = 0; *texts; i++) {
        size_t same = 0;
        while (same < length && texts[same] && texts[same] == text[same])
            same++;
        if (same == length && !texts[same])
            return i;
        while (*texts++) {
        }
    }
    return -1;
}

static const char class_names[] =
#define CLASS(NAME, name, what) name "\0"
    BIL_CLASSES(CLASS);
#undef CLASS

const char *bil_class_name(bil_class cls)
{
    return bil_nth(class_names, (unsigned)cls);
}

int bil_class_from_name(const char *name, size_t length)
{
    return bil_place(class_names, name, length);
}

bool bil_class_left_out(bil_class cls)
{
    return cls == BIL_CLASS_SECRET || cls == BIL_CLASS_LIVE || cls == BIL_CLASS_COMMAND;
}

int32_t bil_description_find(const bil_description *description, const char *id, size_t length)
{
    require(description && id);
    uint16_t low = 0, high = description->count;
    while (low < high) {
        uint16_t middle = (uint16_t)((low + high) / 2);
        const char *other = description->params[middle].id;
        size_t other_length = strlen(other);
        int order = memcmp(id, other, length < other_length ? length : other_length);
        if (order == 0 && length == other_length)
            return middle;
        if (order < 0 || (order == 0 && length < other_length))
            high = middle;
        else
            low = (uint16_t)(middle + 1);
    }
    return -1;
}

const bil_procedure *bil_description_procedure(const bil_description *description, bil_proc_kind kind,
                                               const char *hardware, uint32_t found)
{
    require(description);
    const bil_procedure *general = NULL;
    for (uint16_t i = 0; i < description->procedure_count; i++) {
        const bil_procedure *procedure = &description->procedures[i];
        if (procedure->kind != kind || (procedure->for_state && procedure->found != found))
            continue;
        if (!procedure->hardware)
            general = procedure;
        else if (strcmp(procedure->hardware, hardware) == 0)
            return procedure;
    }
    return general;
}

bool bil_text_is(const char *name, const char *text, size_t length)
{
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

bool bil_text_is_among(const char *const *list, uint8_t count, const char *text)
{
    for (uint8_t i = 0; i < count; i++)
        if (strcmp(list[i], text) == 0)
            return true;
    return false;
}

bool bil_description_names_firmware(const bil_description *description, const char *firmware)
{
    return bil_text_is_among(description->firmwares, description->firmware_count, firmware);
}

bool bil_description_names_hardware(const bil_description *description, const char *hardware)
{
    return bil_text_is_among(description->hardwares, description->hardware_count, hardware);
}

/* One past the value that every read asks for and that has a part of this cell; the cell itself where there is none.
 * O(log n), and the values in the cell. */
static uint32_t end_of_read(const bil_description *d, uint16_t space, uint32_t cell)
{
    uint16_t low = 0, high = d->count; /* the first one that begins behind the cell */
    while (low < high) {
        uint16_t middle = (uint16_t)((low + high) / 2);
        const bil_param *param = &d->params[d->by_place[middle]];
        if (param->space < space || (param->space == space && param->at.number <= cell))
            low = (uint16_t)(middle + 1);
        else
            high = middle;
    }
    while (low-- > 0) {
        const bil_param *param = &d->params[d->by_place[low]];
        uint32_t end = param->at.number + param->cells;
        if (param->space != space || end <= cell)
            break;
        if (param->flags & BIL_READABLE && !bil_class_left_out((bil_class)param->cls) && !param->only)
            return end;
    }
    return cell;
}

const bil_bank *bil_description_bank(const bil_description *d, const bil_param *param, uint8_t bank, uint8_t copy)
{
    for (uint8_t i = 0; bank && i < d->bank_count; i++) {
        const bil_bank *b = &d->banks[i];
        if (b->kind + 1u == bank && b->copy == copy && b->space == param->space &&
            (d->spaces[b->space].keys ||
             (param->at.number >= b->first && param->at.number + param->cells - 1u <= b->last)))
            return b;
    }
    return NULL;
}

bool bil_description_across(const bil_description *description, uint16_t space, uint32_t first, uint32_t last)
{
    for (uint32_t at = first; at <= last;) {
        uint32_t next = end_of_read(description, space, at);
        for (uint16_t i = 0; i < description->across_count; i++) {
            const bil_range *range = &description->across[i];
            if (range->space == space && range->first <= at && range->last >= next)
                next = range->last + 1u;
        }
        if (next == at)
            return false;
        at = next;
    }
    return true;
}

bool bil_is_among(const uint16_t *list, uint8_t count, uint16_t index)
{
    for (uint8_t i = 0; i < count; i++)
        if (list[i] == index)
            return true;
    return false;
}

/* A name that people give belongs to the place: another unit may have the same, and a write may change it. */
static bool is_identity(const bil_description *d, uint16_t index)
{
    for (int i = 0; i < BIL_ID_COUNT; i++)
        if (d->identity[i] == index)
            return i != BIL_ID_NAME || d->params[index].cls == BIL_CLASS_UNIT;
    for (uint8_t i = 0; i < d->sign_count; i++)
        if (d->signs[i].param == index)
            return true;
    return false;
}

bool bil_description_tells_who(const bil_description *d, uint16_t index)
{
    return is_identity(d, index) || bil_is_among(d->unit_same, d->unit_same_count, index) ||
           bil_is_among(d->unit_grows, d->unit_grows_count, index);
}
