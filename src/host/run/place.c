#include "host/run/place.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"

bool place_number(const char *text, size_t length, long low, long high, long *number)
{
    if (length == 0 || length > 5 || strspn(text, "0123456789") < length)
        return false;
    *number = strtol(text, NULL, 10);
    return *number >= low && *number <= high;
}

int place_refuse(char *why, size_t size, const char *reason)
{
    snprintf(why, size, "%s", reason);
    return BIL_E_ADDRESS;
}

int place_host(const char *host, const char *usual, address *out, const char **rest, char *why, size_t size)
{
    const char *end;
    if (*host == '[') { /* IPv6, RFC 3986 section 3.2.2 */
        end = strchr(++host, ']');
        if (!end)
            return place_refuse(why, size, "the ] after the IPv6 address is missing");
    } else {
        end = host + strcspn(host, ":/");
    }
    size_t length = (size_t)(end - host);
    static const char allowed[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789.-_:%";
    if (length == 0 || length >= sizeof out->host || strspn(host, allowed) < length)
        return place_refuse(why, size, "there is no host name in it");
    memcpy(out->host, host, length);
    out->host[length] = '\0';
    const char *at = end + (*end == ']');
    long number;
    if (*at == ':') {
        size_t digits = strcspn(++at, "/");
        if (!place_number(at, digits, 1, 65535, &number))
            return place_refuse(why, size, "the port must be a number from 1 to 65535");
        snprintf(out->port, sizeof out->port, "%ld", number);
        at += digits;
    } else if (usual) {
        snprintf(out->port, sizeof out->port, "%s", usual);
    } else {
        return place_refuse(why, size, "the port is missing: host:port");
    }
    *rest = at;
    return BIL_OK;
}

void place_host_text(const address *where, const char *usual, char *out, size_t size)
{
    bool six = strchr(where->host, ':') != NULL, same = usual && strcmp(where->port, usual) == 0;
    snprintf(out, size, "%s%s%s%s%s", six ? "[" : "", where->host, six ? "]" : "", same ? "" : ":",
             same ? "" : where->port);
}

static int take_setting(const char *key, const char *value, const serial_usual *usual, address *out, char *why,
                        size_t size)
{
    static const char *const parities[] = {"none", "even", "odd"};
    long number;
    if (usual->numbered && strcmp(key, "unit") == 0) {
        if (!place_number(value, strlen(value), 1, 247, &number))
            return place_refuse(why, size, "the unit number must be 1 to 247");
        out->unit = (int)number;
        return BIL_OK;
    }
    if (strcmp(key, "speed") == 0) {
        if (strlen(value) == 6 && strcmp(value, "115200") == 0)
            number = 115200;
        else if (!place_number(value, strlen(value), 1200, 57600, &number))
            return place_refuse(why, size, "the speed must be 1200 to 115200 bits a second");
        out->speed = (int)number;
        return BIL_OK;
    }
    if (strcmp(key, "stop") == 0) {
        if (!place_number(value, strlen(value), 1, 2, &number))
            return place_refuse(why, size, "stop bits are 1 or 2");
        out->stop_bits = (int)number;
        return BIL_OK;
    }
    if (strcmp(key, "parity") == 0)
        for (size_t i = 0; i < 3; i++)
            if (strcmp(value, parities[i]) == 0) {
                out->parity = "NEO"[i];
                return BIL_OK;
            }
    return place_refuse(why, size,
                        strcmp(key, "parity") == 0 ? "parity is none, even or odd"
                        : usual->numbered          ? "after the ? come unit, speed, parity and stop only"
                                                   : "after the ? come speed, parity and stop only");
}

int place_serial(const char *path, const serial_usual *usual, address *out, char *why, size_t size)
{
    size_t length = strcspn(path, "?");
    if (path[0] != '/' || length < 2 || length >= sizeof out->path)
        return place_refuse(why, size, "the path of a serial port must follow, such as /dev/ttyUSB0");
    memcpy(out->path, path, length);
    out->path[length] = '\0';
    out->speed = usual->speed;
    out->parity = usual->parity;
    out->stop_bits = 1;
    for (const char *at = path + length; *at;) {
        char key[16], value[16];
        size_t used = strcspn(++at, "=&");
        if (at[used] != '=' || used >= sizeof key)
            return place_refuse(why, size,
                                usual->numbered ? "settings look like ?unit=3&speed=19200"
                                                : "settings look like ?speed=9600&parity=none");
        memcpy(key, at, used);
        key[used] = '\0';
        at += used + 1;
        used = strcspn(at, "&");
        if (used >= sizeof value)
            return place_refuse(why, size, "a setting is too long");
        memcpy(value, at, used);
        value[used] = '\0';
        at += used;
        int error = take_setting(key, value, usual, out, why, size);
        if (error)
            return error;
    }
    return out->unit || !usual->numbered ? BIL_OK : place_refuse(why, size, "the unit number is missing: ?unit=1");
}

void place_serial_text(const address *where, const serial_usual *usual, char *out, size_t size)
{
    static const char *const parities[] = {"none", "even", "odd"};
    const char *mark = "?";
    size_t used = (size_t)snprintf(out, size, "%s", where->path);
    if (usual->numbered) {
        used += (size_t)snprintf(out + used, size - used, "?unit=%d", where->unit);
        mark = "&";
    }
    if (where->speed != usual->speed) {
        used += (size_t)snprintf(out + used, size - used, "%sspeed=%d", mark, where->speed);
        mark = "&";
    }
    if (where->parity != usual->parity) {
        used += (size_t)snprintf(out + used, size - used, "%sparity=%s", mark,
                                 parities[where->parity == 'N'   ? 0
                                          : where->parity == 'E' ? 1
                                                                 : 2]);
        mark = "&";
    }
    if (where->stop_bits != 1)
        snprintf(out + used, size - used, "%sstop=%d", mark, where->stop_bits);
}
