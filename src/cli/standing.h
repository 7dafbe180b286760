/* How a device stands, as several commands say it. */
#ifndef BIL_CLI_STANDING_H
#define BIL_CLI_STANDING_H

#include <jansson.h>

#include "bilancia/site.h"

/* What can be done: commands one below the other, so that each can be pasted. */
void put_next_steps(FILE *out, const bil_site_standing *one, bil_standing s, int indent);
/* Everything that is to be looked at, a line each, with what can be done. */
void put_standing(const bil_site_standing *one);
/* The same for programs. */
json_t *standing_json(const bil_site_standing *one);

#endif
