/* The beginning of every job: connecting, and finding out who answers. */
#include <string.h>

#include "machine.h"

bil_error bil_check_model(const bil_job *job, const bil_image *image)
{
    char text[BIL_VALUE_TEXT];
    const bil_description *description = job->description;
    bil_image_identity(image, BIL_ID_MODEL, text, sizeof text);
    if (strcmp(text, description->model) != 0)
        return BIL_E_OTHER_MODEL;
    bil_image_identity(image, BIL_ID_VENDOR, text, sizeof text);
    if (description->identity[BIL_ID_VENDOR] != BIL_NONE && strcmp(text, description->vendor) != 0)
        return BIL_E_OTHER_MODEL;
    return BIL_OK;
}

flow bil_meet_run(bil_job *job, bil_action *action)
{
    const bil_result *result = job->result;
    if (job->step == MEET_CONNECT) {
        job->step = MEET_CONNECTED;
        return bil_give_connect(job, action, CONNECT_MS);
    }
    if (job->step == MEET_CONNECTED && result->outcome != BIL_DONE) {
        bil_failed(job, result->cause ? (bil_error)result->cause : BIL_E_NOT_REACHABLE, BIL_NONE);
        job->why.code = result->code;
        return FLOW_FAILED;
    }
    if (job->step == MEET_CONNECTED)
        bil_look_start(job);
    job->step = MEET_LOOK;
    return bil_look_run(job, action);
}
