/* What of a write stands for itself: what becomes of a value, how it ended, a question at the terminal. */
#include <jansson.h>
#include <string.h>
#include <unistd.h>

#include "cli/writing_inside.h"

bil_write_need need_of(const write_call *w, uint16_t i)
{
    return bil_plan_need(&w->dev.image, &w->want, i, bil_job_purpose(w->job), w->config.with_calibration);
}

bil_error exception_of(const write_call *w, uint16_t i)
{
    if (json_object_get(w->without, w->want.description->params[i].id))
        return BIL_OK; /* it is named apart */
    return bil_job_exception(w->job, i);
}

bool ask_at_terminal(const char *question)
{
    tell(stderr, "%s [yes/no] ", question);
    fflush(stderr);
    char answer[16];
    return fgets(answer, sizeof answer, stdin) && (strcmp(answer, "yes\n") == 0 || strcmp(answer, "y\n") == 0);
}

int exit_of(const bil_action *end, const write_call *w)
{
    if (end->u.end.held)
        return EXIT_HELD;
    switch (end->u.end.verdict) {
    case BIL_VERDICT_VERIFIED:
    case BIL_VERDICT_WITH_EXCEPTIONS:
    case BIL_VERDICT_ON_TRIAL:
        return EXIT_DONE;
    case BIL_VERDICT_NOT_PROVED:
    case BIL_VERDICT_INCOMPLETE:
        return EXIT_INCOMPLETE;
    default:
        return w->file_error ? EXIT_FILE : exit_code_of((int)end->u.end.cause);
    }
}
