/* Writing: each file behind the one before, and the directory in memory until the end. */
#include "port/zip.h"

#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <zlib.h>

enum { UTF8 = 1 << 11, UNIX = 3 << 8, DEFLATED = 8, PLAIN = 20, WIDE = 45 };
enum { BLOCK = 16384 };

/* ---- numbers, lowest byte first ---- */

typedef struct line {
    uint8_t bytes[80];
    size_t used;
} line;

static void say(line *l, uint64_t number, int count)
{
    for (; count > 0; count--, number >>= 8)
        l->bytes[l->used++] = (uint8_t)number;
}

/* What four bytes may not hold is told behind the name (4.5.3). */
static void say_size(line *l, bool wide, uint64_t number)
{
    say(l, wide ? UINT32_MAX : number, 4);
}

static void write_bytes(zip_out *z, const void *bytes, size_t size)
{
    z->failed = z->failed || fwrite(bytes, 1, size, z->file) != size;
    z->at += size;
}

/* ---- the directory, in memory until the end ---- */

static void note(zip_out *z, const void *bytes, size_t size)
{
    if (!z->failed && size > z->room - z->used) {
        size_t room = 2 * z->room + size;
        uint8_t *larger = realloc(z->directory, room);
        z->failed = !larger;
        if (larger) {
            z->directory = larger;
            z->room = room;
        }
    }
    if (z->failed)
        return;
    memcpy(z->directory + z->used, bytes, size);
    z->used += size;
}

/* What both a file's head and its line in the directory say (4.3.7, 4.3.12): from the version to the length of the
 * name. */
static void say_file(line *l, const zip_out *z, bool wide, size_t name)
{
    say(l, wide ? WIDE : PLAIN, 2);
    say(l, UTF8, 2);
    say(l, DEFLATED, 2);
    say(l, z->when, 4);
    say(l, z->sum, 4);
    say_size(l, wide, z->packed);
    say_size(l, wide, z->bytes);
    say(l, name, 2);
}

static void say_head(zip_out *z, const char *name)
{
    line l = {{0}, 0};
    size_t length = strlen(name);
    say(&l, 0x04034b50, 4);
    say_file(&l, z, z->wide, length);
    say(&l, z->wide ? 20 : 0, 2);
    write_bytes(z, l.bytes, l.used);
    write_bytes(z, name, length);
    if (!z->wide)
        return;
    l.used = 0;
    say(&l, 1, 2);
    say(&l, 16, 2);
    say(&l, z->bytes, 8);
    say(&l, z->packed, 8);
    write_bytes(z, l.bytes, l.used);
}

static void note_file(zip_out *z)
{
    line l = {{0}, 0};
    size_t length = strlen(z->name);
    bool wide = z->wide || z->head >= UINT32_MAX;
    say(&l, 0x02014b50, 4);
    say(&l, UNIX | WIDE, 2);
    say_file(&l, z, wide, length);
    say(&l, wide ? 28 : 0, 2);
    say(&l, 0, 2 + 2 + 2); /* no comment, the first disk, bytes and not text */
    say(&l, (uint64_t)(S_IFREG | (z->runs ? 0755 : 0644)) << 16, 4);
    say_size(&l, wide, z->head);
    note(z, l.bytes, l.used);
    note(z, z->name, length);
    if (!wide)
        return;
    l.used = 0;
    say(&l, 1, 2);
    say(&l, 24, 2);
    say(&l, z->bytes, 8);
    say(&l, z->packed, 8);
    say(&l, z->head, 8);
    note(z, l.bytes, l.used);
}

/* ---- files ---- */

void zip_out_begin(zip_out *z, FILE *file)
{
    *z = (zip_out){.file = file};
    z_stream *packer = calloc(1, sizeof *packer);
    z->failed = !packer || deflateInit2(packer, Z_DEFAULT_COMPRESSION, Z_DEFLATED, -MAX_WBITS, MAX_MEM_LEVEL - 1,
                                        Z_DEFAULT_STRATEGY) != Z_OK;
    if (z->failed)
        free(packer);
    else
        z->packer = packer;
}

