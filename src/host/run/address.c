#include "host/run/address.h"

#include <arpa/inet.h>
#include <netdb.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>

#include "bilancia/host_error.h"

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
    out->serial = true;
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

int address_parse(const char *text, address *out, char *why, size_t size)
{
    static const char tcp[] = "modbus+tcp://", rtu[] = "modbus+rtu:";
    *out = (address){0};
    if (strchr(text, '@'))
        return refuse(why, size, "names and passwords don't belong into an address");
    if (strncmp(text, tcp, strlen(tcp)) == 0)
        return parse_network(text + strlen(tcp), out, why, size);
    if (strncmp(text, rtu, strlen(rtu)) == 0)
        return parse_serial(text + strlen(rtu), out, why, size);
    return refuse(why, size, "only modbus+tcp:// and modbus+rtu: are known");
}

void address_text(const address *where, char out[ADDRESS_TEXT])
{
    if (!where->serial) {
        bool six = strchr(where->host, ':') != NULL, usual = strcmp(where->port, "502") == 0;
        snprintf(out, ADDRESS_TEXT, "modbus+tcp://%s%s%s%s%s/%d", six ? "[" : "", where->host, six ? "]" : "",
                 usual ? "" : ":", usual ? "" : where->port, where->unit);
        return;
    }
    size_t used = (size_t)snprintf(out, ADDRESS_TEXT, "modbus+rtu:%s?unit=%d", where->path, where->unit);
    if (where->speed != 19200)
        used += (size_t)snprintf(out + used, ADDRESS_TEXT - used, "&speed=%d", where->speed);
    if (where->parity != 'E')
        used += (size_t)snprintf(out + used, ADDRESS_TEXT - used, "&parity=%s", where->parity == 'N' ? "none" : "odd");
    if (where->stop_bits != 1)
        snprintf(out + used, ADDRESS_TEXT - used, "&stop=%d", where->stop_bits);
}

static void put_host(const address *where, char *out, size_t size)
{
    struct addrinfo numeric = {.ai_flags = AI_NUMERICHOST, .ai_socktype = SOCK_STREAM}, *found = NULL;
    bool own = strcasecmp(where->host, "localhost") == 0 || strcasecmp(where->host, "localhost.") == 0;
    const char *host = own ? "127.0.0.1" : where->host;
    if (getaddrinfo(host, NULL, &numeric, &found) != 0) {
        size_t length = strlen(host);
        for (size_t i = 0; i < length && i + 1 < size; i++)
            out[i] = (char)(host[i] >= 'A' && host[i] <= 'Z' ? host[i] + 32 : host[i]);
        out[length < size ? length : size - 1] = '\0';
        if (length && out[length - 1] == '.') /* the same name, said to be whole */
            out[length - 1] = '\0';
        return;
    }
    const struct sockaddr_in6 *six = (const void *)found->ai_addr;
    bool mapped = found->ai_family == AF_INET6 && IN6_IS_ADDR_V4MAPPED(&six->sin6_addr);
    if (found->ai_family == AF_INET6 && IN6_IS_ADDR_LOOPBACK(&six->sin6_addr))
        snprintf(out, size, "127.0.0.1");
    else if (mapped)
        inet_ntop(AF_INET, six->sin6_addr.s6_addr + 12, out, (socklen_t)size);
    else
        getnameinfo(found->ai_addr, found->ai_addrlen, out, (socklen_t)size, NULL, 0, NI_NUMERICHOST);
    freeaddrinfo(found);
}

bool address_place(const char *text, char out[ADDRESS_TEXT])
{
    address where;
    char why[200], host[256];
    struct stat seen;
    if (address_parse(text, &where, why, sizeof why) != BIL_OK)
        return false;
    if (where.serial && stat(where.path, &seen) == 0 && S_ISCHR(seen.st_mode)) {
        snprintf(out, ADDRESS_TEXT, "line %u:%u %d", major(seen.st_rdev), minor(seen.st_rdev), where.unit);
    } else if (where.serial) {
        char *whole = realpath(where.path, NULL);
        snprintf(out, ADDRESS_TEXT, "line %.300s %d", whole ? whole : where.path, where.unit);
        free(whole);
    } else {
        put_host(&where, host, sizeof host);
        snprintf(out, ADDRESS_TEXT, "net %s %s %d", host, where.port, where.unit);
    }
    return true;
}

void address_line(const address *where, char out[ADDRESS_TEXT])
{
    if (where->serial)
        snprintf(out, ADDRESS_TEXT, "%s", where->path);
    else
        snprintf(out, ADDRESS_TEXT, "%s:%s", where->host, where->port);
}
