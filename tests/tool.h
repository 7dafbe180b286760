/* The tool as a process, in a folder of the test's own, with simulated units served over Modbus TCP. */
#ifndef TESTS_TOOL_H
#define TESTS_TOOL_H

#include <jansson.h>
#include <sys/types.h>

#include "help.h"

enum { UNITS = 8, OUTPUT = 1 << 16 };

extern char folder[64];
extern char output[OUTPUT]; /* of the last command, both streams */
extern char unit_at[UNITS][64];

/* Makes the folder. */
void tool_begin(void);
/* Stops the units and takes the folder away. */
void tool_end(void);

/* Runs a shell line in the folder; `b` is the tool. Returns the exit code; what was said is in `output`, and all that
 * was ever said in the file "said". */
int sh(const char *format, ...) __attribute__((format(printf, 1, 2)));
/* The same at a terminal of so many columns and rows, where a person types `input`. */
int at_terminal(unsigned short columns, unsigned short rows, const char *input, const char *format, ...)
    __attribute__((format(printf, 4, 5)));
/* At a pseudo-terminal: waits until this was said there; types. */
void wait_for(int master, const char *what);
void type_at(int master, const char *text);
/* While `hints_on`, as BILANCIA_HINTS begins it: each command that a command of sh or at_terminal proposes is run as it
 * stands, in a copy of the state in which it was proposed, and has to do what it promises. `said` is what was said,
 * `place` a shell file that sets the environment and folder of who would type it. Not while commands run beside each
 * other. */
extern bool hints_on;
extern unsigned hints_run;
void hints_hold(const char *said, const char *place);
void expect(int code, const char *says, int got);
int control(int unit, const char *words);
unsigned counter(int unit, const char *name);
json_t *answer(void);
const char *text_of(json_t *json, const char *key);

void start_unit(int unit, const char *options, const char *secret);
void stop_unit(int unit);

#endif
