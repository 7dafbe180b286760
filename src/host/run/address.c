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
#include "host/run/links.h"

bool address_is_device(const char *text)
{
    size_t scheme = strspn(text, "abcdefghijklmnopqrstuvwxyz0123456789+.-");
    return scheme > 1 && text[scheme] == ':' && text[0] >= 'a' && text[0] <= 'z';
}

int address_parse(const char *text, address *out, char *why, size_t size)
{
    char known[100];
    *out = (address){.kind = link_kind_of(text)};
    const char *wrong = strchr(text, '@') ? "names and passwords don't belong into an address" : NULL;
    if (!wrong && out->kind) {
        out->serial = out->kind->serial;
        return out->kind->parse(text + strlen(out->kind->scheme), out, why, size);
    }
    if (wrong)
        snprintf(why, size, "%s", wrong);
    else
        snprintf(why, size, "only %s are known", link_kinds_text(known, sizeof known));
    return BIL_E_ADDRESS;
}

void address_text(const address *where, char out[ADDRESS_TEXT])
{
    size_t used = (size_t)snprintf(out, ADDRESS_TEXT, "%s", where->kind->scheme);
    where->kind->text(where, out + used, ADDRESS_TEXT - used);
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
