#include "show/meant.h"

void meant_offer(meant *m, const char *typed, const char *word)
{
    nearest_offer(m, typed, word);
}
