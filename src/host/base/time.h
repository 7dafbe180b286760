/* The time of day, as files of ours say it: ISO 8601 in UTC. */
#ifndef BIL_HOST_BASE_TIME_H
#define BIL_HOST_BASE_TIME_H

#include <stddef.h>

/* "2026-11-23T07:15:00Z". */
void time_now(char *out, size_t size);
/* With milliseconds, for what happens within a write: "2026-11-23T07:15:00.250Z". */
void time_moment(char out[48]);

#endif
