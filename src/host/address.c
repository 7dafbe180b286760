#include "address.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/error.h"

bool address_is_device(const char *text)
{
    size_t scheme = strspn(text, "abcdefghijklmnopqrstuvwxyz0123456789+.-");
    return scheme > 1 && text[scheme] == ':' && text[0] >= 'a' && text[0] <= 'z';
}

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

int address_parse(const char *text, address *out, char *why, size_t size)
{
    static const char scheme[] = "modbus+tcp://";
    if (strncmp(text, scheme, strlen(scheme)) != 0)
        return refuse(why, size, "only modbus+tcp:// is known");
    const char *host = text + strlen(scheme);
    if (strchr(host, '@'))
        return refuse(why, size, "names and passwords don't belong into an address");
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
    if (*at != '/' || !take_number(at + 1, strlen(at + 1), 0, 255, &number) || number > 247)
        return refuse(why, size, "it must end with / and the unit number, 0 to 247");
    out->unit = (int)number;
    return BIL_OK;
}
