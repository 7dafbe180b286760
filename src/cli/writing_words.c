/* What the words of a call say of a write: checks set aside, values left out, the restart. */
#include <jansson.h>
#include <string.h>
#include <time.h>

#include "cli/writing.h"

/* "NAME=REASON" */
static int take_reason(write_call *w, const char *word, bool (*take)(write_call *, const char *, size_t, const char *),
                       const char *wanted)
{
    size_t length = strcspn(word, "=");
    return word[length] && take(w, word, length, word + length + 1) ? -1 : say_error(word, BIL_E_CALL, wanted);
}

/* "now", "idle", "by-hand", "never", or a time of day. */
static int restart(write_call *w, const char *word)
{
    static const char *const words[] = {"never", "now", "idle", NULL, "by-hand"};
    for (int i = 0; i < BIL_RESTART_COUNT; i++)
        if (words[i] && strcmp(word, words[i]) == 0) {
            w->config.restart = (bil_restart)i;
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
    w->config.restart = BIL_RESTART_AT;
    w->restart_in_ms = (uint64_t)(mktime(&at) - today) * 1000;
    return -1;
}

int writing_words(writing *x)
{
    write_call *w = &x->w;
    int code = -1;
    if (!note_is_good(x->who) || !note_is_good(x->why))
        return say_error("--why, --who", BIL_E_CALL, NOTE_WANTED);
    w->despite = json_object();
    w->without = json_object();
    for (char **word = x->despite; word && *word && code < 0; word++)
        code = take_reason(w, *word, write_set_aside,
                           "firmware=REASON is wanted, or so with hardware, rules, changed, card, turn or at-work");
    for (char **word = x->without; word && *word && code < 0; word++)
        code = take_reason(w, *word, write_leave_value, "--without ID=REASON is wanted");
    w->restart_asked = x->restart != NULL;
    return code < 0 && x->restart ? restart(w, x->restart) : code;
}
