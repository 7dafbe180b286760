/* Device addresses. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/error.h"
#include "host/run/links.h"

#include <stdint.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    char text[600], why[200] = "";
    if (size >= sizeof text)
        return 0;
    memcpy(text, data, size);
    text[size] = '\0';
    address a;
    if (address_parse(text, &a, why, sizeof why) != BIL_OK) {
        if (!why[0])
            abort();
        return 0;
    }
    if (!address_is_device(text) || a.unit < 0 || a.unit > (a.serial ? 247 : 255) || strchr(text, '@'))
        abort();
    if (a.serial
            ? a.path[0] != '/' || (a.unit == 0) != (a.kind->way == LINK_CONSOLE) || a.speed < 1200 || a.speed > 115200
            : !a.host[0] || atoi(a.port) < 1)
        abort();
    char again[ADDRESS_TEXT]; /* the text of an address is that address */
    address b;
    address_text(&a, again);
    if (address_parse(again, &b, why, sizeof why) != BIL_OK || memcmp(&a, &b, sizeof a) != 0)
        abort();
    return 0;
}
