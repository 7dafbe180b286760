/* Devices that tell nobody who they are before a login: to whom a password may go, and whence it comes.
 *
 * TLS proves who answers at an address. Elsewhere the device is known by what it says of itself before the login, which
 * the person at this computer has agreed to once (host/base/decided.h): nobody else at that address is given a password
 * without being asked. */
#ifndef BIL_HOST_RUN_LOGIN_H
#define BIL_HOST_RUN_LOGIN_H

#include "bilancia/link.h"
#include "host/run/address.h"
#include "host/run/secret.h"

enum { LOGIN_SAYS = 81 };

typedef struct login {
    secret_source from; /* all zero: nobody gives any */
    const bil_description *description;
    const char *address;
    char place[ADDRESS_TEXT]; /* where that leads, by which it is remembered */
    bool proved;              /* by the link, before a word was said */
    bool asked, wanted;       /* a person was, whether it may go there; one wasn't at hand */
    char says[LOGIN_SAYS];    /* of itself; "" as long as nobody wanted to know */
    char before[LOGIN_SAYS];  /* what was agreed to, "" where nothing was */
    char agreed[LOGIN_SAYS];  /* now, by whom it was asked of */
    secrets typed;
} login;

/* `from` NULL: nobody is asked, and nothing is at hand. */
void login_begin(login *l, const char *text, const address *where, const secret_source *from);
void login_end(login *l);
/* For a link; `l` outlives that, and stays where it is. */
bil_doorman login_doorman(login *l);
/* An attempt to find out who is there ended so. True: what was missing is here now, and another one makes sense. */
bool login_helps(login *l, int error);
/* The same error, or the one that says more, with the reason in `why` where there is one. */
int login_error(const login *l, int error, char *why, size_t size);

/* Whoever says this of itself at this address may be given a password, from now on, by the person at this computer.
 * BIL_OK, BIL_E_ADDRESS, BIL_E_CALL (a text that nobody can say), or as decided_add. */
int login_agree(const char *address, const char *says);

#endif
