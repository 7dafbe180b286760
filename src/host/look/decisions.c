#include "host/look/decisions.h"

#include <errno.h>
#include <fnmatch.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/json.h"
#include "host/base/time.h"
#include "port/storage.h"

enum { DECISIONS_MOST = 64 << 20 };

static const char *const names[] = {"open", "device", "saved", "value"};

void decisions_add(json_t *list, const char *pattern, winner wins, const char *value)
{
    json_t *one = jn_pack("{s:s,s:s}", "id", pattern, "wins", names[wins]);
    if (wins == WINS_VALUE)
        jn_put(one, "value", jn_string(value));
    jn_add(list, one);
}

int decisions_add_words(json_t *list, const char *words)
{
    char pattern[BIL_ID_MAX + 1];
    const char *equals = strchr(words, '=');
    if (!equals || equals == words || (size_t)(equals - words) >= sizeof pattern || !equals[1] ||
        !bil_text_is_printable(words, strlen(words)))
        return BIL_E_CALL;
    snprintf(pattern, sizeof pattern, "%.*s", (int)(equals - words), words);
    winner wins = strcmp(equals + 1, "device") == 0  ? WINS_DEVICE
                  : strcmp(equals + 1, "saved") == 0 ? WINS_SAVED
                                                     : WINS_VALUE;
    decisions_add(list, pattern, wins, equals + 1);
    return BIL_OK;
}

static winner winner_of(const json_t *one)
{
    const char *wins = json_string_value(json_object_get(one, "wins"));
    for (int i = WINS_DEVICE; wins && i <= WINS_VALUE; i++)
        if (strcmp(wins, names[i]) == 0)
            return (winner)i;
    return WINS_OPEN;
}

static bool is_sound(const json_t *one)
{
    const char *id = json_string_value(json_object_get(one, "id"));
    winner wins = winner_of(one);
    return id && *id && strlen(id) <= BIL_ID_MAX && wins != WINS_OPEN &&
           (wins == WINS_VALUE) == json_is_string(json_object_get(one, "value"));
}

int decisions_add_file(json_t *list, const char *path, char *why, size_t size)
{
    json_error_t problem;
    size_t length;
    char *text = storage_text(path, DECISIONS_MOST, &length);
    if (!text) {
        snprintf(why, size, "%s: %s", path, storage_why(errno));
        return storage_open_error();
    }
    json_t *all = jn_read(text, length, &problem);
    free(text);
    if (!all) {
        snprintf(why, size, "%s:%d:%d: %s", path, problem.line, problem.column, problem.text);
        return BIL_E_DECISIONS;
    }
    json_t *its = json_object_get(all, "decisions"), *one;
    json_t *version = json_object_get(all, "bilancia_decisions");
    size_t i;
    int error = BIL_OK;
    if (!json_is_integer(version) || json_integer_value(version) != 0 || !json_is_array(its)) {
        snprintf(why, size, "%s: this is no file of decisions (\"bilancia_decisions\": 0, \"decisions\": [...])", path);
        error = BIL_E_DECISIONS;
    }
    json_array_foreach(its, i, one)
    {
        if (error)
            break;
        if (!is_sound(one)) {
            snprintf(why, size,
                     "%s: decision %zu must have an \"id\" and \"wins\": device, saved, or value with a "
                     "\"value\" as text",
                     path, i + 1);
            error = BIL_E_DECISIONS;
        }
    }
    if (!error)
        json_array_extend(list, its);
    json_decref(all);
    return error;
}

decision decisions_find(const json_t *list, const char *id)
{
    size_t i;
    json_t *one;
    json_array_foreach(list, i, one)
    {
        if (fnmatch(json_string_value(json_object_get(one, "id")), id, 0) == 0)
            return (decision){winner_of(one), json_string_value(json_object_get(one, "value"))};
    }
    return (decision){WINS_OPEN, NULL};
}

int decisions_save(const json_t *list, const char *who, const char *saved, const char *against, const char *folder,
                   const char *name, char *path)
{
    storage_file storage;
    char when[40];
    int error = storage_begin(&storage, folder, name);
    if (error)
        return error;
    time_now(when, sizeof when);
    json_t *all = jn_pack("{s:i,s:s,s:s,s:s,s:s,s:O}", "bilancia_decisions", 0, "when", when, "who", who, "saved",
                          saved, "device", against, "decisions", list);
    bool good = all && json_dumpf(all, storage.file, JSON_INDENT(1) | JSON_PRESERVE_ORDER) == 0 &&
                putc('\n', storage.file) != EOF;
    json_decref(all);
    if (good)
        return storage_commit(&storage, folder, path);
    error = storage_error();
    storage_cancel(&storage);
    return error;
}
