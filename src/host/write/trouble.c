#include "host/write/inside.h"

int write_fail(write_call *w, const char *what, int error, const char *why)
{
    return trouble_of(&w->trouble, error, what, why);
}

void write_doubt(write_call *w, const char *what, int error, const char *why)
{
    if (w->answers.doubt)
        w->answers.doubt(w->answers.ctx, what, error, why);
}

void write_doing(write_call *w, write_phase phase, const bil_job_progress *p)
{
    static const bil_job_progress nothing;
    if (w->answers.doing)
        w->answers.doing(w->answers.ctx, phase, p ? p : &nothing);
}
