/* Which values of a model are meant; which of them somebody chose: all, or some groups and single files; also as a set
 * tells it of itself. */
#ifndef BIL_HOST_DESCRIBE_CHOICE_H
#define BIL_HOST_DESCRIBE_CHOICE_H

#include "bilancia/description.h"

/* "all"; "all but files"; "motor,media.logo", groups and files with commas between; "motor but files". */
#define CHOICE_ALL "all"
#define CHOICE_BUT_FILES " but files"

/* Is this parameter among them? */
bool choice_has(const char *choice, const bil_param *param);
/* Does the model have all that is named? Else `why` says what it hasn't. */
bool choice_is_known(const bil_description *d, const char *choice, char *why, size_t size);
/* Is it a file of what the device measured? No copy has it; it is read by itself. */
bool choice_is_measured(const bil_param *param);
/* The choice that somebody means: these groups and files (NULL or "": all), with or without files. */
void choice_of(const char *names, bool without_files, char *out, size_t size);

#endif
