/* Files of a copy: taken from this computer, and given out of the copy. */
#include <errno.h>
#include <string.h>
#include <unistd.h>

#include "host/look/edit.h"

enum { PIECE = 1 << 16 };

static int cant(edited *o, const char *path, int error)
{
    snprintf(o->why, sizeof o->why, "%.600s: %s", path,
             error == BIL_E_RANGE ? "the device takes none so large" : bil_host_error_text(error));
    return error;
}

/* All of it into the store, with its length and digest; never more than `most`. */
static int take_all(file_store *s, int fd, uint64_t most, uint8_t raw[BIL_FILE_RAW])
{
    uint8_t bytes[PIECE];
    bil_bytes to = files_to_take(s, most);
    ssize_t got = 1;
    int error = to.begin(to.ctx) ? BIL_OK : s->error;
    while (!error && got > 0) {
        do
            got = read(fd, bytes, sizeof bytes);
        while (got < 0 && errno == EINTR);
        error = got < 0 ? storage_open_error() : to.take(to.ctx, bytes, (size_t)got);
    }
    if (error == BIL_E_SPACE) /* of this computer, where the bytes are kept meanwhile */
        error = s->error;
    return error ? error : files_taken(s, raw) ? BIL_OK : BIL_E_MEMORY;
}

int edit_put_file(edited *o, const char *id, const char *path)
{
    uint16_t index;
    uint8_t raw[BIL_FILE_RAW];
    int error = edit_find(o, id, &index);
    if (error)
        return error;
    const bil_param *p = &o->description->params[index];
    if (p->format->type != BIL_FILE) {
        snprintf(o->why, sizeof o->why, "%s (%s) is no file", id, p->name);
        return BIL_E_OTHER_TYPE;
    }
    int fd = storage_open(path, STORAGE_COPY_MOST);
    if (fd < 0)
        return cant(o, path, storage_open_error());
    error = take_all(&o->from.files, fd, p->format->high, raw);
    close(fd);
    bil_item item = {.id = {id, strlen(id)},
                     .unit = {p->unit, strlen(p->unit)},
                     .type = BIL_FILE,
                     .cls = (bil_class)p->cls,
                     .size = BIL_FILE_RAW};
    if (!error)
        memcpy(item.raw, raw, BIL_FILE_RAW);
    return error ? cant(o, path, error) : edit_take(o, &item);
}

int edit_give_file(edited *o, const char *id, bool (*take)(void *ctx, const uint8_t *bytes, size_t count), void *ctx)
{
    const bil_image *image = &o->from.image;
    int32_t index = bil_description_find(o->description, id, strlen(id));
    bool file = index >= 0 && o->description->params[index].format->type == BIL_FILE;
    if (!file || image->state[index] != BIL_PRESENT) {
        snprintf(o->why, sizeof o->why, "%.100s: %s", id, file ? "the copy doesn't have it" : "there is no such file");
        return file ? BIL_E_NO_BYTES : BIL_E_UNKNOWN_PARAMETER;
    }
    return files_give_all(&o->from.files, bil_image_raw(image, (uint16_t)index), take, ctx);
}
