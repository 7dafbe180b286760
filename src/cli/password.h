/* Passwords: from a file descriptor, the environment, or a prompt; never from the command line. Whoever has one wipes
 * it (explicit_bzero). */
#ifndef BIL_CLI_PASSWORD_H
#define BIL_CLI_PASSWORD_H

#include <stdbool.h>
#include <stddef.h>

enum { PASSWORD_MAX = 65 };

/* The first line of a file descriptor. False when there is none or it is too long. */
bool password_from_fd(int fd, char *out, size_t size);
/* Takes the variable out of the environment and wipes it there. False when it isn't set. */
bool password_from_environment(const char *name, char *out, size_t size);
/* Takes all variables whose names begin like this out of the environment: each becomes an own "NAME=value" with the
 * rest of its name, behind those that are kept already, at most `most` in all. password_kept finds one by that, in
 * small letters; passwords_forget wipes them all. */
void passwords_from_environment(const char *begin, char **kept, size_t most);
bool password_kept(char *const *kept, size_t count, const char *name, char *out, size_t size);
void passwords_forget(char **kept, size_t count);
/* Asks at the terminal, without showing what is typed. False when there is no terminal or nothing was typed. */
bool password_from_prompt(const char *question, char *out, size_t size);

#endif
