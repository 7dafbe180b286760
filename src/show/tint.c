#include "show/tint.h"

static const char *const codes[TINT_COUNT] = {"\033[0m", "\033[1m", "\033[1;32m", "\033[1;31m", "\033[33m"};

const char *tint_code(bool colour, tint t)
{
    return colour ? codes[t] : "";
}

bool tint_is_code(const char *text)
{
    for (int t = 0; t < TINT_COUNT; t++)
        if (text == codes[t])
            return true;
    return false;
}
