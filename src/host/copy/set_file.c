#include "host/copy/set_file.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "host/base/float_text.h"
#include "port/base64.h"
#include "port/digest.h"
#include "port/memory.h"

/* ---- reading ---- */

static void take_origin(set_origin *o, const bil_set_header *h)
{
    bil_str_plain(h->vendor, o->vendor, SET_TEXT);
    bil_str_plain(h->model, o->model, SET_TEXT);
    bil_str_plain(h->hardware, o->hardware, SET_TEXT);
    bil_str_plain(h->firmware, o->firmware, SET_TEXT);
    bil_str_plain(h->serial, o->serial, SET_TEXT);
    bil_str_plain(h->device, o->device, SET_TEXT);
    bil_str_plain(h->description, o->description, SET_TEXT);
    bil_str_plain(h->layout, o->layout, SET_TEXT);
    bil_str_plain(h->parent, o->parent, SET_TEXT);
    bil_str_plain(h->when, o->when, SET_TEXT);
    bil_str_plain(h->who, o->who, SET_TEXT);
    bil_str_plain(h->why, o->why, SET_TEXT);
    bil_str_plain(h->scope, o->scope, SET_TEXT);
    bil_str_plain(h->from, o->from, SET_TEXT);
    o->revision = h->revision;
}

static int complain(set_file *set, int error)
{
    if (!set->lines || line_file_error(set->lines))
        snprintf(set->why, sizeof set->why, "%s: %s", set->path, storage_why(errno));
    else
        snprintf(set->why, sizeof set->why, "%s:%u: %s", set->path, set->reader.line, bil_host_error_text(error));
    return error;
}

/* The end line has been taken: does the file end there, and is it what the line says? */
static int check_end(set_file *set)
{
    const char *line;
    size_t length;
    if (line_file_look(set->lines, &line, &length)) {
        set->reader.line++;
        return BIL_E_SET_AFTER_END;
    }
    uint8_t digest[BIL_SHA256];
    line_file_digest(set->lines, digest);
    return memcmp(digest, set->reader.totals.digest, BIL_SHA256) == 0 ? BIL_OK : BIL_E_SET_ALTERED;
}

/* Looks at the line behind the one given last. */
static bool look_next(set_file *set, const char **line, size_t *length)
{
    if (set->given)
        line_file_take(set->lines);
    set->given = false;
    return line_file_look(set->lines, line, length);
}

/* Where the chunks of this file begin, so that its bytes can be had later. */
static int put_aside(set_file *set, uint64_t at)
{
    file_store *s = set->files;
    if (!set->opened_again && !files_keep(s, line_file_again(set->lines)))
        return mem_is_short() ? BIL_E_MEMORY : storage_open_error();
    set->opened_again = true;
    return files_add(s, s->fds[s->fd_count - 1], at, set->bytes.raw) ? BIL_OK : BIL_E_MEMORY;
}

/* The next line; `kind` is BIL_LINE_END at the end of a whole file. What the item says stays good until the next call.
 */
static int next_line(set_file *set, bil_line_kind *kind)
{
    const char *line;
    size_t length;
    if (!look_next(set, &line, &length)) {
        errno = line_file_error(set->lines);
        set->reader.line++;
        return complain(set, errno ? storage_open_error() : BIL_E_SET_CUT);
    }
    set->given = true;
    int error = bil_set_reader_line(&set->reader, line, length, kind);
    if (!error)
        error = set_bytes_follow(&set->bytes, &set->reader, *kind);
    if (!error && *kind == BIL_LINE_FILE && set->files && !set->bytes.is_seal)
        error = put_aside(set, line_file_at(set->lines) + length);
    if (!error && *kind == BIL_LINE_CHUNK && set->files && set->bytes.is_seal &&
        !seals_put(&set->files->seals, &set->bytes.seal))
        error = BIL_E_MEMORY;
    if (!error && *kind == BIL_LINE_END) {
        line_file_take(set->lines);
        error = check_end(set);
    }
    return error ? complain(set, error) : BIL_OK;
}

int set_file_open(set_file *set, const char *path, set_care care)
{
    memset(set, 0, sizeof *set);
    set->path = path;
    set->lines = line_file_open(path);
    if (!set->lines)
        return complain(set, storage_open_error());
    if (!set_bytes_open(&set->bytes) || (care == SET_WHOLLY && !digest_open(&set->values))) {
        set_file_close(set);
        return complain(set, BIL_E_MEMORY);
    }
    bil_set_reader_init(&set->reader, (bil_digest){0}, set->values);
    bil_line_kind kind;
    int error = next_line(set, &kind);
    if (!error)
        take_origin(&set->origin, &set->reader.header);
    else
        set_file_close(set);
    return error;
}

