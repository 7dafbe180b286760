/* What a person can do now about an error, in words of the tool. */
#ifndef BIL_SHOW_ADVICE_H
#define BIL_SHOW_ADVICE_H

/* "" where there is nothing to say. */
const char *advice_for(int error);

#endif