static void pack(zip_out *z, const void *bytes, size_t size, int flush)
{
    uint8_t block[BLOCK];
    z_stream *packer = z->packer;
    packer->next_in = (z_const Bytef *)bytes;
    packer->avail_in = (uInt)size;
    do {
        packer->next_out = block;
        packer->avail_out = sizeof block;
        deflate(packer, flush); /* has room, and bytes or an end: it can't fail */
        z->packed += sizeof block - packer->avail_out;
        write_bytes(z, block, sizeof block - packer->avail_out);
    } while (!z->failed && packer->avail_out == 0);
}

/* Its head is written once more, now that its sizes and its sum are known. */
static void close_file(zip_out *z)
{
    if (!z->name[0] || z->failed)
        return;
    pack(z, NULL, 0, Z_FINISH);
    uint64_t end = z->at;
    bool too_large = !z->wide && (z->bytes > UINT32_MAX || z->packed > UINT32_MAX);
    z->failed = z->failed || too_large || fseeko(z->file, (off_t)z->head, SEEK_SET) != 0;
    say_head(z, z->name);
    z->at = end;
    z->failed = z->failed || fseeko(z->file, (off_t)end, SEEK_SET) != 0;
    note_file(z);
    z->count++;
}

static uint32_t dos_time(void)
{
    time_t now = time(NULL);
    struct tm t;
    localtime_r(&now, &t);
    unsigned date = (unsigned)(t.tm_year - 80) << 9 | (unsigned)(t.tm_mon + 1) << 5 | (unsigned)t.tm_mday;
    return (uint32_t)date << 16 | (uint32_t)t.tm_hour << 11 | (uint32_t)t.tm_min << 5 | (uint32_t)t.tm_sec / 2;
}

void zip_out_file(zip_out *z, const char *name, uint64_t size, bool runs)
{
    close_file(z);
    z->failed = z->failed || !name[0] || strlen(name) >= sizeof z->name || deflateReset(z->packer) != Z_OK;
    if (z->failed)
        return;
    snprintf(z->name, sizeof z->name, "%s", name);
    z->runs = runs;
    z->wide = size > UINT32_MAX - (1u << 20); /* what can't be packed grows a little */
    z->head = z->at;
    z->bytes = z->packed = 0;
    z->sum = 0;
    z->when = dos_time();
    say_head(z, name);
}

void zip_out_put(zip_out *z, const void *bytes, size_t size)
{
    if (z->failed || size == 0)
        return;
    z->bytes += size;
    z->sum = (uint32_t)crc32_z(z->sum, bytes, size);
    pack(z, bytes, size, Z_NO_FLUSH);
}

/* ---- its end: the directory (4.3.14 to 4.3.16) ---- */

static void say_end(zip_out *z, uint64_t directory)
{
    line l = {{0}, 0};
    uint64_t wide_end = z->at;
    bool wide = z->count >= UINT16_MAX || directory >= UINT32_MAX || z->used >= UINT32_MAX;
    if (wide) {
        say(&l, 0x06064b50, 4);
        say(&l, 44, 8);
        say(&l, UNIX | WIDE, 2);
        say(&l, WIDE, 2);
        say(&l, 0, 4 + 4);
        say(&l, z->count, 8);
        say(&l, z->count, 8);
        say(&l, z->used, 8);
        say(&l, directory, 8);
        say(&l, 0x07064b50, 4);
        say(&l, 0, 4);
        say(&l, wide_end, 8);
        say(&l, 1, 4);
        write_bytes(z, l.bytes, l.used);
        l.used = 0;
    }
    say(&l, 0x06054b50, 4);
    say(&l, 0, 2 + 2);
    say(&l, wide ? UINT16_MAX : z->count, 2);
    say(&l, wide ? UINT16_MAX : z->count, 2);
    say_size(&l, wide, z->used);
    say_size(&l, wide, directory);
    say(&l, 0, 2);
    write_bytes(z, l.bytes, l.used);
}

bool zip_out_end(zip_out *z)
{
    close_file(z);
    uint64_t directory = z->at;
    if (!z->failed && z->count > 0)
        write_bytes(z, z->directory, z->used);
    say_end(z, directory);
    bool good = !z->failed && fflush(z->file) == 0 && !ferror(z->file);
    if (z->packer)
        deflateEnd(z->packer);
    free(z->packer);
    free(z->directory);
    *z = (zip_out){0};
    return good;
}