static uint32_t skip_equal(void *ctx)
{
    set_pair *pair = ctx;
    static const char value[] = "{\"id\":", type[] = "\"type\":\"file\""; /* whose bytes are still to come */
    const char *a, *b;
    size_t m, n;
    uint32_t count = 0;
    size_t head = sizeof value, group = pair->group ? strlen(pair->group) : 0; /* with the quote before the id */
    while (look_next(pair->left, &a, &m) && look_next(pair->right, &b, &n) && m == n && m > sizeof value &&
           memcmp(a, value, sizeof value - 1) == 0 && memcmp(a, b, m) == 0 && !memmem(a, m, type, sizeof type - 1) &&
           (!group || (m > head + group && memcmp(a + head, pair->group, group) == 0 &&
                       (a[head + group] == '.' || a[head + group] == '"')))) {
        pair->left->given = pair->right->given = true;
        count++;
    }
    pair->left->reader.line += count;
    pair->right->reader.line += count;
    return count;
}

bil_skip set_pair_skip(set_pair *pair)
{
    return (bil_skip){skip_equal, pair};
}

static int next_item(void *ctx, bil_item *item)
{
    set_file *set = ctx;
    for (;;) {
        bil_line_kind kind;
        int error = next_line(set, &kind);
        if (error)
            return -error;
        if (kind == BIL_LINE_END)
            return 0;
        if (kind == BIL_LINE_LEFT_OUT && set->left_out)
            set->left_out(set->ctx, &set->reader.item);
        if (kind == BIL_LINE_FILE && set->file)
            set->file(set->ctx, set->reader.file);
        if (kind == BIL_LINE_VALUE) {
            *item = set->reader.item;
            return 1;
        }
    }
}

bil_source set_file_source(set_file *set)
{
    return (bil_source){next_item, set};
}

void set_file_close(set_file *set)
{
    if (set->lines)
        line_file_close(set->lines);
    set->lines = NULL;
    if (set->values.ctx)
        digest_close(&set->values);
    set_bytes_close(&set->bytes);
}

int set_file_glance(const char *path, set_origin *origin, bil_set_totals *totals)
{
    char head[BIL_SET_LINE], tail[512];
    int fd = storage_open(path, STORAGE_COPY_MOST);
    if (fd < 0)
        return storage_open_error();
    off_t size = lseek(fd, 0, SEEK_END);
    ssize_t first = pread(fd, head, sizeof head, 0);
    off_t from = size > (off_t)sizeof tail ? size - (off_t)sizeof tail : 0;
    ssize_t last = pread(fd, tail, sizeof tail, from);
    close(fd);
    if (first <= 0 || last <= 0)
        return BIL_E_SET_CUT;
    const char *lf = memchr(head, '\n', (size_t)first);
    const char *end = memrchr(tail, '\n', (size_t)last - 1);
    if (!lf || !end || tail[last - 1] != '\n')
        return BIL_E_SET_CUT;
    bil_set_reader reader;
    bil_line_kind kind;
    bil_set_reader_init(&reader, (bil_digest){0}, (bil_digest){0});
    int error = bil_set_reader_line(&reader, head, (size_t)(lf - head) + 1, &kind);
    if (error)
        return error;
    take_origin(origin, &reader.header);
    error = bil_set_reader_line(&reader, end + 1, (size_t)(tail + last - (end + 1)), &kind);
    if (!error && kind != BIL_LINE_END)
        error = BIL_E_SET_CUT;
    *totals = reader.totals;
    return error;
}

int set_file_check(const char *path, set_origin *origin, bil_set_totals *totals, char *why, size_t size)
{
    set_file set;
    bil_item item;
    int error = set_file_open(&set, path, SET_WHOLLY), got = 1;
    while (!error && got == 1)
        got = next_item(&set, &item);
    if (got < 0)
        error = -got;
    snprintf(why, size, "%s", set.why);
    *origin = set.origin;
    *totals = set.reader.totals;
    set_file_close(&set);
    return error;
}

/* ---- writing ---- */

static bil_str str(const char *text)
{
    return (bil_str){text, strlen(text)};
}

static int put(FILE *file, int error, const char *line, size_t length)
{
    if (!error && fwrite(line, 1, length, file) != length)
        error = storage_error();
    return error;
}

