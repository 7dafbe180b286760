/* One write at a time: a device that is being written to by a program of this computer is not written to by another. */
#ifndef BIL_HOST_RUN_TURN_H
#define BIL_HOST_RUN_TURN_H

#include <stdbool.h>
#include <stddef.h>

typedef struct turn {
    int fd; /* -1: none */
} turn;

/* Takes the turn for a place (address_place) or a unit (its model and serial number), among all users of this computer,
 * and says in a file who has it. False when somebody has it already, `why` tells who, and since when; or when that
 * can't be told. The turn ends with the program, however that ends.
 * The files lie in /run/lock, else in /tmp; the variable BILANCIA_TURNS names another folder, where units of one number
 * are only played, as in tests. */
bool turn_take(turn *t, const char *what, const char *who, char *why, size_t why_size);
void turn_give(turn *t);

#endif
