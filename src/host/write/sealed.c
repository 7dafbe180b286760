/* Secrets that are sealed in the copy: opened for this write, and put in by the job. */
#include <jansson.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/base/json.h"
#include "host/copy/seal.h"
#include "host/describe/choice.h"
#include "host/write/inside.h"
#include "port/memory.h"

enum { TRIES = 3, SLOTS = UINT8_MAX - BIL_SECRETS_MAX };

struct opened {
    uint16_t param;
    uint8_t raw[BIL_TEXT_MAX];
    char before[SECRET_MAX]; /* the password that this one takes the place of */
};

/* Sealed in this copy, and among what is written. */
static const seal *sealed(const write_call *w, uint16_t index)
{
    const bil_param *p = &w->want.description->params[index];
    bool chosen = !w->groups || !w->groups[0] || choice_has(w->groups, p);
    return chosen && !json_object_get(w->without, p->id) && seal_is_for(w->want.description, index)
               ? seals_find(&w->want.files.seals, p->id)
               : NULL;
}

static int open_one(write_call *w, const seal_key *k, const seal *s, uint16_t index)
{
    struct opened *one = &w->put[w->put_count];
    one->param = index;
    int error = seal_open(s, k, w->want.description, index, one->raw);
    if (error)
        return error;
    bil_proc_step *step = &w->put_steps[w->put_count++];
    *step = (bil_proc_step){.kind = BIL_STEP_SECRET,
                            .repeatable = true,
                            .param = index,
                            .value = (uint32_t)(BIL_SECRETS_MAX + w->put_count)};
    return BIL_OK;
}

/* All of them by one passphrase. */
static int open_all(write_call *w, const char *passphrase)
{
    seal_key k = {0};
    int error = BIL_OK;
    secret_lock(&k, sizeof k);
    w->put_count = 0;
    for (uint16_t i = 0; i < w->want.description->count && !error; i++) {
        const seal *s = sealed(w, i);
        if (s && !k.there)
            error = seal_key_of(&k, s, passphrase);
        if (s && !error)
            error = open_one(w, &k, s, i);
    }
    secret_wipe(&k, sizeof k);
    return error;
}

/* What opens them is asked for, again where it doesn't. BIL_OK with none opened: nobody has it at hand. */
static int ask_and_open(write_call *w)
{
    char passphrase[PASSPHRASE_MAX] = "";
    int error = BIL_OK;
    secret_lock(passphrase, sizeof passphrase);
    for (int i = 0; i < TRIES && (i == 0 || error == BIL_E_PASSPHRASE); i++) {
        if (!w->answers.passphrase(w->answers.ctx, i > 0, passphrase, sizeof passphrase))
            break;
        passphrase[sizeof passphrase - 1] = '\0'; /* whatever the program did */
        error = open_all(w, passphrase);
    }
    secret_wipe(passphrase, sizeof passphrase);
    return error;
}

int write_open_seals(write_call *w)
{
    const bil_description *d = w->want.description;
    size_t count = 0;
    if (w->config.kind != BIL_JOB_WRITE || w->undoes) /* the way back has none */
        return BIL_OK;
    for (uint16_t i = 0; i < d->count; i++)
        count += sealed(w, i) != NULL;
    if (count == 0 || w->config.trial || !w->answers.passphrase) /* nothing would take them back after a trial */
        return BIL_OK;
    if (count > SLOTS)
        return write_fail(w, w->copy, BIL_E_SEAL, "a write puts in at most 251 secrets");
    w->put = mem_new(count, sizeof *w->put);
    w->put_steps = mem_new(count, sizeof *w->put_steps);
    if (!w->put || !w->put_steps)
        return write_fail(w, "", BIL_E_MEMORY, NULL);
    w->put_room = count;
    secret_lock(w->put, count * sizeof *w->put);
    int error = ask_and_open(w);
    if (error)
        return write_fail(w, w->copy, error, NULL);
    if (!w->put_count)
        return BIL_OK;
    w->puts = (bil_procedure){.kind = BIL_PROC_COMMIT, .steps = w->put_steps, .step_count = (uint16_t)w->put_count};
    w->config.secrets = &w->puts;
    for (size_t i = 0; i < w->put_count; i++)
        if (d->params[w->put[i].param].flags & (BIL_NEEDS_HOLD | BIL_NEEDS_RESTART))
            w->config.goes_on = w->config.goes_on_at_work = false;
    return BIL_OK;
}

void write_forget_seals(write_call *w)
{
    if (w->put)
        secret_wipe(w->put, w->put_room * sizeof *w->put);
    mem_free(w->put);
    mem_free(w->put_steps);
}

json_t *write_names_of_secrets(const write_call *w)
{
    json_t *names = jn_array();
    for (size_t i = 0; i < w->put_count; i++)
        jn_add(names, jn_string(w->want.description->params[w->put[i].param].id));
    return names;
}

write_sealed write_is_sealed(const write_call *w, uint16_t index)
{
    for (size_t i = 0; i < w->put_count; i++)
        if (w->put[i].param == index)
            return WRITE_PUTS;
    return w->config.kind == BIL_JOB_WRITE && !w->undoes && sealed(w, index) ? WRITE_LEAVES_SEALED : WRITE_NOT_SEALED;
}

/* The password by which it is unlocked from here on, where this changes that. */
static char *password_kept_in(write_call *w, uint16_t param)
{
    const bil_description *d = w->want.description;
    for (uint8_t i = 0; d->secrets_kept && i < d->secret_count; i++)
        if (d->secrets_kept[i] == param)
            return w->secrets.text[i];
    return NULL;
}

bool write_put_sealed(write_call *w, uint8_t slot, const bil_format *format, uint8_t *raw)
{
    size_t at = slot - BIL_SECRETS_MAX - 1u;
    struct opened *one = at < w->put_count ? &w->put[at] : NULL;
    if (!one)
        return false;
    memcpy(raw, one->raw, format->size);
    char *password = password_kept_in(w, one->param), text[BIL_VALUE_TEXT] = "";
    if (password && bil_value_text(format, raw, &host_floats, text, sizeof text) == BIL_OK &&
        strlen(text) < SECRET_MAX && strcmp(text, password) != 0) {
        memcpy(one->before, password, SECRET_MAX);
        memcpy(password, text, strlen(text) + 1);
    }
    secret_wipe(text, sizeof text);
    return true;
}

void write_sealed_refused(write_call *w, uint16_t param)
{
    char *password = password_kept_in(w, param);
    for (size_t i = 0; password && i < w->put_count; i++)
        if (w->put[i].param == param && w->put[i].before[0])
            memcpy(password, w->put[i].before, SECRET_MAX);
}
