/* Reading takes the directory at the end for what is there, and each file's own head for what may not contradict it. */
#include "port/zip.h"

#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <zlib.h>

enum { ENCRYPTED = 1, DESCRIBED = 1 << 3, STORED = 0, DEFLATED = 8, UNIX = 3 };
enum { HEAD = 30, LINE = 46, END = 22, LOCATOR = 20, WIDE_END = 56 };

static uint64_t number(const uint8_t *bytes, int count)
{
    uint64_t value = 0;
    while (count-- > 0)
        value = value << 8 | bytes[count];
    return value;
}

static bool read_at(FILE *file, uint64_t at, void *bytes, size_t size)
{
    return at <= INT64_MAX && fseeko(file, (off_t)at, SEEK_SET) == 0 && fread(bytes, 1, size, file) == size;
}

/* ---- the end (4.3.14 to 4.3.16): how many files, and where their directory stands ---- */

static bool take_end(zip_in *z)
{
    uint8_t end[END], locator[LOCATOR], wide[WIDE_END];
    if (fseeko(z->file, -END, SEEK_END) != 0)
        return false;
    uint64_t at = (uint64_t)ftello(z->file);
    if (fread(end, 1, END, z->file) != END || memcmp(end, "PK\5\6", 4) != 0)
        return false;
    z->left = number(end + 10, 2);
    z->line = number(end + 16, 4);
    z->end = z->line + number(end + 12, 4);
    if (z->left == UINT16_MAX || z->line == UINT32_MAX || number(end + 12, 4) == UINT32_MAX) {
        if (at < LOCATOR || !read_at(z->file, at - LOCATOR, locator, LOCATOR) || memcmp(locator, "PK\6\7", 4) != 0)
            return false;
        at -= LOCATOR;
        if (number(locator + 8, 8) + WIDE_END != at || !read_at(z->file, at - WIDE_END, wide, WIDE_END) ||
            memcmp(wide, "PK\6\6", 4) != 0)
            return false;
        at -= WIDE_END;
        z->left = number(wide + 32, 8);
        z->line = number(wide + 48, 8);
        z->end = z->line + number(wide + 40, 8);
    }
    z->directory = z->line;
    return z->line <= z->end && z->end == at;
}

bool zip_in_begin(zip_in *z, const char *path)
{
    *z = (zip_in){.file = fopen(path, "rb")};
    z_stream *unpacker = calloc(1, sizeof *unpacker);
    if (unpacker && inflateInit2(unpacker, -MAX_WBITS) == Z_OK)
        z->unpacker = unpacker;
    else
        free(unpacker);
    if (z->file && z->unpacker && take_end(z))
        return true;
    zip_in_end(z);
    return false;
}

/* ---- what is said of a file ---- */

/* Sizes that four bytes don't hold stand behind the name (4.5.3), those that are missing one after the other. */
static bool take_wide(FILE *file, uint64_t at, uint64_t length, uint64_t *const *missing, int count)
{
    uint8_t bytes[24];
    uint64_t end = at + length;
    while (count > 0 && *missing[0] != UINT32_MAX)
        missing++, count--;
    while (count > 0 && at + 4 <= end && read_at(file, at, bytes, 4)) {
        uint64_t size = number(bytes + 2, 2);
        if (number(bytes, 2) == 1) {
            for (at += 4; count > 0; missing++, count--) {
                if (*missing[0] != UINT32_MAX)
                    continue;
                if (size < 8 || at + 8 > end || !read_at(file, at, bytes, 8))
                    return false;
                *missing[0] = number(bytes, 8);
                at += 8;
                size -= 8;
            }
            return true;
        }
        at += 4 + size;
    }
    return count == 0;
}

/* The next line of the directory (4.3.12). */
static bool take_line(zip_in *z, zip_file *file, uint64_t *begin)
{
    uint8_t line[LINE];
    if (!read_at(z->file, z->line, line, LINE) || memcmp(line, "PK\1\2", 4) != 0)
        return false;
    size_t name = (size_t)number(line + 28, 2);
    uint64_t extra = number(line + 30, 2), at = z->line + LINE + name;
    z->line = at + extra + number(line + 32, 2);
    if (z->line > z->end || name == 0 || name >= sizeof file->name || fread(file->name, 1, name, z->file) != name)
        return false;
    file->name[name] = '\0';
    z->flags = (unsigned)number(line + 8, 2);
    z->method = (unsigned)number(line + 10, 2);
    z->sum = (uint32_t)number(line + 16, 4);
    z->packed = number(line + 20, 4);
    z->bytes = number(line + 24, 4);
    *begin = number(line + 42, 4);
    uint64_t kind = line[5] == UNIX ? number(line + 38, 4) >> 16 & S_IFMT : 0; /* else it has none */
    file->regular = (kind == 0 || kind == S_IFREG) && !(z->flags & ENCRYPTED) && file->name[name - 1] != '/' &&
                    (z->method == STORED || z->method == DEFLATED);
    uint64_t *const wide[] = {&z->bytes, &z->packed, begin};
    if (strlen(file->name) != name || !take_wide(z->file, at, extra, wide, 3))
        return false;
    file->bytes = z->bytes;
    return true;
}

