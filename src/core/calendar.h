/* The parts of a date and time of day: year, month, day, hour, minute, second. */
#ifndef BIL_CORE_CALENDAR_H
#define BIL_CORE_CALENDAR_H

#include <stdint.h>

/* Days of a month, 1 to 12. time.c */
unsigned bil_days_in(unsigned year, unsigned month);

void bil_time_split(const uint8_t *raw, uint16_t parts[6]);
/* BIL_E_ENCODING where there is no such date; `raw` is undefined then. */
int bil_time_join(const uint16_t parts[6], uint8_t *raw);

#endif
