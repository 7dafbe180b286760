/* The archive library, loaded when a kit is made or checked. It brings two dozen shared libraries with it; a compare on
 * a small gateway doesn't carry them. */
#ifndef BIL_HOST_SITE_ARCHIVE_H
#define BIL_HOST_SITE_ARCHIVE_H

#include <archive.h>
#include <archive_entry.h>

#define ARCHIVE_FUNCTIONS(X)                                                                                           \
    X(error_string)                                                                                                    \
    X(write_new)                                                                                                       \
    X(write_set_format_zip)                                                                                            \
    X(write_set_bytes_in_last_block)                                                                                   \
    X(write_open_FILE)                                                                                                 \
    X(write_header)                                                                                                    \
    X(write_data)                                                                                                      \
    X(write_close)                                                                                                     \
    X(write_free)                                                                                                      \
    X(read_new)                                                                                                        \
    X(read_support_format_zip)                                                                                         \
    X(read_open_filename)                                                                                              \
    X(read_next_header)                                                                                                \
    X(read_data)                                                                                                       \
    X(read_free)                                                                                                       \
    X(entry_new)                                                                                                       \
    X(entry_set_pathname_utf8)                                                                                         \
    X(entry_set_size)                                                                                                  \
    X(entry_filetype)                                                                                                  \
    X(entry_set_filetype)                                                                                              \
    X(entry_set_perm)                                                                                                  \
    X(entry_set_mtime)                                                                                                 \
    X(entry_pathname_utf8)                                                                                             \
    X(entry_free)

/* Each function under its name without "archive_". */
typedef struct archive_calls {
#define ARCHIVE_CALL(name) __typeof__(archive_##name) *name;
    ARCHIVE_FUNCTIONS(ARCHIVE_CALL)
#undef ARCHIVE_CALL
} archive_calls;

/* Loads it once; BIL_E_LIBRARY when this computer hasn't got it. It stays loaded. One thread. */
int archive_load(archive_calls *calls, char *why, size_t why_size);

#endif
