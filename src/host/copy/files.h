/* What stands behind the values: the bytes of files, while they are read from a device, and in saved copies; and there
 * the seals of secrets. Files are told by what stands for them, their length and digest (value.h, type file), so that
 * it makes no difference where they are. Memory stays small whatever their size: what is read goes to a nameless file
 * of this computer, what a copy has is read where it stands. */
#ifndef BIL_HOST_COPY_FILES_H
#define BIL_HOST_COPY_FILES_H

#include <stdio.h>

#include "bilancia/link.h"
#include "bilancia/set.h"
#include "host/copy/seals.h"

/* One file that is at hand, in the lines that a copy has of it. */
typedef struct file_place {
    uint8_t raw[BIL_FILE_RAW];
    int fd;
    uint64_t at; /* where the first of them begins */
    bool own;    /* they were made here, and nobody else can change them */
} file_place;

enum { FILE_BLOCK = 16 * BIL_SET_CHUNK };

typedef struct file_store {
    int *fds; /* that it closes */
    size_t fd_count;
    file_place *list;
    size_t count;
    int spool; /* one more than the nameless file; 0: none yet */
    uint64_t end;
    /* what is taken, or given, just now */
    bil_digest digest;
    bool begun;
    uint64_t most, done;
    uint8_t *held; /* what isn't in lines yet; FILE_BLOCK bytes */
    size_t held_size;
    uint64_t lines; /* bytes of those that are */
    file_place giving;
    uint8_t *block; /* of a copy, decoded; FILE_BLOCK bytes */
    size_t block_at, block_size;
    int error;               /* of this computer: why any couldn't be taken, or the last one given */
    bool (*stop)(void *ctx); /* asked between blocks: is it to end? NULL: it isn't */
    void *stop_ctx;
    seals seals; /* of a copy */
} file_store;

void files_open(file_store *store);
void files_close(file_store *store);

/* For a link that reads a file of at most so many bytes; what came stays in the store. */
bil_bytes files_to_take(file_store *store, uint64_t most);
/* It came whole: its length and digest; zeros where nothing was begun. */
bool files_taken(file_store *store, uint8_t raw[BIL_FILE_RAW]);
/* For a link that writes it. False: it isn't at hand. */
bool files_to_give(file_store *store, const uint8_t raw[BIL_FILE_RAW], bil_bytes *bytes);

/* Of the file that is given, and was just begun: the lines of its full chunks go there as they stand, where they are
 * its own; else nothing does. What is left of its bytes is given as ever. BIL_OK, or an error of this computer. */
int files_put_lines(file_store *store, FILE *to, uint64_t *left);

/* Hands out all bytes of a file. BIL_E_NO_BYTES where they aren't at hand, BIL_E_FILE_WRITE where nobody takes them. */
int files_give_all(file_store *store, const uint8_t raw[BIL_FILE_RAW],
                   bool (*to)(void *ctx, const uint8_t *bytes, size_t count), void *ctx);

/* A file whose first chunk stands at this place of a set; `fd` stays with whoever gave it. */
bool files_add(file_store *store, int fd, uint64_t at, const uint8_t raw[BIL_FILE_RAW]);
/* Takes over a file descriptor, closed at the end. */
bool files_keep(file_store *store, int fd);
bool files_has(const file_store *store, const uint8_t raw[BIL_FILE_RAW]); /* or needs no bytes for it */
/* What the other one has of this becomes this one's, too. */
bool files_share(file_store *store, const file_store *from, const uint8_t raw[BIL_FILE_RAW]);
/* All that an image has. */
bool files_share_all(file_store *store, const file_store *from, const bil_image *image);

#endif
