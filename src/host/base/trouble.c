#include "host/base/trouble.h"

int trouble_of(trouble *t, int error, const char *what, const char *why)
{
    t->error = error;
    t->site[0] = '\0';
    if (what != t->what)
        snprintf(t->what, sizeof t->what, "%s", what ? what : "");
    if (why != t->why)
        snprintf(t->why, sizeof t->why, "%s", why ? why : "");
    return error;
}
