/* Finding the unit that is to be written to, its turn, its password, and who has a say. */
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/person.h"
#include "host/write/inside.h"

static void take_password(write_call *w, bool may_ask)
{
    const bil_description *d = may_ask ? w->want.description : NULL;
    secret_lock(&w->secrets, sizeof w->secrets);
    w->config.has_password = w->answers.password(w->answers.ctx, d && d->secret_count ? d->secrets[0] : "", may_ask,
                                                 w->secrets.text[0], SECRET_MAX);
}

void write_take_password(write_call *w)
{
    if (w->answers.password && !w->config.has_password)
        take_password(w, false);
}

/* One for a read before the write: it is kept for that, too. */
static bool give(void *ctx, const char *where, uint8_t slot, const char *which, bool may_ask, char *out, size_t size)
{
    write_call *w = ctx;
    char *own = w->secrets.text[slot - 1];
    (void)where;
    secret_lock(&w->secrets, sizeof w->secrets);
    if (!own[0] && w->answers.password &&
        w->answers.password(w->answers.ctx, slot == 1 && !may_ask ? "" : which, may_ask, own, SECRET_MAX))
        w->config.has_password = w->config.has_password || slot == 1;
    if (out != own)
        snprintf(out, size, "%s", own);
    return own[0] != '\0';
}

static bool trust(void *ctx, const char *where, const char *says, const char *before)
{
    const write_call *w = ctx;
    return w->answers.trust && w->answers.trust(w->answers.ctx, where, says, before);
}

secret_source write_secrets(write_call *w)
{
    return (secret_source){give, trust, w};
}

/* What it can't be read without is asked for now, else once the plan is agreed to. */
int write_expect_password(write_call *w)
{
    char hardware[BIL_VALUE_TEXT];
    secret_source from = write_secrets(w);
    const bil_description *d = w->want.description;
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    if (!secrets_take(&w->secrets, d, secrets_to_read(d, hardware), &from, w->keep.address))
        return write_fail(w, w->keep.address, BIL_E_NO_PASSWORD, NULL);
    w->password_later = w->answers.password && !w->config.has_password && d->secret_count;
    w->config.has_password = w->config.has_password || w->password_later;
    return BIL_OK;
}

bool write_has_password(write_call *w)
{
    if (w->password_later) {
        w->password_later = false;
        take_password(w, true);
        w->no_password = !w->config.has_password;
    }
    if (w->config.has_password && !w->asked_for_more) {
        w->asked_for_more = true;
        secret_source from = write_secrets(w); /* of a model with several, all but the first one */
        w->no_password = !secrets_take(&w->secrets, w->want.description, ~1u, &from, w->keep.address);
    }
    return !w->no_password;
}

bool write_put_password(void *ctx, uint8_t slot, const bil_format *format, uint8_t *raw)
{
    write_call *w = ctx;
    if (slot > BIL_SECRETS_MAX)
        return write_put_sealed(w, slot, format, raw);
    return secrets_put(&w->secrets, slot, format, raw) ||
           (write_has_password(w) && secrets_put(&w->secrets, slot, format, raw));
}

bool write_other_number(const char *text, uint32_t unit, char out[ADDRESS_TEXT])
{
    char why[200];
    address where;
    if (address_parse(text, &where, why, sizeof why) != BIL_OK)
        return false;
    where.unit = (int)BIL_UNIT_NUMBER(unit);
    address_text(&where, out);
    return true;
}

static int open_at(write_call *w, const char *where, const catalogue *m, char *why, size_t size)
{
    char serial[BIL_VALUE_TEXT];
    const secret_source from = write_secrets(w);
    write_doing(w, WRITE_CONNECTING, NULL);
    int error = w->link.ops ? device_open_over(&w->dev, where, w->link, w->clock, m, why, size)
                            : device_open(&w->dev, where, m, &from, why, size);
    if (error || !w->expected_serial)
        return error;
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    if (strcmp(serial, w->expected_serial) == 0)
        return BIL_OK;
    snprintf(why, size, "serial number %s answers there, not %s", serial, w->expected_serial);
    device_close(&w->dev);
    return BIL_E_OTHER_UNIT;
}

