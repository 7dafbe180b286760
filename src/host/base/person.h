/* What the person at this computer may do at all, as far as its configuration says: a file "limit" in /etc/bilancia or
 * in the person's own configuration (XDG Base Directory Specification 0.8), with the word "reading" or "trials". */
#ifndef BIL_HOST_BASE_PERSON_H
#define BIL_HOST_BASE_PERSON_H

#include <stddef.h>

typedef enum person_limit { LIMIT_NONE, LIMIT_TRIALS, LIMIT_READING } person_limit;

/* The strictest that is found; `from` tells in which file. A file that can't be understood means reading. */
person_limit limit_of_person(char *from, size_t size);

#endif
