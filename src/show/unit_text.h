/* What a unit is, in one line. */
#ifndef BIL_SHOW_UNIT_TEXT_H
#define BIL_SHOW_UNIT_TEXT_H

#include <stddef.h>

/* What a unit says of itself; "" for what it doesn't tell, NULL for what isn't wanted here. */
typedef struct unit_says {
    const char *vendor, *model, *hardware, *firmware, *serial;
    const char *doubt; /* about its firmware, or NULL */
} unit_says;

enum { UNIT_TEXT = 1400 };

/* "Esempio ED-30, hardware B, firmware 2.4.1, serial number ED30-0417", without what it doesn't tell. */
const char *unit_text(const unit_says *says, char out[UNIT_TEXT]);

#endif