/* The bytes of a file in lines. */
static int write_bytes(FILE *file, const bil_param *param, const uint8_t *raw, file_store *files,
                       bil_set_writer *writer)
{
    char line[BIL_SET_LINE], text[BIL_SET_CHUNK_TEXT + 1];
    uint8_t bytes[FILE_BLOCK];
    size_t length, had = 0;
    bil_bytes from;
    if (!files_to_give(files, raw, &from))
        return BIL_E_NO_BYTES;
    int error = bil_set_file(writer, str(param->id), bil_file_size(raw), line, &length);
    error = put(file, error, line, length);
    from.begin(from.ctx);
    uint64_t left = bil_file_size(raw);
    if (!error)
        error = files_put_lines(files, file, &left);
    for (; left > 0 && !error; left -= had) {
        size_t wanted = left < sizeof bytes ? (size_t)left : sizeof bytes;
        for (had = 0; had < wanted && !error;) {
            size_t now = from.give(from.ctx, bytes + had, wanted - had);
            had += now;
            error = now ? BIL_OK : files->error ? files->error : BIL_E_NO_BYTES;
        }
        for (size_t at = 0; at < had && !error; at += BIL_SET_CHUNK) {
            base64_encode(bytes + at, had - at < BIL_SET_CHUNK ? had - at : BIL_SET_CHUNK, text);
            error = bil_set_chunk(writer, str(text), line, &length);
            error = put(file, error, line, length);
        }
    }
    return error;
}

static int write_seal(FILE *file, const seal *one, bil_set_writer *writer)
{
    char line[BIL_SET_LINE], text[BIL_SET_CHUNK_TEXT + 1];
    size_t length;
    int error = bil_set_file(writer, str(one->id), one->size, line, &length);
    error = put(file, error, line, length);
    base64_encode(one->bytes, one->size, text);
    if (!error)
        error = bil_set_chunk(writer, str(text), line, &length);
    return put(file, error, line, length);
}

static int write_files(FILE *file, const bil_image *image, file_store *files, bil_set_writer *writer)
{
    const bil_description *d = image->description;
    int error = BIL_OK;
    for (uint16_t i = 0; i < d->count && !error; i++) {
        const seal *sealed = d->params[i].cls == BIL_CLASS_SECRET ? seals_find(&files->seals, d->params[i].id) : NULL;
        if (sealed)
            error = write_seal(file, sealed, writer);
        else if (d->params[i].format->type == BIL_FILE && image->state[i] == BIL_PRESENT &&
                 bil_file_size(bil_image_raw(image, i)))
            error = write_bytes(file, &d->params[i], bil_image_raw(image, i), files, writer);
    }
    return error;
}

/* `files` NULL: what is written is only looked at, and needs no bytes. */
static int write_lines(FILE *file, const bil_image *image, file_store *files, const set_origin *o,
                       bil_set_writer *writer, bil_digest *digests)
{
    bil_set_header header = {
        .vendor = str(o->vendor),
        .model = str(o->model),
        .hardware = str(o->hardware),
        .firmware = str(o->firmware),
        .serial = str(o->serial),
        .device = str(o->device),
        .description = str(o->description),
        .layout = str(o->layout),
        .revision = o->revision,
        .parent = str(o->parent),
        .when = str(o->when),
        .who = str(o->who),
        .why = str(o->why),
        .scope = str(o->scope),
        .from = str(o->from),
    };
    char line[BIL_SET_LINE];
    size_t length;
    int error = bil_set_begin(writer, digests[0], digests[1], &host_floats, &header, line, &length);
    error = put(file, error, line, length);
    const bil_description *d = image->description;
    for (uint16_t i = 0; i < d->count && !error; i++)
        if (bil_class_left_out((bil_class)d->params[i].cls)) {
            error = bil_set_left_out(writer, &d->params[i], line, &length);
            error = put(file, error, line, length);
        }
    for (uint16_t i = 0; i < d->count && !error; i++)
        if (!bil_class_left_out((bil_class)d->params[i].cls) && image->state[i] != BIL_ABSENT) {
            error = bil_set_value(writer, image, i, line, &length);
            error = put(file, error, line, length);
        }
    if (!error && files)
        error = write_files(file, image, files, writer);
    if (!error)
        error = bil_set_end(writer, line, &length);
    return put(file, error, line, length);
}

int set_file_save(const bil_image *image, file_store *files, const set_origin *origin, const char *folder,
                  const char *name, char *path, bil_set_totals *totals)
{
    return set_file_save_changed(image, files, origin, folder, name, "", path, totals);
}

