/* Inside links to documents: names in JSON Pointers (RFC 6901). */
#ifndef BIL_WIRE_DOCUMENT_H
#define BIL_WIRE_DOCUMENT_H

#include "../core/json.h"
#include "bilancia/http.h"

/* How many characters up to this one, or all of them. */
size_t bil_until(const char *text, char end);

/* A name as it is without escapes, no longer than it was; returns its bytes. */
size_t bil_token_text(const char *token, size_t length, char *out);

/* A document that several values are taken from: checked once, and what lies beside the last one is found without
 * looking through all of it. */
typedef struct document {
    const char *root, *end;
    const char *parent, *last; /* where what has the last value begins, and the pointer of that one */
} document;
/* BIL_OK, or BIL_E_GARBLED. */
int bil_document_open(document *d, const char *text, size_t size);
/* As bil_document_find. */
int bil_document_look(document *d, const char *pointer, const char **at, size_t *length);

#endif
