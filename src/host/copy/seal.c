#include "host/copy/seal.h"

#include <stdio.h>
#include <string.h>

#include "bilancia/host_error.h"

_Static_assert(SEAL_HEAD + SEALING_NONCE + SEALING_TAG == SEAL_AROUND, "form, passes, KiB, salt, nonce, tag");

/* The cost of a key: about a third of a second, and a memory that hardware for guessing has little of (RFC 9106,
 * section 4, second choice, in one lane). What is read may have taken more, up to what a small computer can bear. */
enum { FORM = 1, PASSES = 3, PASSES_MOST = 16, KIB_LEAST = 8 * 1024, KIB = 64 * 1024, KIB_MOST = 256 * 1024 };
enum { PASSES_AT = 1, KIB_AT = 2, SALT_AT = 6 };

static uint32_t kib_of(const uint8_t *head)
{
    return (uint32_t)bil_value_number(head + KIB_AT, 4);
}

static int make_key(seal_key *k, const char *passphrase)
{
    k->there = sealing_key(passphrase, k->head + SALT_AT, k->head[PASSES_AT], kib_of(k->head), k->key);
    return k->there ? BIL_OK : BIL_E_MEMORY;
}

int seal_key_new(seal_key *k, const char *passphrase)
{
    *k = (seal_key){.head = {FORM, PASSES}};
    if (!sealing_is_there())
        return BIL_E_SEAL;
    bil_value_put_number(k->head + KIB_AT, 4, KIB);
    return sealing_random(k->head + SALT_AT, SEALING_SALT) ? make_key(k, passphrase) : BIL_E_MEMORY;
}

int seal_key_of(seal_key *k, const seal *s, const char *passphrase)
{
    uint32_t kib = kib_of(s->bytes);
    *k = (seal_key){0};
    if (s->size <= SEAL_AROUND || s->bytes[0] != FORM || s->bytes[PASSES_AT] < 1 || s->bytes[PASSES_AT] > PASSES_MOST ||
        kib < KIB_LEAST || kib > KIB_MOST || !sealing_is_there())
        return BIL_E_SEAL;
    memcpy(k->head, s->bytes, SEAL_HEAD);
    return make_key(k, passphrase);
}

/* ---- sealing ---- */

/* Covered beside the secret: how the key is made, and for what it is, so that none stands in the place of another. */
static size_t beside(const seal_key *k, const bil_description *d, uint16_t index, uint8_t *out, size_t size)
{
    memcpy(out, k->head, SEAL_HEAD);
    int used =
        snprintf((char *)out + SEAL_HEAD, size - SEAL_HEAD, "%s\n%s\n%s\n", d->vendor, d->model, d->params[index].id);
    size_t length = used > 0 ? (size_t)used : 0, room = size - SEAL_HEAD - 1;
    return SEAL_HEAD + (length < room ? length : room);
}

int seal_close(seal *s, const seal_key *k, const bil_description *d, uint16_t index, const uint8_t *raw)
{
    uint8_t with[600], *nonce = s->bytes + SEAL_HEAD;
    uint8_t size = d->params[index].format->size;
    size_t count = beside(k, d, index, with, sizeof with);
    *s = (seal){.size = SEAL_AROUND + (size_t)size};
    snprintf(s->id, sizeof s->id, "%s", d->params[index].id);
    memcpy(s->bytes, k->head, SEAL_HEAD);
    bool good = sealing_random(nonce, SEALING_NONCE) &&
                sealing_close(k->key, nonce, with, count, raw, size, nonce + SEALING_NONCE);
    return good ? BIL_OK : BIL_E_MEMORY;
}

int seal_open(const seal *s, const seal_key *k, const bil_description *d, uint16_t index, uint8_t *raw)
{
    uint8_t with[600];
    const uint8_t *nonce = s->bytes + SEAL_HEAD;
    uint8_t size = d->params[index].format->size;
    size_t count = beside(k, d, index, with, sizeof with);
    if (!k->there || s->size != SEAL_AROUND + (size_t)size || memcmp(s->bytes, k->head, SEAL_HEAD) != 0)
        return BIL_E_SEAL;
    return sealing_open(k->key, nonce, with, count, nonce + SEALING_NONCE, size, raw) ? BIL_OK : BIL_E_PASSPHRASE;
}

bool seal_is_for(const bil_description *d, uint16_t index)
{
    const bil_param *p = &d->params[index];
    bool entered = false;
    for (uint16_t i = 0; i < d->procedure_count; i++)
        for (uint16_t k = 0; k < d->procedures[i].step_count; k++)
            entered = entered || d->procedures[i].steps[k].param == index;
    return p->cls == BIL_CLASS_SECRET && p->flags & BIL_WRITABLE && !entered;
}
