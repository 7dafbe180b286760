#include "modbus_exception.h"

const modbus_exception *modbus_exception_of(uint32_t code)
{
    static const modbus_exception other = {
        0, BIL_REFUSED, BIL_REFUSED, BIL_E_REFUSED, BIL_E_REFUSED, "a reason of its own"};
    static const modbus_exception list[] = {
        {1, BIL_REFUSED, BIL_REFUSED, BIL_E_REFUSED, BIL_E_REFUSED, "it doesn't know this kind of request"},
        {2, BIL_REFUSED, BIL_REFUSED, BIL_E_REFUSED, BIL_E_REFUSED, "it has nothing at this address"},
        {3, BIL_REFUSED, BIL_REFUSED, BIL_E_REFUSED, BIL_E_REFUSED,
         "it doesn't take this value, or not so many at once"},
        {4, BIL_REFUSED, BIL_REFUSED, BIL_E_REFUSED, BIL_E_REFUSED, "it can't do that now, or failed while doing it"},
        /* An acknowledgement: a write has been taken and takes its time; its end is to be read, and it is never sent
         * again. A read that is acknowledged has no answer yet: it is asked again. */
        {5, BIL_BUSY, BIL_UNKNOWN, BIL_E_BUSY, BIL_E_AT_WORK, "it has taken the request and is still at work on it"},
        {6, BIL_BUSY, BIL_BUSY, BIL_E_BUSY, BIL_E_BUSY, "it is busy"},
        {7, BIL_REFUSED, BIL_REFUSED, BIL_E_REFUSED, BIL_E_REFUSED, "it can't do that"}, /* of older devices */
        {8, BIL_REFUSED, BIL_REFUSED, BIL_E_REFUSED, BIL_E_REFUSED, "its memory is damaged there"},
        /* A gateway speaks for itself: it knows no way, or sent the request on and heard nothing. */
        {10, BIL_NOT_SENT, BIL_NOT_SENT, BIL_E_GATEWAY_PATH, BIL_E_GATEWAY_PATH,
         "the gateway has no way to the device"},
        {11, BIL_UNKNOWN, BIL_UNKNOWN, BIL_E_GATEWAY_SILENT, BIL_E_GATEWAY_SILENT,
         "the gateway answers, the device behind it doesn't"},
    };
    for (unsigned i = 0; i < sizeof list / sizeof list[0]; i++)
        if (list[i].code == code)
            return &list[i];
    return &other;
}
