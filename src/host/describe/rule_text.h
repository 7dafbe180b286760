/* Broken rules, as people read them. */
#ifndef BIL_HOST_DESCRIBE_RULE_TEXT_H
#define BIL_HOST_DESCRIBE_RULE_TEXT_H

#include "bilancia/rule.h"

/* "speed.minimum is 900.0 rpm, speed.maximum is 800.0 rpm: the lowest speed lies above the highest" */
void rule_text(const bil_description *d, uint16_t rule, const uint16_t params[2], bil_values values, char *out,
               size_t size);

#endif
