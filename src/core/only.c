/* Parameters that only some units of a model have, or that are there only in a mode. */
#include "bilancia/image.h"
#include "bytes.h"

/* Numbers of a version, from left to right; what stands between them only parts them. */
static uint32_t next_number(const char **text)
{
    uint32_t number = 0;
    while (**text && (**text < '0' || **text > '9'))
        ++*text;
    for (; **text >= '0' && **text <= '9'; ++*text)
        number = number * 10 + (uint32_t)(**text - '0');
    return number;
}

/* Is the first version below the second? "2.10" isn't below "2.9". */
static bool is_below(const char *a, const char *b)
{
    while (*a || *b) {
        uint32_t x = next_number(&a), y = next_number(&b);
        if (x != y)
            return x < y;
    }
    return false;
}

bool bil_only_some_units(const bil_only *only, const bil_image *who, const bil_image *values)
{
    char hardware[BIL_VALUE_TEXT], firmware[BIL_VALUE_TEXT];
    (void)values;
    bil_image_identity(who, BIL_ID_HARDWARE, hardware, sizeof hardware);
    bil_image_identity(who, BIL_ID_FIRMWARE, firmware, sizeof firmware);
    return (!only->hardware_count || bil_text_is_among(only->hardwares, only->hardware_count, hardware)) &&
           (!only->firmware_count || bil_text_is_among(only->firmwares, only->firmware_count, firmware)) &&
           !(only->from && is_below(firmware, only->from)) && !(only->before && !is_below(firmware, only->before));
}

bool bil_only_in_mode(const bil_only *only, const bil_image *who, const bil_image *values)
{
    bool found = values->state[only->mode] != BIL_PRESENT;
    uint64_t mode =
        bil_value_number(bil_image_raw(values, only->mode), values->description->params[only->mode].format->size);
    for (uint8_t i = 0; i < only->mode_count && !found; i++)
        found = only->modes[i] == mode;
    return found && bil_only_some_units(only, who, values);
}
