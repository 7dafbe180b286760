/* Passwords: from a file descriptor, the environment, or a prompt; never from the command line. */
#ifndef BIL_HOST_RUN_SECRET_H
#define BIL_HOST_RUN_SECRET_H

#include <stdbool.h>
#include <stddef.h>

enum { SECRET_MAX = 65 };

/* The first line of a file descriptor. False when there is none or it is too long. */
bool secret_from_fd(int fd, char *out, size_t size);
/* Takes the variable out of the environment and wipes it there. False when it isn't set. */
bool secret_from_environment(const char *name, char *out, size_t size);
/* Asks at the terminal, without showing what is typed. False when there is no terminal or nothing was typed. */
bool secret_from_prompt(const char *question, char *out, size_t size);
void secret_wipe(char *secret, size_t size);

/* Keeps the memory of a secret out of the swap space, where the system allows that. */
void secret_lock(char *secret, size_t size);

#endif