int set_file_save_changed(const bil_image *image, file_store *files, const set_origin *origin, const char *folder,
                          const char *name, const char *unless, char *path, bil_set_totals *totals)
{
    storage_file storage;
    int error = storage_begin(&storage, folder, name);
    if (error)
        return error;
    bil_digest digests[2] = {0};
    bil_set_writer writer;
    if (!digest_open(&digests[0]) || !digest_open(&digests[1]))
        error = BIL_E_MEMORY;
    else
        error = write_lines(storage.file, image, files, origin, &writer, digests);
    for (int i = 0; i < 2; i++)
        if (digests[i].ctx)
            digest_close(&digests[i]);
    if (error) {
        storage_cancel(&storage);
        return error;
    }
    *totals = writer.totals;
    char hex[2 * BIL_SHA256 + 1];
    set_digest_hex(totals->values_digest, hex);
    if (strcmp(hex, unless) == 0) {
        storage_cancel(&storage);
        path[0] = '\0';
        return BIL_OK;
    }
    set_digest_hex(totals->digest, hex);
    hex[SET_NAME_DIGEST] = '\0';
    storage_name_digest(&storage, hex);
    return storage_commit(&storage, folder, path);
}

bool set_is_offline(const set_origin *o)
{
    return strcmp(o->from, SET_OFFLINE) == 0;
}

void set_origin_of(set_origin *o, const bil_image *image)
{
    const bil_description *d = image->description;
    snprintf(o->vendor, SET_TEXT, "%s", d->vendor);
    snprintf(o->model, SET_TEXT, "%s", d->model);
    snprintf(o->description, SET_TEXT, "%s", d->model);
    snprintf(o->layout, SET_TEXT, "%s", d->layout);
    o->revision = d->revision;
    bil_image_identity(image, BIL_ID_HARDWARE, o->hardware, SET_TEXT);
    bil_image_identity(image, BIL_ID_FIRMWARE, o->firmware, SET_TEXT);
    bil_image_identity(image, BIL_ID_SERIAL, o->serial, SET_TEXT);
    bil_image_identity(image, BIL_ID_NAME, o->device, SET_TEXT);
}

/* ---- names ---- */

void set_digest_hex(const uint8_t digest[BIL_SHA256], char hex[2 * BIL_SHA256 + 1])
{
    for (int i = 0; i < BIL_SHA256; i++)
        snprintf(hex + 2 * i, 3, "%02x", digest[i]);
}

/* "20261123-071500" of such a text. */
static void set_time_compact(const char *when, char *out, size_t size)
{
    size_t used = 0;
    for (const char *c = when; *c && used + 2 < size; c++)
        if (*c >= '0' && *c <= '9')
            out[used++] = *c;
        else if (*c == 'T')
            out[used++] = '-';
    out[used] = '\0';
}

static size_t add_harmless(char *out, size_t used, size_t size, const char *text)
{
    for (; *text && used + 1 < size; text++) {
        bool good = (*text >= 'a' && *text <= 'z') || (*text >= 'A' && *text <= 'Z') ||
                    (*text >= '0' && *text <= '9') || *text == '-' || *text == '_';
        out[used++] = good ? *text : '-';
    }
    out[used] = '\0';
    return used;
}

void set_file_stem(const set_origin *o, char *out, size_t size)
{
    char when[40];
    set_time_compact(o->when, when, sizeof when);
    size_t used = add_harmless(out, 0, size < 60 ? size : 60, o->device[0] ? o->device : o->model);
    used = add_harmless(out, used, size, "_");
    used = add_harmless(out, used, size < 120 ? size : 120, o->serial[0] ? o->serial : "no-serial");
    used = add_harmless(out, used, size, "_");
    add_harmless(out, used, size, when);
}

bool set_values_digest(const bil_image *image, char hex[2 * BIL_SHA256 + 1])
{
    set_origin *nobody = mem_new(1, sizeof *nobody);
    FILE *nowhere = fopen("/dev/null", "w"); /* the lines are of no interest */
    bil_digest digests[2] = {0};
    bil_set_writer writer;
    bool good = nobody && nowhere && digest_open(&digests[0]) && digest_open(&digests[1]) &&
                write_lines(nowhere, image, NULL, nobody, &writer, digests) == BIL_OK;
    for (int i = 0; i < 2; i++)
        if (digests[i].ctx)
            digest_close(&digests[i]);
    if (nowhere)
        fclose(nowhere);
    mem_free(nobody);
    if (good)
        set_digest_hex(writer.totals.values_digest, hex);
    return good;
}
