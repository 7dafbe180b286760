/* What a person reads of a write: what it will do, and how it ended. */
#ifndef BIL_SHOW_WRITING_H
#define BIL_SHOW_WRITING_H

#include "bilancia/write.h"
#include "host/write/write.h"

/* What a person calls the device: its name, or, where it has none, the record of the write. */
const char *write_name(const write_call *w);
/* A state of operation in words; false where the model doesn't tell. */
bool state_text(const bil_description *d, uint32_t state, char text[BIL_VALUE_TEXT]);

/* Who, what, and what will happen, for the person who decides. */
void put_preview(const bil_writing *writing);
/* What was measured is saved; `path` is "" where there was none, `width` that of the words before the paths. */
void put_collected(const char *id, const char *path, int width);
/* How it ended, what is left to do, and what can be done now. */
void put_verdict(const bil_writing *writing);
/* The same as JSON; `code` is how the program will end. */
void put_write_json(const bil_writing *writing, int code);

#endif
