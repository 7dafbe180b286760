/* What to check when a device doesn't answer, from what was seen. */
#ifndef BIL_SHOW_HINT_H
#define BIL_SHOW_HINT_H

#include <stdbool.h>
#include <stddef.h>

/* `connect_errno` of the last try to connect, 0 when that went well. "" where there is nothing to add to the error. */
void hint_for(const char *address, int error, int connect_errno, char *out, size_t size);

/* Does it lie outside all networks of this computer, so that nobody can answer there without a router? */
bool address_is_far(const char *text);

#endif
