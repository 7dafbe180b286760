/* A request to the unit that is meant: the first thing on a new connection, and wherever the job has to be sure, is who
 * answers. */
#include "machine.h"

flow bil_exchange_run(bil_job *job, exchange *x, bil_action *action)
{
    flow f;
    do {
        if (x->state == REQUEST_START && (job->dirty || !job->sure)) {
            bil_look_start(job);
            x->state = REQUEST_LOOK;
        }
        if (x->state == REQUEST_LOOK) {
            f = bil_look_run(job, action);
            if (f == FLOW_FAILED)
                x->outcome = x->sent ? BIL_UNKNOWN : BIL_NOT_SENT;
            if (f != FLOW_DONE)
                return f;
            x->state = REQUEST_SEND;
        }
        f = bil_request_run(job, x, action);
    } while (f == FLOW_ON);
    return f;
}
