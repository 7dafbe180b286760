/* What the person at this computer has decided for good, where places say different things: it lies in the person's own
 * state folder as bilancia/decided (JSON Lines, only ever added to), so that no file of a site can decide it. */
#ifndef BIL_HOST_BASE_DECIDED_H
#define BIL_HOST_BASE_DECIDED_H

#include "port/storage.h"

/* Which key belongs to a name of a site; which description of a model counts. */
#define DECIDED_KEY "key"
#define DECIDED_DESCRIPTION "description"
/* How the device at an address calls itself before a login, which may then be given its password; its scope is "". */
#define DECIDED_LOGIN "login"

/* The newest decision of a kind about `what` within a scope ("" for all sites); `answer` takes `size` bytes. False when
 * there is none. */
bool decided_find(const char *kind, const char *scope, const char *what, char *answer, size_t size);
/* Adds one, durably. BIL_OK, BIL_E_FILE_WRITE, BIL_E_DISK_FULL. */
int decided_add(const char *kind, const char *scope, const char *what, const char *answer);

#endif
