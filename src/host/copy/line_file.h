/* Lines of a large file, read and digested by a thread of its own, in constant memory. */
#ifndef BIL_HOST_COPY_LINE_FILE_H
#define BIL_HOST_COPY_LINE_FILE_H

#include <stdbool.h>
#include <stdint.h>

#include "bilancia/set.h"

typedef struct line_file line_file;

/* NULL with errno set when it can't be opened. */
line_file *line_file_open(const char *path);
/* The next line, its LF included, without taking it; good until the next call of line_file_take. A line longer than
 * BIL_SET_LINE is given in part. False at the end of the file or when it can't be read (line_file_error then tells). */
bool line_file_look(line_file *file, const char **line, size_t *length);
void line_file_take(line_file *file);
/* Where in the file the line begins that is looked at, or would be next. */
uint64_t line_file_at(const line_file *file);
/* Another descriptor of the file, to read there meanwhile; the caller's to close. -1 with errno. */
int line_file_again(const line_file *file);
/* errno of a read that failed, or 0. */
int line_file_error(const line_file *file);
/* After the last line: the digest of all bytes but the last BIL_SET_TAIL, and but full chunks of files. Once. */
void line_file_digest(line_file *file, uint8_t out[BIL_SHA256]);
void line_file_close(line_file *file);

#endif
