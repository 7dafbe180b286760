/* ZIP archives (PKWARE APPNOTE 6.3): one file after the other, deflated, names in UTF-8, sizes beyond 4 GiB where need
 * be. Over zlib alone: minizip writes through a null pointer where memory ends, and finds no sizes of eight bytes.
 * Numbers of sections in what follows are APPNOTE's.
 *
 * Who unpacks an archive may believe either the names before each file or those in the directory at its end, and may
 * see what stands between. Here both have to agree, in the same order, the files lie one behind the other from the
 * beginning to the directory, and nothing stands behind that. */
#ifndef BIL_PORT_ZIP_H
#define BIL_PORT_ZIP_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>

enum { ZIP_NAME = 1024 };

/* ---- writing ---- */

typedef struct zip_out {
    FILE *file;
    void *packer;
    bool failed;
    uint64_t at; /* how far it is written */
    /* the file that is open; "": none */
    char name[ZIP_NAME];
    bool runs, wide;
    uint64_t head, bytes, packed; /* where it begins, its size, and the size it takes there */
    uint32_t sum, when;
    /* what will stand in the directory */
    uint8_t *directory;
    size_t used, room;
    uint64_t count;
} zip_out;

/* Begins one in an empty file that can be positioned; that stays the caller's. Nothing that fails is forgotten:
 * zip_out_end tells. */
void zip_out_begin(zip_out *z, FILE *file);
/* The next file, of this size or a little more or less; `runs`: it is a program. Then its bytes. */
void zip_out_file(zip_out *z, const char *name, uint64_t size, bool runs);
void zip_out_put(zip_out *z, const void *bytes, size_t size);
/* Ends it. False when anything went wrong; errno may tell why. */
bool zip_out_end(zip_out *z);

/* ---- reading ---- */

typedef struct zip_in {
    FILE *file;
    void *unpacker;
    uint64_t left, line, directory, end; /* lines of the directory, the next one, the first one, and behind them */
    uint64_t next;                       /* where the next file has to begin */
    /* the file that is open */
    bool open;
    unsigned flags, method;
    uint64_t at, packed, bytes; /* its next packed byte, how many are left of those, and its size */
    uint32_t sum;
    uint64_t got;
    uint32_t its_sum; /* of what was got */
    uint8_t block[16384];
} zip_in;

typedef struct zip_file {
    char name[ZIP_NAME]; /* as it stands there */
    bool regular;        /* no folder, no link, not encrypted, and of a kind that can be read */
    uint64_t bytes;      /* as the directory says */
} zip_file;

/* False when it isn't one. */
bool zip_in_begin(zip_in *z, const char *path);
/* The next file: 1, 0 behind the last one, or -1 where the archive is cut, damaged, or says two things. */
int zip_in_next(zip_in *z, zip_file *file);
/* Its bytes: how many, 0 at its end (and they have the checksum that the archive says), or -1. */
long zip_in_get(zip_in *z, void *bytes, size_t size);
void zip_in_end(zip_in *z);

#endif
