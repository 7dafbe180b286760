/* Text in a page. */
#ifndef BIL_HOST_HTML_H
#define BIL_HOST_HTML_H

#include <stdio.h>

/* The text with everything escaped that means something to HTML, in elements and attributes alike. */
void html_text(FILE *file, const char *text);
/* Colours and type that all pages share, light and dark. */
extern const char html_style[];

#endif
