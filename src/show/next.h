/* The command that comes next, as it can be pasted where the present one was typed: what that one was told about where
 * to look, the next one has to be told, too. */
#ifndef BIL_SHOW_NEXT_H
#define BIL_SHOW_NEXT_H

/* The options of the present command, as given; NULL where they weren't. They are kept. */
void next_like(const char *site, const char *description);

/* What goes behind a proposed command: " --site FOLDER" or "". */
const char *next_site(void);
/* The same behind one that reads or writes a device: its description, too. */
const char *next_job(void);

#endif
