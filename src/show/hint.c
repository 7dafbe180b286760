#include "show/hint.h"

#include <arpa/inet.h>
#include <errno.h>
#include <ifaddrs.h>
#include <stdio.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/run/links.h"

/* Is this IPv4 address within a network of this computer (or the computer itself)? True where that can't be told, as
 * for a host name. `itself` may be NULL. */
static bool network_is_near(const char *host, bool *itself)
{
    struct in_addr wanted;
    struct ifaddrs *list;
    bool near = false;
    if (itself)
        *itself = false;
    if (inet_pton(AF_INET, host, &wanted) != 1 || getifaddrs(&list) != 0)
        return true;
    for (struct ifaddrs *i = list; i; i = i->ifa_next) {
        if (!i->ifa_addr || !i->ifa_netmask || i->ifa_addr->sa_family != AF_INET)
            continue;
        struct sockaddr_in own, mask;
        memcpy(&own, i->ifa_addr, sizeof own);
        memcpy(&mask, i->ifa_netmask, sizeof mask);
        near = near || ((own.sin_addr.s_addr ^ wanted.s_addr) & mask.sin_addr.s_addr) == 0;
        if (itself && own.sin_addr.s_addr == wanted.s_addr && own.sin_addr.s_addr != htonl(INADDR_LOOPBACK))
            *itself = true;
    }
    freeifaddrs(list);
    return near;
}

static const char *serial_hint(bool words, int error, int connect_errno)
{
    switch (connect_errno) {
    case ENOENT:
        return "there is no such port: is the adapter plugged in, and does it have a driver? The ports there are: "
               "bilancia find";
    case EACCES:
    case EPERM:
        return "no rights for this port: the user must be in the group that owns it (dialout on many systems)";
    case EBUSY:
        return "another program uses this port";
    case EIO:
    case ENODEV:
    case ENXIO:
        return "the adapter doesn't answer: plug it in again";
    default:
        break;
    }
    if (words && error == BIL_E_SILENT)
        return "nothing came back: check the speed, the two wires (they may be swapped), and that the device's console "
               "is at this port";
    if (words && error == BIL_E_GARBLED)
        return "what came back has no prompt that a description knows: check speed, parity and stop bits";
    if (error == BIL_E_SILENT)
        return "nothing came back: check the unit number, the speed, the two wires (they may be swapped), and the end "
               "resistors";
    if (error == BIL_E_GARBLED)
        return "something came back that makes no sense: check speed, parity and stop bits, and that no two units have "
               "this number";
    return "";
}

static const char *network_hint(const address *where, int error, int connect_errno)
{
    bool itself, near = network_is_near(where->host, &itself);
    if (itself)
        return "this computer itself has that address: give it another one";
    if (!near && error == BIL_E_NOT_REACHABLE)
        return "the address lies outside the networks of this computer: give the computer an address in the same "
               "network";
    switch (connect_errno) {
    case ECONNREFUSED:
        return "somebody is there, but nothing listens on this port: check the port, and that the interface is "
               "switched "
               "on";
    case EHOSTUNREACH:
    case ETIMEDOUT:
    case EINPROGRESS:
        return "nobody is there: check the address (it is often on the device's display or label), cable and supply";
    case ELIBACC:
        return "libcurl isn't installed on this computer (libcurl.so.4)";
    case ENETUNREACH:
        return "this computer has no way into that network";
    default:
        break;
    }
    if (where->kind->way == LINK_CONSOLE && error == BIL_E_SILENT)
        return "it takes the connection and says nothing: check the port";
    if (error == BIL_E_SILENT)
        return "it takes the connection and says nothing: check the unit number, and whether another master keeps it "
               "busy";
    if (error == BIL_E_LOST)
        return "it hangs up: it may allow only one connection, or only certain computers";
    if (error == BIL_E_GARBLED)
        return "it speaks, but not this protocol: check the port";
    return "";
}

void hint_for(const char *text, int error, int connect_errno, char *out, size_t size)
{
    address where;
    char why[200];
    out[0] = '\0';
    if (address_parse(text, &where, why, sizeof why) == BIL_OK)
        snprintf(out, size, "%s",
                 where.serial ? serial_hint(where.kind->way == LINK_CONSOLE, error, connect_errno)
                              : network_hint(&where, error, connect_errno));
}

bool address_is_far(const char *text)
{
    address where;
    char why[200];
    return address_parse(text, &where, why, sizeof why) == BIL_OK && !where.serial &&
           !network_is_near(where.host, NULL);
}
