/* Questions to a person at the terminal. */
#ifndef BIL_CLI_ASKING_H
#define BIL_CLI_ASKING_H

#include <stdbool.h>

#include "bilancia/write.h"

/* Yes or no; anything else is no. */
bool ask_at_terminal(const char *question);
/* What a person says of a test, or of a warning that was to be over; asked until it is an answer. NOBODY where that is
 * "later", or where nobody is there or goes away: then `there` becomes false. */
bil_write_answer ask_of_test(const char *what, bool warning, bool *there);

#endif
