/* The files of a set, line by line: each is one of its values, in their order, and its bytes are those that the value
 * tells of. */
#ifndef BIL_HOST_COPY_SET_BYTES_H
#define BIL_HOST_COPY_SET_BYTES_H

#include "bilancia/set.h"

typedef struct set_bytes {
    bil_digest digest; /* `ctx` NULL: nothing is followed */
    struct awaited *list;
    size_t count, at;          /* values that have bytes; those of which a line came */
    uint8_t raw[BIL_FILE_RAW]; /* of the file line last fed */
} set_bytes;

/* False when memory is short. */
bool set_bytes_open(set_bytes *b);
void set_bytes_close(set_bytes *b);
/* A line that the reader has taken. BIL_E_SET_COUNT, BIL_E_SET_ORDER, BIL_E_SET_LINE, BIL_E_SET_ALTERED, BIL_E_MEMORY.
 */
int set_bytes_follow(set_bytes *b, const bil_set_reader *reader, bil_line_kind kind);

#endif