/* Does the file's own head (4.3.7) say the same? Its bytes stand behind that. */
static bool take_head(zip_in *z, const char *name)
{
    uint8_t head[HEAD];
    char its[ZIP_NAME];
    size_t length = strlen(name);
    if (!read_at(z->file, z->at, head, HEAD) || memcmp(head, "PK\3\4", 4) != 0 || number(head + 26, 2) != length ||
        fread(its, 1, length, z->file) != length || memcmp(its, name, length) != 0 || number(head + 6, 2) != z->flags ||
        number(head + 8, 2) != z->method)
        return false;
    uint64_t packed = number(head + 18, 4), bytes = number(head + 22, 4), extra = number(head + 28, 2);
    uint64_t *const wide[] = {&bytes, &packed};
    if (!(z->flags & DESCRIBED) && (!take_wide(z->file, z->at + HEAD + length, extra, wide, 2) || packed != z->packed ||
                                    bytes != z->bytes || number(head + 14, 4) != z->sum))
        return false;
    z->at += HEAD + length + extra;
    return z->packed <= INT64_MAX && z->at + z->packed <= z->directory;
}

/* A file may be followed by its sum and its sizes (4.3.9), with a mark or without, in 4 or 8 bytes. */
static bool step_over_description(zip_in *z)
{
    static const uint8_t marks[] = {4, 0, 4, 0}, widths[] = {4, 4, 8, 8};
    uint8_t its[24];
    for (int i = 0; z->flags & DESCRIBED && i < 4; i++) {
        size_t mark = marks[i], width = widths[i], size = mark + 4 + 2 * width;
        const uint8_t *sizes = its + mark;
        if (!read_at(z->file, z->next, its, size) || memcmp(its, "PK\7\10", mark) != 0 || number(sizes, 4) != z->sum ||
            number(sizes + 4, (int)width) != z->packed || number(sizes + 4 + width, (int)width) != z->bytes)
            continue;
        z->next += size;
        return true;
    }
    return !(z->flags & DESCRIBED);
}

int zip_in_next(zip_in *z, zip_file *file)
{
    uint64_t begin;
    z->open = false;
    if (z->left == 0)
        return z->line == z->end && z->next == z->directory ? 0 : -1;
    z->left--;
    z->at = z->next;
    if (!take_line(z, file, &begin) || begin != z->at || !take_head(z, file->name) || inflateReset(z->unpacker) != Z_OK)
        return -1;
    z->next = z->at + z->packed;
    if (!step_over_description(z))
        return -1;
    ((z_stream *)z->unpacker)->avail_in = 0;
    z->got = 0;
    z->its_sum = 0;
    z->open = file->regular;
    return 1;
}

/* ---- its bytes ---- */

/* As many of them as `most`, packed as they lie there; -1 where they can't be read. */
static long take_packed(zip_in *z, void *bytes, uint64_t most)
{
    size_t now = (size_t)(z->packed < most ? z->packed : most);
    if (!read_at(z->file, z->at, bytes, now))
        return -1;
    z->at += now;
    z->packed -= now;
    return (long)now;
}

static long unpack(zip_in *z, void *bytes, size_t size)
{
    z_stream *unpacker = z->unpacker;
    unpacker->next_out = bytes;
    unpacker->avail_out = (uInt)size;
    int result = Z_OK;
    while (result == Z_OK && unpacker->avail_out == size) {
        if (unpacker->avail_in == 0) {
            long now = take_packed(z, z->block, sizeof z->block);
            if (now < 0)
                return -1;
            unpacker->next_in = z->block;
            unpacker->avail_in = (uInt)now;
        }
        result = inflate(unpacker, Z_NO_FLUSH);
    }
    bool ended = result == Z_STREAM_END && unpacker->avail_in == 0 && z->packed == 0;
    return result == Z_OK || ended ? (long)(size - unpacker->avail_out) : -1;
}

long zip_in_get(zip_in *z, void *bytes, size_t size)
{
    enum { AT_ONCE = 1 << 20 };
    if (!z->open)
        return -1;
    size = size < AT_ONCE ? size : AT_ONCE;
    long now = z->method == STORED ? take_packed(z, bytes, size) : unpack(z, bytes, size);
    z->got += now > 0 ? (uint64_t)now : 0;
    if (now > 0)
        z->its_sum = (uint32_t)crc32_z(z->its_sum, bytes, (size_t)now);
    z->open = now > 0;
    bool ended = now == 0 && z->got == z->bytes && z->its_sum == z->sum;
    return ended || (now > 0 && z->got <= z->bytes) ? now : -1;
}

void zip_in_end(zip_in *z)
{
    if (z->unpacker)
        inflateEnd(z->unpacker);
    free(z->unpacker);
    if (z->file)
        fclose(z->file);
    *z = (zip_in){0};
}
