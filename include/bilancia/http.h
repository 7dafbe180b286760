/* bilancia/http.h - links to devices that have their values in JSON documents (RFC 8259) at resources of HTTP
 * (RFC 9110).
 *
 * A space is a resource: `ask` is "GET /api/limits", `set` is "PATCH /api/limits", and a value lies in it where its
 * JSON Pointer (RFC 6901) tells. PATCH carries a merge patch (RFC 7396) with what is written and nothing else, so does
 * POST as a document of its own; PUT carries the document that is there, read just before, in which only those values
 * are others: what nobody described stays as it is. "LOGIN /api/unit" writes no value: the text is the password, which
 * goes with every request of this connection from then on, and is tried with a GET of this resource.
 *
 * A file (value.h) is a resource of its own, behind the path of its space: GET brings its bytes as they are, PUT
 * replaces them, DELETE takes it away; 404 to a GET is that there is none.
 *
 * Choices and bools with words are strings, without them numbers, true and false; a number keeps every digit. What
 * comes in is doubted: a document fits into the memory given, lies no deeper than BIL_HTTP_DEEPEST, has each name once,
 * and a value of another kind than the description says is none. A tag (ETag) that came with a document goes with the
 * next write there, so that nothing is written over what somebody else changed meanwhile.
 *
 * What a status comes to:
 *   200, 201, 204  done; under 200 a member of the reply may still say no (`refuses`)
 *   202            taken, and not done yet: BIL_E_AT_WORK
 *   429, 503       busy; 429 of a login, that the account is locked, as 423
 *   401, 403       refused: BIL_E_NO_PASSWORD, of who has logged in BIL_E_PASSWORD
 *   412            refused: BIL_E_FOREIGN_CHANGE
 *   other 3xx, 4xx refused; the status is the device's reason
 *   5xx            nobody knows
 *
 * Thread rules: as link.h. */
#ifndef BILANCIA_HTTP_H
#define BILANCIA_HTTP_H

#include "bilancia/link.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Limits: how deep values lie in each other, bytes of a tag with its quotes, spaces whose tags are kept, bytes of what
 * is remembered for people. */
#define BIL_HTTP_DEEPEST 20
#define BIL_HTTP_TAG 72
#define BIL_HTTP_TAGS 32
#define BIL_HTTP_HEARD 80

/* How a device wants to be told who asks: not at all, RFC 7617, RFC 7616, RFC 6750. */
typedef enum bil_login { BIL_LOGIN_NONE, BIL_LOGIN_BASIC, BIL_LOGIN_DIGEST, BIL_LOGIN_BEARER } bil_login;

/* How one model answers. */
typedef struct bil_http {
    uint8_t login;    /* bil_login */
    const char *user; /* who logs in; NULL where a bearer does */
    /* Where it shows nothing without a login: the path of a resource at which each connection begins with one, and the
     * pattern (console.h) of the realm (RFC 9110, 11.5) that it names there, by which it shows its model. NULL: it
     * shows who it is to anybody. */
    const char *enter, *greets;
    const char *refuses; /* JSON Pointer; a reply to a write that has something there, but for null and false, is a no;
                          * where that is a number, it is the reason. NULL: the status tells */
} bil_http;

/* What goes out. Texts end with a NUL. */
typedef struct bil_http_request {
    const char *method, *path; /* the method ends with the first blank */
    const char *type;          /* of the body; NULL: there is none */
    const char *body;
    const bil_bytes *bytes; /* of a file, in place of the body that goes out, or, under 200, of the one that comes in */
    uint64_t size;          /* of what goes out */
    const char *tag;        /* If-Match; NULL: none */
    const char *user, *password; /* NULL: nobody logs in */
    uint8_t login;               /* bil_login */
    uint32_t within_ms;          /* for the whole of it; of a file, for the next bytes of it */
} bil_http_request;

/* What comes back. */
typedef struct bil_http_reply {
    uint16_t status;
    char tag[BIL_HTTP_TAG + 1];     /* "" where there was none, or a longer one */
    char realm[BIL_HTTP_HEARD + 1]; /* of who wants a login; "" where there was none, or a longer one */
    char *body;                     /* the link's memory, to fill */
    size_t room, size;
} bil_http_reply;

/* What carries them; none of the functions keeps what it is given. */
typedef struct bil_http_ops {
    /* A new connection: BIL_DONE, or BIL_NOT_SENT with cause and code; BIL_REFUSED, with a cause, where to try again
     * would be of no use, as whoever is there doesn't prove who it is. */
    bil_outcome (*connect)(void *ctx, bil_result *result);
    /* BIL_DONE: a whole reply came, whatever its status. BIL_NOT_SENT, BIL_UNKNOWN with a cause; a body that doesn't
     * fit is BIL_E_GARBLED. Nothing of it comes from a cache, and it leads to no other host: where it is sent there
     * that is BIL_E_SENT_ELSEWHERE. */
    bil_outcome (*request)(void *ctx, const bil_http_request *request, bil_http_reply *reply, bil_result *result);
    void (*close)(void *ctx);
} bil_http_ops;

/* Those functions with their context. */
typedef struct bil_http_port {
    const bil_http_ops *ops;
    void *ctx;
} bil_http_port;

/* The memory of a link over HTTP; the caller's, as long as the link is used. */
typedef struct bil_http_link {
    bil_http_port port;
    const bil_description *description; /* of the request under way */
    const bil_float_ops *floats;
    bil_doorman doorman; /* to be set behind bil_http_link_over, where a device shows nothing without a login */
    char *room;          /* for two bodies, what goes out and what comes in */
    size_t half;
    /* What the last refusal said, or the reply that made no sense; bytes that aren't printable are dots. "" where there
     * was none, or a secret was said; on connecting the realm. */
    char heard[BIL_HTTP_HEARD + 1];
    char password[BIL_TEXT_MAX + 1]; /* "" before a login; a new connection begins without it */
    char tags[BIL_HTTP_TAGS][BIL_HTTP_TAG + 1];
} bil_http_link;

/* Makes a link of it. `room` is for a document as it comes and one as it goes out, half of `size` for each, at least
 * 1000 bytes. What it is given outlives it; `memory` needs no clearing before. A transfer for a description of another
 * kind is refused. */
bil_link bil_http_link_over(bil_http_link *memory, bil_http_port port, const bil_float_ops *floats, char *room,
                            size_t size);

/* ---- documents, for tests and for whoever has some by other means ---- */

/* Where the value with this pointer stands in a document, from its first to behind its last character. BIL_OK;
 * BIL_E_REFUSED: it isn't there; BIL_E_GARBLED: this is no such document, or the name is there twice. */
int bil_document_find(const char *text, size_t size, const char *pointer, const char **at, size_t *length);

/* A value as it stands in a document, NUL-terminated, and back; as bil_value_text and bil_value_parse, with
 * BIL_E_REFUSED for null, and BIL_E_ENCODING for what is no such value. */
int bil_document_say(const bil_format *format, const uint8_t *raw, const bil_float_ops *floats, char *out, size_t size);
int bil_document_hear(const bil_format *format, const char *at, size_t length, const bil_float_ops *floats,
                      uint8_t *raw);

#ifdef __cplusplus
}
#endif

#endif
