/* Results that a job is given: any outcome, any cells, any clock. It must end, keep its promises, and stay in its
 * memory. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/job.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);
extern const bil_description bil_description_ed_30, bil_description_ec_8;

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size < 4)
        return 0;
    const bil_description *d = data[0] & 1 ? &bil_description_ed_30 : &bil_description_ec_8;
    size_t image_size = bil_image_size(d), job_size = bil_job_size(d), at = 4;
    bil_image have, want;
    void *a = malloc(image_size), *b = malloc(image_size), *c = malloc(job_size);
    bil_image_init(&have, d, a, image_size);
    bil_image_init(&want, d, b, image_size);
    memset(want.raw, data[1], d->raw_size);
    memset(want.state, BIL_PRESENT, d->count);
    bil_job_config config = {.struct_size = sizeof config,
                             .description = d,
                             .have = &have,
                             .want = &want,
                             .serial = "",
                             .firmware = d->firmwares[0],
                             .purpose_given = true,
                             .purpose = BIL_REPLACEMENT,
                             .with_calibration = data[0] & 2,
                             .restart = (bil_restart)(data[0] & 4 ? data[2] / 4 % BIL_RESTART_COUNT : 0),
                             .restart_ms = data[2] * 100u,
                             .unit = data[2] % 3u,
                             .has_password = data[0] & 8,
                             .held_before = data[0] & 16,
                             .found = data[2] % 4u,
                             .goes_back = data[3] & 2,
                             .trial = data[3] & 4,
                             .kind = data[3] & 1     ? BIL_JOB_START
                                     : data[0] & 32  ? BIL_JOB_READ
                                     : data[2] & 128 ? BIL_JOB_RESET
                                                     : BIL_JOB_WRITE};
    bil_job *job;
    bil_job_init(&job, c, job_size, &config);
    bil_action action;
    bil_result result = {0};
    bool saved = false, intended = false;
    bool honest = data[0] & 64; /* mostly as a good device, so that the fuzzer comes far */
    for (unsigned steps = 0; bil_job_step(job, &result, &action) == BIL_OK; steps++) {
        if (steps > 100000)
            abort(); /* it doesn't end */
        uint8_t dice = at < size ? data[at++] : (uint8_t)(steps * 37 + data[3]);
        result = (bil_result){.number = action.number, .now_ms = result.now_ms + (dice == 255 ? 60000 : dice)};
        if (dice == 77 && data[3] & 8)
            bil_job_cancel(job);
        bool good = honest ? dice % 16 != 0 : dice & 1;
        if (action.kind == BIL_ACT_END)
            break;
        if (action.kind == BIL_ACT_TRANSFER) {
            if (action.u.transfer.write && action.u.transfer.value && !(saved && intended))
                abort();
            result.outcome = good ? BIL_DONE : (bil_outcome)(dice / 16 % 5);
            result.cause = result.outcome == BIL_DONE      ? BIL_OK
                           : result.outcome == BIL_BUSY    ? BIL_E_BUSY
                           : result.outcome == BIL_REFUSED ? BIL_E_REFUSED
                           : dice & 4                      ? BIL_E_AT_WORK
                                                           : BIL_E_SILENT;
            const bil_transfer *t = &action.u.transfer;
            uint8_t *raw = t->raw;
            for (uint16_t i = 0; i < t->count && !t->write; i++) {
                uint16_t index = t->items[i];
                const bil_format *format = d->params[index].format;
                for (uint8_t k = 0; k < format->size; k++)
                    raw[k] = at < size ? data[at++] : (uint8_t)(k + 1 < format->size ? 0 : dice % 4u);
                t->cause[i] = !honest && dice % 32 == 3 ? BIL_E_ENCODING : BIL_OK;
                for (int which = 0; which <= BIL_ID_FIRMWARE && honest; which++) { /* right, to come past the gate */
                    const char *text = which == BIL_ID_VENDOR     ? d->vendor
                                       : which == BIL_ID_MODEL    ? d->model
                                       : which == BIL_ID_HARDWARE ? d->hardwares[0]
                                                                  : d->firmwares[0];
                    if (d->identity[which] != index)
                        continue;
                    memset(raw, 0, format->size);
                    memcpy(raw, text, strlen(text));
                }
                raw += format->size;
            }
        } else {
            result.outcome = good ? BIL_DONE : BIL_REFUSED;
            intended = intended || (action.kind == BIL_ACT_RECORD && good && action.u.record.event == BIL_EV_INTENT);
            saved = saved || (action.kind == BIL_ACT_SAVE && good);
        }
    }
    free(a);
    free(b);
    free(c);
    return 0;
}
