/* What stands behind the values of a set, line by line: files, each of which is one of these values, in their order,
 * and has the bytes that the value tells of; and seals of secrets that are left out. */
#ifndef BIL_HOST_COPY_SET_BYTES_H
#define BIL_HOST_COPY_SET_BYTES_H

#include "bilancia/set.h"
#include "host/copy/seals.h"

typedef struct set_bytes {
    bil_digest digest;
    struct awaited *list;
    size_t count, at;       /* values that have bytes; those of which a line came */
    struct secret *secrets; /* that are left out */
    size_t secret_count;
    bool is_seal; /* the file line last fed was one: then `seal` is it once its chunk came */
    seal seal;
    uint8_t raw[BIL_FILE_RAW]; /* of the file line last fed */
} set_bytes;

/* False when memory is short. */
bool set_bytes_open(set_bytes *b);
void set_bytes_close(set_bytes *b);
/* A line that the reader has taken. BIL_E_SET_COUNT, BIL_E_SET_ORDER, BIL_E_SET_LINE, BIL_E_SET_ALTERED, BIL_E_MEMORY.
 */
int set_bytes_follow(set_bytes *b, const bil_set_reader *reader, bil_line_kind kind);

#endif
