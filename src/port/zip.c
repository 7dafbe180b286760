#include "port/zip.h"

#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <zlib.h>

#include <minizip/unzip.h>
#include <minizip/zip.h>

enum { UTF8 = 1 << 11, ENCRYPTED = 1, DESCRIBED = 1 << 3, UNIX = 3 << 8 };

/* ---- writing: into a file that is open already ---- */

static voidpf take(voidpf opaque, const void *name, int mode)
{
    (void)name;
    (void)mode;
    return opaque;
}

static uLong get(voidpf opaque, voidpf stream, void *bytes, uLong size)
{
    (void)opaque;
    return fread(bytes, 1, size, stream);
}

static uLong put(voidpf opaque, voidpf stream, const void *bytes, uLong size)
{
    (void)opaque;
    return fwrite(bytes, 1, size, stream);
}

static ZPOS64_T where(voidpf opaque, voidpf stream)
{
    (void)opaque;
    return (ZPOS64_T)ftello(stream);
}

static long go(voidpf opaque, voidpf stream, ZPOS64_T offset, int origin)
{
    (void)opaque;
    return fseeko(stream, (off_t)offset,
                  origin == ZLIB_FILEFUNC_SEEK_CUR   ? SEEK_CUR
                  : origin == ZLIB_FILEFUNC_SEEK_END ? SEEK_END
                                                     : SEEK_SET);
}

static int leave(voidpf opaque, voidpf stream)
{
    (void)opaque;
    return fflush(stream);
}

static int failed(voidpf opaque, voidpf stream)
{
    (void)opaque;
    return ferror((FILE *)stream);
}

void zip_out_begin(zip_out *z, FILE *file)
{
    zlib_filefunc64_def calls = {take, get, put, where, go, leave, failed, file};
    *z = (zip_out){.zip = zipOpen2_64("", APPEND_STATUS_CREATE, NULL, &calls), .file = file};
    z->failed = z->zip == NULL;
}

void zip_out_file(zip_out *z, const char *name, uint64_t size, bool runs)
{
    time_t now = time(NULL);
    struct tm at;
    localtime_r(&now, &at);
    zip_fileinfo info = {.tmz_date = {(uInt)at.tm_sec, (uInt)at.tm_min, (uInt)at.tm_hour, (uInt)at.tm_mday,
                                      (uInt)at.tm_mon, (uInt)at.tm_year + 1900},
                         .external_fa = (uLong)(S_IFREG | (runs ? 0755 : 0644)) << 16};
    z->failed =
        z->failed || zipOpenNewFileInZip4_64(z->zip, name, &info, NULL, 0, NULL, 0, NULL, Z_DEFLATED,
                                             Z_DEFAULT_COMPRESSION, 0, -MAX_WBITS, DEF_MEM_LEVEL, Z_DEFAULT_STRATEGY,
                                             NULL, 0, UNIX | 20, UTF8, size > UINT32_MAX - (1u << 20)) != ZIP_OK;
}

void zip_out_put(zip_out *z, const void *bytes, size_t size)
{
    z->failed = z->failed || zipWriteInFileInZip(z->zip, bytes, (unsigned)size) != ZIP_OK;
}

bool zip_out_end(zip_out *z)
{
    bool good = z->zip && zipClose(z->zip, NULL) == ZIP_OK && !z->failed && fflush(z->file) == 0 && !ferror(z->file);
    z->zip = NULL;
    return good;
}

/* ---- reading ---- */

static uint32_t low_first(const uint8_t *bytes, int count)
{
    uint32_t number = 0;
    while (count-- > 0)
        number = number << 8 | bytes[count];
    return number;
}

static bool read_at(FILE *file, uint64_t at, void *bytes, size_t size)
{
    return at <= INT64_MAX && fseeko(file, (off_t)at, SEEK_SET) == 0 && fread(bytes, 1, size, file) == size;
}

bool zip_in_begin(zip_in *z, const char *path)
{
    enum { END = 22 }; /* of the archive, without a comment (4.3.16) */
    uint8_t end[END];
    *z = (zip_in){.file = fopen(path, "rb")};
    bool good = z->file && fseeko(z->file, -END, SEEK_END) == 0 && fread(end, 1, END, z->file) == END &&
                memcmp(end, "PK\5\6", 4) == 0;
    if (good)
        z->zip = unzOpen64(path);
    if (!z->zip)
        zip_in_end(z);
    return z->zip != NULL;
}

