#include "host/run/secret.h"

#include <errno.h>
#include <string.h>
#include <sys/mman.h>

static bool give_one(void *ctx, const char *where, uint8_t slot, const char *which, bool may_ask, char *out,
                     size_t size)
{
    shared_secrets *s = ctx;
    if (may_ask || !s->from->give)
        return false;
    pthread_mutex_lock(&s->one);
    bool given = s->from->give(s->from->ctx, where, slot, which, false, out, size);
    pthread_mutex_unlock(&s->one);
    return given;
}

void secrets_share(shared_secrets *s, const secret_source *from)
{
    s->from = from;
    pthread_mutex_init(&s->one, NULL);
}

secret_source secrets_shared(shared_secrets *s)
{
    return (secret_source){.give = give_one, .ctx = s};
}

void secrets_unshare(shared_secrets *s)
{
    pthread_mutex_destroy(&s->one);
}

unsigned secrets_to_read(const bil_description *d, const char *hardware)
{
    const bil_procedure *how = bil_description_procedure(d, BIL_PROC_UNLOCK_TO_READ, hardware, 0);
    unsigned slots = 0;
    for (uint16_t i = 0; how && i < how->step_count; i++)
        if (how->steps[i].kind == BIL_STEP_SECRET)
            slots |= 1u << (how->steps[i].value - 1);
    return slots;
}

bool secrets_take(secrets *s, const bil_description *d, unsigned slots, const secret_source *from, const char *where)
{
    secret_lock(s, sizeof *s);
    for (uint8_t i = 0; i < d->secret_count; i++) {
        bool given = !(slots >> i & 1);
        for (int may_ask = 0; may_ask < 2 && !given && from->give; may_ask++)
            given = from->give(from->ctx, where, (uint8_t)(i + 1), d->secrets[i], may_ask, s->text[i], SECRET_MAX);
        s->text[i][SECRET_MAX - 1] = '\0'; /* whatever the program did */
        if (!given)
            return false;
    }
    return true;
}

bool secrets_put(const secrets *s, uint8_t slot, const bil_format *format, uint8_t *raw)
{
    const char *secret = slot >= 1 && slot <= BIL_SECRETS_MAX ? s->text[slot - 1] : "";
    return secret[0] && bil_value_parse(format, secret, strlen(secret), NULL, raw) == BIL_OK;
}

void secret_lock(void *secret, size_t size)
{
    if (mlock(secret, size) != 0)
        errno = 0; /* a limit of this computer: then it may be written to its swap space, as any memory */
}

void secret_wipe(void *secret, size_t size)
{
    explicit_bzero(secret, size);
}
