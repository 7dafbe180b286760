/* Finding the unit that is to be written to, and its password. */
#include <string.h>
#include <unistd.h>

#include "cli/writing_inside.h"

static bool wants_password(const bil_description *d)
{
    for (uint16_t i = 0; i < d->procedure_count; i++)
        for (uint16_t k = 0; k < d->procedures[i].step_count; k++)
            if (d->procedures[i].steps[k].kind == BIL_STEP_SECRET)
                return true;
    return false;
}

/* What was handed over is taken at once; the prompt waits until the unit is known to be the right one. */
void write_take_password(write_call *w, int fd)
{
    secret_lock(w->password, sizeof w->password);
    w->config.has_password = secret_from_environment("BILANCIA_PASSWORD", w->password, sizeof w->password);
    if (fd >= 0)
        w->config.has_password = secret_from_fd(fd, w->password, sizeof w->password);
}

void write_ask_password(write_call *w)
{
    if (!w->config.has_password && wants_password(w->want.description) && isatty(STDIN_FILENO)) {
        progress_clear();
        w->config.has_password = secret_from_prompt("Password of the device: ", w->password, sizeof w->password);
    }
}

/* The address with another unit number. */
bool other_number(const char *text, uint32_t unit, char out[ADDRESS_TEXT])
{
    char why[200];
    address where;
    if (address_parse(text, &where, why, sizeof why) != BIL_OK)
        return false;
    where.unit = (int)BIL_UNIT_NUMBER(unit);
    address_text(&where, out);
    return true;
}

static int open_at(write_call *w, const char *where, const models *m, char *why, size_t size)
{
    char serial[BIL_VALUE_TEXT];
    progress_line("Connecting", 0, 0, 0);
    int error = device_open(&w->dev, where, m, why, size);
    if (error || !w->expected_serial)
        return error;
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    if (strcmp(serial, w->expected_serial) == 0)
        return BIL_OK;
    snprintf(why, size, "serial number %s answers there, not %s", serial, w->expected_serial);
    device_close(&w->dev);
    return BIL_E_OTHER_UNIT;
}

/* Finds the unit: at its address, or, after a write that changed that and broke off, where it may be by now. */
int write_open_unit(write_call *w, const models *m)
{
    char why[500], there[ADDRESS_TEXT], other[500];
    int error = open_at(w, w->address, m, why, sizeof why);
    if (error && w->recorded_address && address_is_device(w->recorded_address) &&
        strcmp(w->recorded_address, w->address) != 0 &&
        open_at(w, w->recorded_address, m, other, sizeof other) == BIL_OK) {
        w->address = w->recorded_address;
        error = BIL_OK;
    }
    for (size_t i = 0; error && i < sizeof w->numbers / sizeof w->numbers[0]; i++)
        if (w->numbers[i] && other_number(w->address, w->numbers[i], there) && strcmp(there, w->address) != 0 &&
            open_at(w, there, m, other, sizeof other) == BIL_OK) {
            snprintf(w->moved_address, sizeof w->moved_address, "%s", there);
            w->address = w->moved_address;
            error = BIL_OK;
        }
    progress_clear();
    if (error)
        return say_error(w->address, error, why);
    address where;
    if (address_parse(w->address, &where, why, sizeof why) == BIL_OK)
        w->config.unit = BIL_UNIT(where.unit);
    if (w->config.kind == BIL_JOB_RESET) {
        write_want_factory_values(w);
    }
    if (models_is_disputed(m, w->want.description) && !w->goes_on && !w->rehearse) {
        device_close(&w->dev);
        return say_error(
            w->want.description->model, BIL_E_DISPUTED,
            "there are two descriptions of this model that differ, and nobody has decided which one counts");
    }
    if (w->dev.description == w->want.description)
        return -1;
    snprintf(why, sizeof why, "the copy is from model %s, this is model %s", w->want.description->model,
             w->dev.description->model);
    device_close(&w->dev);
    return say_error(w->address, BIL_E_OTHER_MODEL, why);
}
