/* Modbus: how its addresses are written, and which links of the port they open. */
#include <stdio.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/run/links.h"
#include "host/run/place.h"
#include "port/modbus.h"
#include "port/modbus_exception.h"

extern const link_kind link_modbus_tcp, link_modbus_rtu;

static const serial_usual usual = {19200, 'E', true}; /* Modbus over Serial Line 1.02, 3.2 and 2.5.1 */

static int parse_network(const char *text, address *out, char *why, size_t size)
{
    const char *rest;
    long number;
    int error = place_host(text, "502", out, &rest, why, size);
    if (error)
        return error;
    if (*rest != '/' || !place_number(rest + 1, strlen(rest + 1), 0, 255, &number))
        return place_refuse(why, size, "it must end with / and the unit number, 0 to 255");
    out->unit = (int)number;
    return BIL_OK;
}

static int parse_serial(const char *text, address *out, char *why, size_t size)
{
    return place_serial(text, &usual, out, why, size);
}

static void network_text(const address *where, char *out, size_t size)
{
    place_host_text(where, "502", out, size);
    size_t used = strlen(out);
    snprintf(out + used, size - used, "/%d", where->unit);
}

static void serial_text(const address *where, char *out, size_t size)
{
    place_serial_text(where, &usual, out, size);
}

static bool open_network(void *memory, const address *where, bil_link *link)
{
    return modbus_link_open(memory, where->host, where->port, where->unit, link);
}

static bool open_serial(void *memory, const address *where, bil_link *link)
{
    return modbus_link_open_serial(memory, where->path, where->speed, where->parity, where->stop_bits, where->unit,
                                   link);
}

static void wait_at_most(void *memory, uint32_t ms)
{
    modbus_link_reply_ms(memory, ms);
}

static int why_not_connected(const void *memory)
{
    return ((const modbus_link *)memory)->connect_errno;
}

static void end(void *memory)
{
    modbus_link_free(memory);
}

static const char *reason(uint32_t code)
{
    return modbus_exception_of(code)->text;
}

const link_kind link_modbus_tcp = {.scheme = "modbus+tcp://",
                                   .range_from = "://",
                                   .range_after = ".:/",
                                   .range_before = ":/",
                                   .parse = parse_network,
                                   .text = network_text,
                                   .size = sizeof(modbus_link),
                                   .open = open_network,
                                   .wait_at_most = wait_at_most,
                                   .connect_errno = why_not_connected,
                                   .end = end,
                                   .reason = reason};
const link_kind link_modbus_rtu = {.scheme = "modbus+rtu:",
                                   .serial = true,
                                   .range_from = "?",
                                   .range_after = "=",
                                   .range_before = "&",
                                   .parse = parse_serial,
                                   .text = serial_text,
                                   .size = sizeof(modbus_link),
                                   .open = open_serial,
                                   .wait_at_most = wait_at_most,
                                   .connect_errno = why_not_connected,
                                   .end = end,
                                   .reason = reason};
