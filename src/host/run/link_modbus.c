/* Modbus: how its addresses are written, and which links of the port they open. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/run/links.h"
#include "port/modbus.h"
#include "port/modbus_exception.h"

extern const link_kind link_modbus_tcp, link_modbus_rtu;

static bool take_number(const char *text, size_t length, long low, long high, long *number)
{
    if (length == 0 || length > 5 || strspn(text, "0123456789") < length)
        return false;
    *number = strtol(text, NULL, 10);
    return *number >= low && *number <= high;
}

static int refuse(char *why, size_t size, const char *reason)
{
    snprintf(why, size, "%s", reason);
    return BIL_E_ADDRESS;
}

static int parse_network(const char *host, address *out, char *why, size_t size)
{
    const char *end;
    if (*host == '[') { /* IPv6, RFC 3986 section 3.2.2 */
        end = strchr(++host, ']');
        if (!end)
            return refuse(why, size, "the ] after the IPv6 address is missing");
    } else {
        end = host + strcspn(host, ":/");
    }
    size_t length = (size_t)(end - host);
    static const char allowed[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789.-_:%";
    if (length == 0 || length >= sizeof out->host || strspn(host, allowed) < length)
        return refuse(why, size, "there is no host name in it");
    memcpy(out->host, host, length);
    out->host[length] = '\0';
    const char *at = end + (*end == ']');
    snprintf(out->port, sizeof out->port, "502");
    long number;
    if (*at == ':') {
        size_t digits = strcspn(++at, "/");
        if (!take_number(at, digits, 1, 65535, &number))
            return refuse(why, size, "the port must be a number from 1 to 65535");
        snprintf(out->port, sizeof out->port, "%ld", number);
        at += digits;
    }
    if (*at != '/' || !take_number(at + 1, strlen(at + 1), 0, 255, &number))
        return refuse(why, size, "it must end with / and the unit number, 0 to 255");
    out->unit = (int)number;
    return BIL_OK;
}

static int parse_setting(const char *key, const char *value, address *out, char *why, size_t size)
{
    static const char *const parities[] = {"none", "even", "odd"};
    long number;
    if (strcmp(key, "unit") == 0) {
        if (!take_number(value, strlen(value), 1, 247, &number))
            return refuse(why, size, "the unit number must be 1 to 247");
        out->unit = (int)number;
        return BIL_OK;
    }
    if (strcmp(key, "speed") == 0) {
        if (strlen(value) == 6 && strcmp(value, "115200") == 0)
            number = 115200;
        else if (!take_number(value, strlen(value), 1200, 57600, &number))
            return refuse(why, size, "the speed must be 1200 to 115200 bits a second");
        out->speed = (int)number;
        return BIL_OK;
    }
    if (strcmp(key, "stop") == 0) {
        if (!take_number(value, strlen(value), 1, 2, &number))
            return refuse(why, size, "stop bits are 1 or 2");
        out->stop_bits = (int)number;
        return BIL_OK;
    }
    if (strcmp(key, "parity") == 0)
        for (size_t i = 0; i < 3; i++)
            if (strcmp(value, parities[i]) == 0) {
                out->parity = "NEO"[i];
                return BIL_OK;
            }
    return refuse(why, size,
                  strcmp(key, "parity") == 0 ? "parity is none, even or odd"
                                             : "after the ? come unit, speed, parity and stop only");
}

static int parse_serial(const char *path, address *out, char *why, size_t size)
{
    size_t length = strcspn(path, "?");
    if (path[0] != '/' || length < 2 || length >= sizeof out->path)
        return refuse(why, size, "the path of a serial port must follow, such as /dev/ttyUSB0");
    memcpy(out->path, path, length);
    out->path[length] = '\0';
    out->speed = 19200;
    out->parity = 'E';
    out->stop_bits = 1;
    for (const char *at = path + length; *at;) {
        char key[16], value[16];
        size_t used = strcspn(++at, "=&");
        if (at[used] != '=' || used >= sizeof key)
            return refuse(why, size, "settings look like ?unit=3&speed=19200");
        memcpy(key, at, used);
        key[used] = '\0';
        at += used + 1;
        used = strcspn(at, "&");
        if (used >= sizeof value)
            return refuse(why, size, "a setting is too long");
        memcpy(value, at, used);
        value[used] = '\0';
        at += used;
        int error = parse_setting(key, value, out, why, size);
        if (error)
            return error;
    }
    return out->unit ? BIL_OK : refuse(why, size, "the unit number is missing: ?unit=1");
}

static void network_text(const address *where, char *out, size_t size)
{
    bool six = strchr(where->host, ':') != NULL, usual = strcmp(where->port, "502") == 0;
    snprintf(out, size, "%s%s%s%s%s/%d", six ? "[" : "", where->host, six ? "]" : "", usual ? "" : ":",
             usual ? "" : where->port, where->unit);
}

static void serial_text(const address *where, char *out, size_t size)
{
    size_t used = (size_t)snprintf(out, size, "%s?unit=%d", where->path, where->unit);
    if (where->speed != 19200)
        used += (size_t)snprintf(out + used, size - used, "&speed=%d", where->speed);
    if (where->parity != 'E')
        used += (size_t)snprintf(out + used, size - used, "&parity=%s", where->parity == 'N' ? "none" : "odd");
    if (where->stop_bits != 1)
        snprintf(out + used, size - used, "&stop=%d", where->stop_bits);
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
