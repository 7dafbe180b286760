/* Text in a page. */
#ifndef BIL_SHOW_HTML_H
#define BIL_SHOW_HTML_H

#include <stdio.h>

/* The text with everything escaped that means something to HTML, in elements and attributes alike; characters that
 * would steer a terminal or turn the writing, and broken UTF-8, are shown by their numbers. */
void html_text(FILE *file, const char *text);

/* A page from its first byte to its <body>: with the colours and type that all pages share, light and dark, and `style`
 * behind them. Nothing is loaded, and nothing runs but `script` (NULL: nothing at all): both are allowed by their
 * digests alone (Content Security Policy Level 3). html_end puts the script and ends the page. */
void html_begin(FILE *file, const char *title, const char *style, const char *script);
void html_end(FILE *file, const char *script);

#endif
