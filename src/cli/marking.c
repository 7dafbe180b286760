#include "cli/marking.h"

#include <string.h>

int marking_begin(marking *m, const command *self, int argc, const char **argv, struct poptOption *options, int count,
                  marking_of of)
{
    int code = call_begin(&m->c, self, argc, argv, options, count, count);
    if (code >= 0)
        return code;
    const char *where = m->c.arguments[0];
    m->of_copy = of != MARK_EITHER || strchr(where, '#');
    if (!note_is_good(m->who) || !note_is_good(m->why) || (count > 1 && !note_is_good(m->c.arguments[1])))
        return call_end(&m->c, say_error("", BIL_E_CALL, NOTE_WANTED));
    if (of == MARK_NAMED_COPY && !strchr(where, '#'))
        return call_end(&m->c, say_error(where, BIL_E_CALL, "say which copy: DEVICE#12; bilancia history lists them"));
    int error = enter_site(&m->h, m->given);
    if (error)
        return call_end(&m->c, exit_code_of(error));
    error = m->of_copy ? find_copy(&m->h, where, &m->owner, &m->copy) : find_device(&m->h, where, &m->owner);
    if (!error)
        return -1;
    leave_site(&m->h);
    return call_end(&m->c, exit_code_of(error));
}

int marking_end(marking *m, int code)
{
    device_row_free(&m->owner);
    leave_site(&m->h);
    return call_end(&m->c, code);
}

int marking_failed(const marking *m, int error)
{
    return say_error(m->h.place.path, error, NULL);
}
