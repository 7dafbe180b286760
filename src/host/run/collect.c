#include "host/run/collect.h"

#include <string.h>

#include "bilancia/host_error.h"
#include "port/storage.h"

enum { READS = 4 };

/* Once; a device that is busy is asked again. */
static int read_file(device *dev, uint16_t index, uint8_t raw[BIL_FILE_RAW])
{
    const bil_description *d = dev->description;
    bil_bytes bytes = files_to_take(&dev->files, d->params[index].format->high);
    bil_outcome outcome = BIL_BUSY;
    bil_result result = {0};
    memset(raw, 0, BIL_FILE_RAW);
    for (unsigned tries = 0; outcome == BIL_BUSY && tries <= d->link.busy_tries; tries++) {
        uint8_t cause = BIL_OK;
        bil_transfer t = {.description = d, .items = &index, .count = 1, .raw = raw, .bytes = &bytes, .cause = &cause};
        if (tries)
            dev->clock.ops->sleep_until(dev->clock.ctx, dev->clock.ops->now_ms(dev->clock.ctx) + d->link.busy_ms);
        outcome = dev->link.ops->transfer(dev->link.ctx, &t, &result);
        if (outcome == BIL_DONE && cause)
            return cause;
    }
    if (dev->files.error)
        return dev->files.error; /* this computer couldn't keep it */
    if (outcome != BIL_DONE)
        return result.cause ? (int)result.cause : BIL_E_REFUSED;
    return files_taken(&dev->files, raw) ? BIL_OK : BIL_E_MEMORY;
}

static bool put(void *ctx, const uint8_t *bytes, size_t count)
{
    return fwrite(bytes, 1, count, ctx) == count;
}

static int save(file_store *files, const uint8_t *raw, const char *folder, const char *name, char *path)
{
    storage_file out;
    int error = storage_make_folder(folder, 0777);
    if (!error)
        error = storage_begin(&out, folder, name);
    if (error)
        return error;
    error = files_give_all(files, raw, put, out.file);
    if (!error)
        return storage_commit(&out, folder, path);
    storage_cancel(&out);
    return error;
}

int collect_file(device *dev, uint16_t index, bool twice, const keep *k, const char *stem, char *path)
{
    uint8_t raw[BIL_FILE_RAW], before[BIL_FILE_RAW];
    char name[300];
    path[0] = '\0';
    dev->files.error = BIL_OK;
    int error = read_file(dev, index, raw);
    if (error == BIL_E_LOST && !twice) { /* nobody said anything for long; a write has a say in that of its own */
        bil_result result = {0};
        const bil_connect to = {.description = dev->description};
        if (dev->link.ops->connect(dev->link.ctx, &to, &result) == BIL_DONE)
            error = read_file(dev, index, raw);
    }
    for (int reads = 1; !error && twice; reads++) {
        memcpy(before, raw, sizeof before);
        error = reads < READS ? read_file(dev, index, raw) : BIL_E_CHANGING;
        if (memcmp(before, raw, sizeof before) == 0)
            break;
    }
    if (error || !bil_file_size(raw))
        return error;
    snprintf(name, sizeof name, "%s_%s.dat", stem, dev->description->params[index].id);
    return save(&dev->files, raw, k->collected, name, path);
}
