#include "host/run/login.h"

#include <stdio.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/decided.h"
#include "host/run/links.h"

void login_begin(login *l, const char *text, const address *where, const secret_source *from)
{
    *l = (login){.address = text, .proved = where->kind->proves};
    if (from)
        l->from = *from;
    if (!address_place(text, l->place))
        snprintf(l->place, sizeof l->place, "%s", text);
}

void login_end(login *l)
{
    secret_wipe(&l->typed, sizeof l->typed);
}

static bool is_known(login *l, const char *says)
{
    if (l->proved || strcmp(l->agreed, says) == 0)
        return true;
    bool known = decided_find(DECIDED_LOGIN, "", l->place, l->before, sizeof l->before);
    if (!known)
        l->before[0] = '\0';
    return known && strcmp(l->before, says) == 0;
}

/* What is at hand comes first: a write may have changed it meanwhile. */
static bil_error give(void *ctx, const char *says, char out[BIL_TEXT_MAX + 1])
{
    login *l = ctx;
    const bil_description *d = l->description;
    const char *which = d->secrets[d->login_slot - 1], *typed = l->typed.text[d->login_slot - 1];
    snprintf(l->says, sizeof l->says, "%s", says);
    if (!is_known(l, says))
        return BIL_E_NOT_TRUSTED;
    if (!l->from.give || !l->from.give(l->from.ctx, l->address, d->login_slot, which, false, out, SECRET_MAX))
        snprintf(out, SECRET_MAX, "%s", typed);
    out[SECRET_MAX - 1] = '\0';
    l->wanted = !out[0];
    return l->wanted ? BIL_E_NO_PASSWORD : bil_text_is_printable(out, strlen(out)) ? BIL_OK : BIL_E_PASSWORD;
}

bil_doorman login_doorman(login *l)
{
    return (bil_doorman){give, l};
}

bool login_helps(login *l, int error)
{
    const bil_description *d = l->description;
    if (error == BIL_E_NOT_TRUSTED && l->says[0] && !l->asked && l->from.trust) {
        l->asked = true;
        if (!l->from.trust(l->from.ctx, l->address, l->says, l->before))
            return false;
        snprintf(l->agreed, sizeof l->agreed, "%s", l->says);
        (void)decided_add(DECIDED_LOGIN, "", l->place, l->says); /* where that can't be kept it is asked again */
        return true;
    }
    if (error != BIL_E_NO_PASSWORD || !l->wanted || !l->from.give)
        return false;
    char *typed = l->typed.text[d->login_slot - 1];
    if (typed[0])
        return false;
    secret_lock(&l->typed, sizeof l->typed);
    bool given =
        l->from.give(l->from.ctx, l->address, d->login_slot, d->secrets[d->login_slot - 1], true, typed, SECRET_MAX);
    typed[SECRET_MAX - 1] = '\0';
    return given && typed[0];
}

int login_error(const login *l, int error, char *why, size_t size)
{
    if (error != BIL_E_NOT_TRUSTED || !l->says[0])
        return error;
    if (l->before[0])
        snprintf(why, size, "it says \"%s\", where it said \"%s\" before", l->says, l->before);
    else
        snprintf(why, size, "it says \"%s\"", l->says);
    return l->before[0] ? BIL_E_OTHER_THERE : BIL_E_NEW_THERE;
}

int login_agree(const char *text, const char *says)
{
    char place[ADDRESS_TEXT];
    if (!address_is_device(text) || !address_place(text, place))
        return BIL_E_ADDRESS;
    if (!says[0] || strlen(says) >= LOGIN_SAYS || !bil_text_is_printable(says, strlen(says)))
        return BIL_E_CALL;
    return decided_add(DECIDED_LOGIN, "", place, says);
}
