/* The person, or the system, wants a write to end: Ctrl-C, SIGTERM, SIGHUP.
 *
 * The first signal asks for a safe end, and says so; the second ends the program at once, as if it had been switched
 * off: the record is whole up to there, and resume or undo goes on. */
#ifndef BIL_CLI_INTERRUPT_H
#define BIL_CLI_INTERRUPT_H

#include <stdbool.h>
#include <stddef.h>

#include "bilancia/write.h"

/* From here on, until interrupt_end, the write of this host (NULL: there is none) is cancelled by a signal.
 */
void interrupt_begin(bil_host *host);
void interrupt_end(void);
/* Was there a signal? */
bool interrupted(void *ctx);

/* A line that a person types at the terminal, without its end. False at the end of what there is, and where a signal
 * came meanwhile. */
bool line_typed(char *line, size_t size);

#endif
