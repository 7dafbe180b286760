/* What the words of a call say of a write: checks set aside, values left out, the restart. */
#include <jansson.h>
#include <string.h>
#include <time.h>

#include "cli/writing.h"

/* "NAME=REASON": the length of the name, 0 where it isn't so. */
static size_t name_before_reason(const char *word)
{
    size_t length = strcspn(word, "=");
    return word[length] && strlen(word + length + 1) > 2 && note_is_good(word + length + 1) ? length : 0;
}

static int aside(write_call *w, const char *word)
{
    static const char *const names[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
            "changed",
        "card", "turn"};
    size_t length = name_before_reason(word), i = 0, count = sizeof names / sizeof names[0];
    while (i < count && !(strlen(names[i]) == length && strncmp(names[i], word, length) == 0))
        i++;
    if (i == count)
        return say_error(word, BIL_E_CALL,
                         "firmware=REASON is wanted, or so with hardware, rules, changed, card or turn");
    if (i < BIL_CHECK_COUNT)
        w->config.despite |= UINT32_C(1) << i;
    json_object_set_new(w->despite, names[i], json_string(word + length + 1));
    return -1;
}

static int without(write_call *w, const char *word)
{
    size_t length = name_before_reason(word);
    char id[BIL_ID_MAX + 1];
    if (length == 0 || length > BIL_ID_MAX)
        return say_error(word, BIL_E_CALL, "--without ID=REASON is wanted");
    snprintf(id, sizeof id, "%.*s", (int)length, word);
    json_object_set_new(w->without, id, json_string(word + length + 1));
    return -1;
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
        code = aside(w, *word);
    for (char **word = x->without; word && *word && code < 0; word++)
        code = without(w, *word);
    return code < 0 && x->restart ? restart(w, x->restart) : code;
}
