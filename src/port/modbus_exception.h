/* The exception codes of the Modbus Application Protocol 1.1b3, chapter 7, and what each means for what is known
 * afterwards. A code that isn't there is a refusal with a reason of the device's own. */
#ifndef BIL_PORT_MODBUS_EXCEPTION_H
#define BIL_PORT_MODBUS_EXCEPTION_H

#include "bilancia/link.h"

typedef struct modbus_exception {
    uint8_t code;
    uint8_t read, write;             /* bil_outcome */
    uint8_t read_cause, write_cause; /* bil_error */
    const char *text;                /* what it says, for people */
} modbus_exception;

/* Never NULL; pure. */
const modbus_exception *modbus_exception_of(uint32_t code);

#endif