/* At its address, or, after a write that changed that and broke off, where it may be by now. */
static int find(write_call *w, const catalogue *m)
{
    char why[500], there[ADDRESS_TEXT], other[500];
    int error = open_at(w, w->keep.address, m, why, sizeof why);
    if (error && w->recorded_address && address_is_device(w->recorded_address) &&
        strcmp(w->recorded_address, w->keep.address) != 0 &&
        open_at(w, w->recorded_address, m, other, sizeof other) == BIL_OK) {
        w->keep.address = w->recorded_address;
        error = BIL_OK;
    }
    for (size_t i = 0; error && i < sizeof w->numbers / sizeof w->numbers[0]; i++)
        if (w->numbers[i] && write_other_number(w->keep.address, w->numbers[i], there) &&
            strcmp(there, w->keep.address) != 0 && open_at(w, there, m, other, sizeof other) == BIL_OK) {
            snprintf(w->moved_address, sizeof w->moved_address, "%s", there);
            w->keep.address = w->moved_address;
            error = BIL_OK;
        }
    if (!error)
        return BIL_OK;
    keep_reached(&w->keep, person(w->who),
                 why); /* others needn't find that out again; that it isn't noted is no matter */
    return write_fail(w, w->keep.address, error, why);
}

int write_open_unit(write_call *w, const catalogue *m)
{
    char why[500];
    int error = find(w, m);
    if (error)
        return error;
    w->opened = true;
    address where;
    if (address_parse(w->keep.address, &where, why, sizeof why) == BIL_OK)
        w->config.unit = BIL_UNIT(where.unit);
    if (w->config.kind == BIL_JOB_RESET)
        error = write_want_factory_values(w);
    if (error)
        return error;
    const bil_description *want = w->want.description;
    if (catalogue_is_disputed(m, want) && !w->goes_on && !w->rehearse)
        return write_fail(
            w, want->model, BIL_E_DISPUTED,
            "there are two descriptions of this model that differ, and nobody has decided which one counts");
    if (w->dev.description == want)
        return BIL_OK;
    snprintf(why, sizeof why, "the copy is from model %s, this is model %s", want->model, w->dev.description->model);
    return write_fail(w, w->keep.address, BIL_E_OTHER_MODEL, why);
}

/* One turn for the place and one for the unit, so that it is the same however either is written. A stuck one is set
 * aside by name. */
int write_take_turn(write_call *w, turn *ours, const char *what)
{
    char who[400];
    if (turn_take(ours, what, person(w->who), who, sizeof who) || json_object_get(w->despite, "turn"))
        return BIL_OK;
    return write_fail(w, w->keep.address, BIL_E_TURN, who);
}

int write_take_unit_turn(write_call *w)
{
    char serial[BIL_VALUE_TEXT], what[2 * BIL_VALUE_TEXT + 10];
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    snprintf(what, sizeof what, "unit %s %s", w->dev.description->model, serial);
    return serial[0] ? write_take_turn(w, &w->unit, what) : BIL_OK;
}

static bool only_tries(const write_call *w)
{
    return w->config.trial || w->undoes;
}

int write_allowed(write_call *w)
{
    char why[600], from[STORAGE_PATH];
    bool tries = only_tries(w);
    person_limit limit = limit_of_person(from, sizeof from);
    if (limit != LIMIT_READING && (limit != LIMIT_TRIALS || tries))
        return BIL_OK;
    snprintf(why, sizeof why, "%.300s limits you to %s", from, limit == LIMIT_READING ? "reading" : "trials");
    return write_fail(w, "", BIL_E_NOT_ALLOWED, why);
}

static int ask_keep(const write_call *w, bool tries, trouble *t)
{
    char digest[2 * BIL_SHA256 + 1] = "", serial[BIL_VALUE_TEXT];
    if (w->config.kind != BIL_JOB_RESET)
        set_digest_hex(w->want.totals.digest, digest);
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    keep_case c = {.who = person(w->who),
                   .login = person(NULL),
                   .copy = w->copy,
                   .digest = digest,
                   .record = w->record_folder,
                   .address = w->keep.address,
                   .model = w->dev.description->model,
                   .serial = serial,
                   .tries = tries,
                   .despite = json_object_get(w->despite, "card") != NULL,
                   .unsigned_too = json_object_get(w->despite, "signature") != NULL};
    return keep_allows(&w->keep, &c, t);
}

/* What this computer began is finished and undone whatever is said of it by now: that may have been changed to stand in
 * the way. */
int write_ask_keep(write_call *w)
{
    return w->goes_on ? BIL_OK : ask_keep(w, only_tries(w), &w->trouble);
}

bool write_may_last(const write_call *w)
{
    char from[STORAGE_PATH];
    trouble ignored = {0};
    return limit_of_person(from, sizeof from) == LIMIT_NONE && ask_keep(w, false, &ignored) == BIL_OK;
}
