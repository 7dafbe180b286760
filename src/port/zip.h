/* ZIP archives (PKWARE APPNOTE 6.3) by minizip: one file after the other, deflated, names in UTF-8, sizes beyond 4 GiB
 * where need be.
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

/* ---- writing ---- */

typedef struct zip_out {
    void *zip;
    FILE *file;
    bool failed;
} zip_out;

/* Begins one in an empty file that can be positioned; that stays the caller's. Nothing that fails is forgotten:
 * zip_out_end tells. */
void zip_out_begin(zip_out *z, FILE *file);
/* The next file, of this size; `runs`: it is a program. Then its bytes. */
void zip_out_file(zip_out *z, const char *name, uint64_t size, bool runs);
void zip_out_put(zip_out *z, const void *bytes, size_t size);
/* Ends it. False when anything went wrong; errno may tell why. */
bool zip_out_end(zip_out *z);

/* ---- reading ---- */

enum { ZIP_NAME = 1024 };

typedef struct zip_in {
    void *zip;
    FILE *file;
    uint64_t next;      /* where the next file has to begin */
    uint64_t after, by; /* where its successor may, at the earliest, and how what describes it is told (flags) */
    bool began, open;
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
