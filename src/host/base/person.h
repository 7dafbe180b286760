/* The person at this computer: what it is called, what it says, and what it may do at all, as far as the configuration
 * says: a file "limit" in /etc/bilancia or in the person's own configuration (XDG Base Directory Specification 0.8),
 * with the word "reading" or "trials". */
#ifndef BIL_HOST_BASE_PERSON_H
#define BIL_HOST_BASE_PERSON_H

#include <stdbool.h>
#include <stddef.h>

typedef enum person_limit { LIMIT_NONE, LIMIT_TRIALS, LIMIT_READING } person_limit;

/* The strictest that is found; `from` tells in which file. A file that can't be understood means reading. */
person_limit limit_of_person(char *from, size_t size);

/* Who does it: the name given, or (NULL) that of the person logged in; "" where that is none to be shown. */
const char *person(const char *given);

/* May this text of a person's go into a copy or a record: a line of printable text? NULL may. */
bool note_is_good(const char *note);
enum { NOTE_TEXT = 400 }; /* bytes, with its NUL */
#define NOTE_WANTED "a line of printable text of less than 400 bytes is wanted"

#endif
