#include "host/describe/rule_text.h"

#include <stdio.h>

#include "host/base/float_text.h"

static void value_of(const bil_param *p, const uint8_t *raw, char *out, size_t size)
{
    char text[BIL_VALUE_TEXT];
    if (!raw || bil_value_text(p->format, raw, &host_floats, text, sizeof text) != BIL_OK)
        snprintf(text, sizeof text, "not known");
    snprintf(out, size, "%s is %s%s%s", p->id, text, p->unit[0] ? " " : "", p->unit);
}

void rule_text(const bil_description *d, uint16_t rule, const uint16_t params[2], bil_values values, char *out,
               size_t size)
{
    char text[2][BIL_ID_MAX + BIL_VALUE_TEXT + BIL_UNIT_MAX + 8];
    for (int i = 0; i < 2; i++)
        value_of(&d->params[params[i]], values.raw(values.ctx, params[i]), text[i], sizeof text[i]);
    snprintf(out, size, "%s, %s: %s", text[0], text[1], d->rules[rule].why);
}
