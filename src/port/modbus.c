#include "modbus.h"

#include <errno.h>
#include <modbus.h>

static void hang_up(void *ctx)
{
    modbus_link *link = ctx;
    if (link->connected)
        modbus_close(link->context);
    link->connected = false;
}

static bil_outcome dial(void *ctx, bil_result *result)
{
    modbus_link *link = ctx;
    hang_up(link);
    if (modbus_connect(link->context) != 0) {
        result->cause = BIL_E_NOT_REACHABLE;
        return BIL_NOT_SENT;
    }
    link->connected = true;
    return BIL_DONE;
}

/* What libmodbus says, in the five ways a transfer can end. Anything but an answer of the device leaves the line in
 * doubt: the connection is given up, so that a late reply finds nobody. */
static bil_outcome failure(modbus_link *link, bil_result *result)
{
    int error = errno;
    if (error > MODBUS_ENOBASE && error < EMBBADCRC) {
        result->code = (uint32_t)(error - MODBUS_ENOBASE);
        bool busy = error == EMBXSBUSY || error == EMBXACK;
        result->cause = busy ? BIL_E_BUSY : BIL_E_REFUSED;
        return busy ? BIL_BUSY : BIL_REFUSED;
    }
    hang_up(link);
    result->cause = error == ETIMEDOUT ? BIL_E_SILENT : error >= EMBBADCRC ? BIL_E_GARBLED : BIL_E_LOST;
    return BIL_UNKNOWN;
}

static bool no_line(const modbus_link *link, bil_result *result)
{
    if (!link->connected)
        result->cause = BIL_E_LOST;
    return !link->connected;
}

static bil_outcome read_cells(void *ctx, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells,
                              bil_result *result)
{
    modbus_link *link = ctx;
    if (no_line(link, result))
        return BIL_NOT_SENT;
    int got = space == BIL_INPUT ? modbus_read_input_registers(link->context, address, count, cells)
                                 : modbus_read_registers(link->context, address, count, cells);
    return got == count ? BIL_DONE : failure(link, result);
}

static bil_outcome write_cells(void *ctx, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells,
                               bil_result *result)
{
    modbus_link *link = ctx;
    if (no_line(link, result))
        return BIL_NOT_SENT;
    (void)space; /* only holding cells can be written */
    int sent = modbus_write_registers(link->context, address, count, cells);
    return sent == count ? BIL_DONE : failure(link, result);
}

static const bil_link_ops ops = {dial, read_cells, write_cells, hang_up};

bool modbus_link_open(modbus_link *link, const char *host, const char *port, int unit, bil_link *out)
{
    *link = (modbus_link){.context = modbus_new_tcp_pi(host, port)};
    if (!link->context)
        return false;
    *out = (bil_link){&ops, link};
    modbus_link_reply_ms(link, 1000);
    if (modbus_set_slave(link->context, unit) == 0)
        return true;
    modbus_link_free(link);
    return false;
}

void modbus_link_reply_ms(modbus_link *link, uint32_t ms)
{
    modbus_set_response_timeout(link->context, ms / 1000, ms % 1000 * 1000);
}

void modbus_link_free(modbus_link *link)
{
    hang_up(link);
    modbus_free(link->context);
}
