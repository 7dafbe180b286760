/* What the words of a call say of a write: checks set aside, values left out, the restart. */
#include <string.h>
#include <time.h>

#include "cli/writing.h"
#include "show/need.h"

/* "NAME=REASON": the words become the reason, and the names are cut off in place. */
static int take_reasons(char **words, bil_reason *out, size_t *count, const char *wanted)
{
    for (*count = 0; words && words[*count]; ++*count) {
        char *equals = strchr(words[*count], '=');
        if (!equals)
            return say_error(words[*count], BIL_E_CALL, wanted);
        *equals = '\0';
        out[*count] = (bil_reason){words[*count], equals + 1};
    }
    return -1;
}

/* "now", "idle", "by-hand", "never", or a time of day. */
static int restart(bil_write_wish *w, const char *word)
{
    static const char *const words[] = {"never", "now", "idle", NULL, "by-hand"};
    for (int i = 0; i < BIL_RESTART_COUNT; i++)
        if (words[i] && strcmp(word, words[i]) == 0) {
            w->restart = (bil_restart)i;
            return -1;
        }
    unsigned hour, minute;
    int used = 0;
    if (sscanf(word, "%2u:%2u%n", &hour, &minute, &used) != 2 || word[used] || hour > 23 || minute > 59)
        return say_error(word, BIL_E_CALL, "a restart comes now, idle, by-hand, never, or at a time like 22:30");
    time_t today = time(NULL);
    struct tm at;
    localtime_r(&today, &at);
    at.tm_hour = (int)hour;
    at.tm_min = (int)minute;
    at.tm_sec = 0;
    at.tm_isdst = -1;
    if (mktime(&at) <= today) {
        at.tm_mday++;
        at.tm_isdst = -1;
    }
    w->restart = BIL_RESTART_AT;
    w->restart_in_ms = (uint64_t)(mktime(&at) - today) * 1000;
    return -1;
}

static size_t count_of(char **words)
{
    size_t count = 0;
    while (words && words[count])
        count++;
    return count;
}

int writing_words(writing *x)
{
    bil_write_wish *wish = &x->wish;
    x->reasons = need(count_of(x->despite) + count_of(x->without) + 1, sizeof *x->reasons);
    wish->despite = x->reasons;
    wish->without = x->reasons + count_of(x->despite);
    int code = take_reasons(
        x->despite, x->reasons, &wish->despite_count,
        "firmware=REASON is wanted, or so with hardware, rules, changed, card, turn, at-work or signature");
    if (code < 0)
        code = take_reasons(x->without, x->reasons + wish->despite_count, &wish->without_count,
                            "--without ID=REASON is wanted");
    wish->restart_given = x->restart != NULL;
    return code < 0 && x->restart ? restart(wish, x->restart) : code;
}
