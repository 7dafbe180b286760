/* Secrets of a copy, sealed by hand: no device shows any. */
#include <string.h>

#include "host/base/float_text.h"
#include "host/look/edit.h"
#include "host/run/secret.h"

int edit_seal_by(edited *o, const char *passphrase)
{
    const bil_description *d = o->description;
    const seals *there = &o->from.files.seals;
    size_t length = strlen(passphrase);
    uint8_t raw[BIL_TEXT_MAX];
    if (length < PASSPHRASE_LEAST || length >= PASSPHRASE_MAX) {
        snprintf(o->why, sizeof o->why, "a passphrase has %d to %d bytes; several words are good", PASSPHRASE_LEAST,
                 PASSPHRASE_MAX - 1);
        return BIL_E_CALL;
    }
    secret_lock(&o->key, sizeof o->key);
    int error = there->count ? seal_key_of(&o->key, there->list, passphrase) : seal_key_new(&o->key, passphrase);
    for (size_t i = 0; i < there->count && !error; i++) {
        int32_t index = bil_description_find(d, there->list[i].id, strlen(there->list[i].id));
        error = index < 0 ? BIL_E_SEAL : seal_open(&there->list[i], &o->key, d, (uint16_t)index, raw);
        secret_wipe(raw, sizeof raw);
    }
    o->key.there = o->key.there && !error;
    if (error)
        snprintf(o->why, sizeof o->why, "%s", "the secrets of a copy are sealed under one passphrase");
    return error;
}

static int put(edited *o, uint16_t index, const char *text)
{
    const bil_param *p = &o->description->params[index];
    uint8_t raw[BIL_TEXT_MAX] = {0};
    seal one;
    int error = bil_value_parse(p->format, text, strlen(text), &host_floats, raw);
    if (!error)
        error = bil_value_check(p->format, raw);
    if (error) /* what was typed is said to nobody */
        snprintf(o->why, sizeof o->why, "%s (%s): %s", p->id, p->name, bil_host_error_text(error));
    if (!error)
        error = seal_close(&one, &o->key, o->description, index, raw);
    if (!error && !seals_put(&o->from.files.seals, &one))
        error = BIL_E_MEMORY;
    secret_wipe(raw, sizeof raw);
    return error;
}

int edit_seal(edited *o, const char *id, const char *text)
{
    const bil_description *d = o->description;
    int32_t index = bil_description_find(d, id, strlen(id));
    if (index < 0) {
        snprintf(o->why, sizeof o->why, "%.100s: %s has no such parameter", id, d->model);
        return BIL_E_UNKNOWN_PARAMETER;
    }
    if (!seal_is_for(d, (uint16_t)index)) {
        snprintf(o->why, sizeof o->why, "%s (%s): only what a device keeps as a secret is sealed", id,
                 d->params[index].name);
        return BIL_E_NOT_YOURS;
    }
    if (!text && !seals_find(&o->from.files.seals, id))
        return BIL_OK;
    if (text && !o->key.there)
        return BIL_E_BAD_CALL;
    int error = text ? put(o, (uint16_t)index, text) : BIL_OK;
    if (!text)
        seals_drop(&o->from.files.seals, id);
    uint8_t *given = &o->given[index / 8], bit = (uint8_t)(1u << index % 8);
    o->changed += !error && !(*given & bit);
    *given |= error ? 0 : bit;
    return error;
}
