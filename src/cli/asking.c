#include "cli/asking.h"

#include <string.h>

#include "cli/interrupt.h"
#include "show/screen.h"

bool ask_at_terminal(const char *question)
{
    tell(stderr, "%s [yes/no] ", question);
    fflush(stderr);
    char answer[16];
    return line_typed(answer, sizeof answer) && (strcmp(answer, "yes") == 0 || strcmp(answer, "y") == 0);
}

bil_write_answer ask_of_test(const char *what, bool warning, bool *there)
{
    char answer[16] = "";
    say("  - %s\n", what);
    while (*there) {
        tell(stderr, "    %s [yes/no/later] ", warning ? "Is that over?" : "Is it so?");
        fflush(stderr);
        *there = line_typed(answer, sizeof answer);
        if (*there && (strcmp(answer, "yes") == 0 || strcmp(answer, "no") == 0))
            return answer[0] == 'y' ? BIL_ANSWER_YES : BIL_ANSWER_NO;
        if (strcmp(answer, "later") == 0)
            break;
    }
    return BIL_ANSWER_NOBODY;
}