/* Is what stands at `next` the beginning of what the directory says, and are its bytes right behind it (4.3.7)? */
static bool begins_there(const zip_in *z, const char *name)
{
    enum { HEAD = 30 };
    uint8_t head[HEAD];
    char its[ZIP_NAME];
    size_t length = strlen(name);
    if (!read_at(z->file, z->next, head, HEAD) || memcmp(head, "PK\3\4", 4) != 0 || low_first(head + 26, 2) != length ||
        fread(its, 1, length, z->file) != length || memcmp(its, name, length) != 0)
        return false;
    return unzGetCurrentFileZStreamPos64(z->zip) == z->next + HEAD + length + low_first(head + 28, 2);
}

/* A file may be followed by its sizes (4.3.9), with a mark or without, in 4 or 8 bytes: what comes behind that has to
 * be the next file, or the directory. */
static bool step_over(zip_in *z)
{
    static const uint8_t sizes[] = {16, 12, 24, 20};
    uint8_t mark[4];
    for (size_t i = 0; i < (z->by & DESCRIBED ? sizeof sizes : 1); i++) {
        uint64_t at = z->after + (z->by & DESCRIBED ? sizes[i] : 0);
        if (read_at(z->file, at, mark, 4) && (memcmp(mark, "PK\3\4", 4) == 0 || memcmp(mark, "PK\1\2", 4) == 0)) {
            z->next = at;
            return true;
        }
    }
    return false;
}

static int behind_the_last(const zip_in *z)
{
    uint8_t mark[4];
    return read_at(z->file, z->next, mark, 4) && memcmp(mark, "PK\1\2", 4) == 0 ? 0 : -1;
}

int zip_in_next(zip_in *z, zip_file *file)
{
    unz_file_info64 info;
    if (z->open)
        unzCloseCurrentFile(z->zip);
    z->open = false;
    if (z->began && !step_over(z))
        return -1;
    int result = z->began ? unzGoToNextFile(z->zip) : unzGoToFirstFile(z->zip);
    if (result == UNZ_END_OF_LIST_OF_FILE)
        return behind_the_last(z);
    z->began = true;
    if (result != UNZ_OK || unzGetCurrentFileInfo64(z->zip, &info, NULL, 0, NULL, 0, NULL, 0) != UNZ_OK ||
        info.size_filename >= sizeof file->name ||
        unzGetCurrentFileInfo64(z->zip, &info, file->name, sizeof file->name, NULL, 0, NULL, 0) != UNZ_OK ||
        strlen(file->name) != info.size_filename)
        return -1;
    uLong kind = info.version >> 8 == 3 ? info.external_fa >> 16 & S_IFMT : 0; /* of Unix; else it has none */
    file->regular = (kind == 0 || kind == S_IFREG) && !(info.flag & ENCRYPTED) &&
                    file->name[info.size_filename ? info.size_filename - 1 : 0] != '/';
    file->bytes = info.uncompressed_size;
    if (!file->regular)
        return 1;
    z->open = unzOpenCurrentFile(z->zip) == UNZ_OK;
    if (!z->open || !begins_there(z, file->name))
        return -1;
    z->by = info.flag;
    z->after = unzGetCurrentFileZStreamPos64(z->zip) + info.compressed_size;
    return 1;
}

long zip_in_get(zip_in *z, void *bytes, size_t size)
{
    if (!z->open)
        return -1;
    int got = unzReadCurrentFile(z->zip, bytes, (unsigned)size);
    if (got != 0)
        return got < 0 ? -1 : got;
    z->open = false;
    return unzCloseCurrentFile(z->zip) == UNZ_OK ? 0 : -1;
}

void zip_in_end(zip_in *z)
{
    if (z->zip && z->open)
        unzCloseCurrentFile(z->zip);
    if (z->zip)
        unzClose(z->zip);
    if (z->file)
        fclose(z->file);
    *z = (zip_in){0};
}
