/* A simulated unit that has documents: a request of HTTP and its reply, whatever carries them. */
#ifndef BIL_SIM_WEB_H
#define BIL_SIM_WEB_H

#include "unit.h"

/* A document, and how it is written. Entries go there by the first part of their names: of one group they stand in it
 * directly, of several below their names, of one with numbers ("head_2.offset") below "head2", or in an array. */
typedef struct sim_resource {
    const char *path, *method; /* NULL: it is only read */
    const char *const *groups; /* ended by NULL; a name that ends with "_" has numbers */
    const char *array;         /* the name of the array, where those with numbers lie in one */
    const char *alone;         /* the entry that is the whole of it, as "do": an order, which can't be read; or NULL */
    bool closed;               /* only who logs in may read it */
    const char *files;         /* what lies below its path are files: entries that begin so; they last at once */
} sim_resource;

/* Where its documents lie once more: below `path` in place of the root of them. */
typedef struct sim_shelf {
    const char *path;
    const uint16_t *(*cells)(const sim_unit *unit); /* of the first space */
} sim_shelf;

/* How a model answers. */
typedef struct sim_web {
    const sim_resource *resources;                       /* ended by one without a path */
    const char *root;                                    /* that their paths begin with */
    const sim_shelf *shelves;                            /* ended by one without a path */
    const char *user, *code;                             /* who logs in, and the entry of the password */
    const char *realm;                                   /* and how it calls itself then */
    const char *const *(*words)(const sim_entry *entry); /* of a choice; NULL: it is a number, or a text */
    bool (*yes_no)(const sim_entry *entry);
    unsigned wrong_most; /* wrong passwords until the account is locked */
    uint32_t locked_ms;  /* and how long it stays so */
} sim_web;

typedef enum sim_login { SIM_NOBODY, SIM_RIGHT, SIM_WRONG } sim_login;

typedef struct sim_web_request {
    const char *method, *path, *tag; /* If-Match, or NULL */
    const char *body;
    size_t size;
    sim_login login;
} sim_web_request;

typedef struct sim_web_reply {
    int status; /* 0: none comes */
    char tag[24];
    char *body; /* the caller's to free; NULL: none */
    size_t size;
    bool file; /* the body is one, rather than a document */
} sim_web_reply;

sim_web_reply sim_web_answer(sim_unit *unit, uint64_t now, const sim_web_request *request);
/* The password that is right just now. */
void sim_web_code(const sim_unit *unit, char out[64]);

#endif
