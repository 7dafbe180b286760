/* What is to be written: the copy, as far as it is wanted, and in spite of what. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "cli/writing_inside.h"
#include "host/base/arena.h"
#include "host/run/turn.h"

/* The values before the story that is gone on with, to tell what was changed since by other hands. */
int write_load_before(write_call *w)
{
    char why[500];
    set_origin *o = need(1, sizeof *o);
    bil_set_totals totals;
    size_t size = bil_image_size(w->want.description);
    bil_image_init(&w->before, w->want.description, need(1, size), size);
    int error = set_file_load(w->before_path, true, &w->before, o, &totals, why, sizeof why);
    free(o);
    if (error) { /* nobody is kept from putting it right because of that */
        say_error("what was changed meanwhile can't be told", error, why);
        free(w->before.state);
        w->before = (bil_image){0};
        w->before_path[0] = '\0';
    }
    return -1;
}

int write_load_copy(write_call *w, const models *m)
{
    char why[500];
    int error = set_file_check(w->copy, &w->origin, &w->totals, why, sizeof why);
    if (error)
        return say_error("", error, why);
    const bil_description *same_model, *d = models_find(m, w->origin.model, w->origin.layout, &same_model);
    if (!d)
        return say_error(w->copy, same_model ? BIL_E_OTHER_LAYOUT : BIL_E_UNKNOWN_MODEL,
                         same_model ? NULL : "there is no description of the model that this copy is from");
    size_t size = bil_image_size(d);
    bil_image_init(&w->want, d, need(1, size), size);
    error = set_file_load(w->copy, w->undoes, &w->want, &w->origin, &w->totals, why, sizeof why);
    if (error)
        return say_error("", error, why);
    char digest[2 * BIL_SHA256 + 1]; /* of what was loaded, whatever was looked at before */
    set_digest_hex(w->totals.digest, digest);
    if (w->expected_digest[0] && strcmp(digest, w->expected_digest) != 0)
        return say_error(w->copy, BIL_E_SET_ALTERED, "another copy has taken the place of the one that was meant");
    for (uint16_t i = 0; i < d->count; i++) { /* what a whole copy should have and hasn't */
        bool kept = d->params[i].flags & BIL_READABLE && !bil_class_left_out((bil_class)d->params[i].cls);
        if (kept && w->want.state[i] == BIL_ABSENT && strcmp(w->origin.scope, "all") == 0)
            w->want.state[i] = BIL_UNREADABLE;
    }
    return -1;
}

/* What a reset brings, as far as the description knows it. */
void write_want_factory_values(write_call *w)
{
    const bil_description *d = w->dev.description;
    size_t size = bil_image_size(d);
    bil_image_init(&w->want, d, need(1, size), size);
    bil_image_copy(&w->want, &w->dev.image);
    for (uint16_t i = 0; i < d->count; i++)
        if (d->factory && d->factory_known[i])
            bil_image_put(&w->want, i, d->factory + d->params[i].raw_at);
        else
            w->want.state[i] = BIL_ABSENT;
    set_origin_of(&w->origin, &w->dev.image);
}

/* Only the groups named are written; the others are as if the copy didn't have them. -1, or the exit code. */
int write_keep_groups(write_call *w)
{
    const bil_description *d = w->want.description;
    if (!w->groups || !w->groups[0])
        return -1;
    for (const char *name = w->groups; *name;) {
        size_t length = strcspn(name, ",");
        bool known = false;
        for (uint16_t i = 0; i < d->count && !known; i++)
            known = strncmp(d->params[i].id, name, length) == 0 && d->params[i].id[length] == '.';
        if (!known || length == 0) {
            char why[200];
            snprintf(why, sizeof why, "%s has no group \"%.*s\": a group is the part of an id before its first dot",
                     d->model, (int)(length < 100 ? length : 100), name);
            return say_error("--group", BIL_E_CALL, why);
        }
        name += length + (name[length] == ',');
    }
    w->in_copy = need(d->count, 1);
    memcpy(w->in_copy, w->want.state, d->count);
    for (uint16_t i = 0; i < d->count; i++) {
        bool in = false;
        for (const char *name = w->groups; *name && !in;) {
            size_t length = strcspn(name, ",");
            in = strncmp(d->params[i].id, name, length) == 0 && d->params[i].id[length] == '.';
            name += length + (name[length] == ',');
        }
        if (!in)
            w->want.state[i] = BIL_ABSENT;
    }
    return -1;
}

static uint8_t *named(const write_call *w, const char *ids, const char **unknown)
{
    const bil_description *d = w->want.description;
    uint8_t *list = need(d->count, 1);
    *unknown = NULL;
    for (const char *id = ids; *id && !*unknown;) {
        size_t length = strcspn(id, ",");
        int32_t index = bil_description_find(d, id, length);
        if (index < 0)
            *unknown = id;
        else
            list[index] = 1;
        id += length + (id[length] == ',');
    }
    return list;
}

/* Values left out, each with its reason, and those of which only the name is known. -1, or the exit code. */
int write_leave_out(write_call *w)
{
    const bil_description *d = w->want.description;
    const char *unknown;
    w->without = json_object();
    for (const char *id = w->without_before ? w->without_before : ""; *id;) {
        size_t length = strcspn(id, ",");
        char name[BIL_ID_MAX + 1];
        snprintf(name, sizeof name, "%.*s", (int)length, id);
        json_object_set_new(w->without, name, json_string("it was left out before in this story"));
        id += length + (id[length] == ',');
    }
    for (char **word = w->without_words; word && *word; word++) {
        size_t length = strcspn(*word, "=");
        char name[BIL_ID_MAX + 1];
        if (!(*word)[length] || length > BIL_ID_MAX || strlen(*word + length + 1) < 3 ||
            !note_is_good(*word + length + 1))
            return say_error(*word, BIL_E_CALL, "--without ID=REASON is wanted");
        snprintf(name, sizeof name, "%.*s", (int)length, *word);
        json_object_set_new(w->without, name, json_string(*word + length + 1));
    }
    const char *id;
    json_t *why;
    json_object_foreach(w->without, id, why)
    {
        int32_t index = bil_description_find(d, id, strlen(id));
        if (index < 0)
            return say_error(id, BIL_E_UNKNOWN_PARAMETER, NULL);
        w->want.state[index] = BIL_UNREADABLE;
    }
    w->by_name = named(w, w->unseen ? w->unseen : "", &unknown);
    w->config.by_name = w->by_name;
    return unknown ? say_error(unknown, BIL_E_UNKNOWN_PARAMETER, NULL) : -1;
}

/* "now", "idle", "by-hand", "never", or a time of day. -1, or the exit code. */
int write_take_restart(write_call *w)
{
    enum { IDLE_HOURS = 12 };
    static const char *const words[] = {"never", "now", "idle", NULL, "by-hand"};
    const char *word = w->restart_word;
    uint64_t now = w->dev.clock.ops->now_ms(w->dev.clock.ctx);
    if (!word)
        return -1;
    w->config.restart_ms = now + (uint64_t)IDLE_HOURS * 3600000;
    for (int i = 0; i < BIL_RESTART_COUNT; i++)
        if (words[i] && strcmp(word, words[i]) == 0) {
            w->config.restart = (bil_restart)i;
            if (i == BIL_RESTART_IDLE && w->dev.description->state_idle == 0)
                return say_error("--restart idle", BIL_E_CALL,
                                 "the description doesn't say in which states the machine stands by itself");
            if (i == BIL_RESTART_BY_HAND && !isatty(STDIN_FILENO))
                return say_error("--restart by-hand", BIL_E_PERSON, NULL);
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
    w->config.restart_ms = now + (uint64_t)(mktime(&at) - today) * 1000;
    return -1;
}

int write_check_call(const write_call *w)
{
    if (w->config.kind == BIL_JOB_RESET && !address_is_device(w->address))
        return say_error(w->address, BIL_E_CALL, "a device address, or the name of a device of the site, is wanted");
    if (w->config.kind != BIL_JOB_RESET && (address_is_device(w->copy) || !address_is_device(w->address)))
        return say_error("", BIL_E_CALL, "write takes a saved copy and then one device address");
    if (!note_is_good(w->who) || !note_is_good(w->why))
        return say_error("--why, --who", BIL_E_CALL, NOTE_WANTED);
    if (access(w->folder, W_OK | X_OK) != 0)
        return say_error(w->folder, BIL_E_FILE_WRITE, NULL);
    return -1;
}

/* "CHECK=REASON" each. -1, or the exit code. */
int write_set_aside(write_call *w)
{
    static const char *const names[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    w->despite = json_object();
    for (int i = 0; i < BIL_CHECK_COUNT; i++) /* those of the story that this goes on with */
        if (w->config.despite >> i & 1)
            json_object_set_new(w->despite, names[i],
                                json_string(w->config.kind == BIL_JOB_RESET ? "a reset brings what the maker chose"
                                            : w->undoes                     ? "going back to what was there before"
                                                                            : "as in the first record of this story"));
    for (char **word = w->despite_words; word && *word; word++) {
        int check = BIL_CHECK_COUNT - 1;
        size_t length = strcspn(*word, "=");
        static const char *const others[] = {"changed=", "card=", "turn="};
        size_t other = 0;
        while (other < 3 && strncmp(*word, others[other], strlen(others[other])) != 0)
            other++;
        const char *reason = *word + (other < 3 ? strlen(others[other]) : 0);
        if (other < 3 && strlen(reason) > 2 && note_is_good(reason)) {
            json_object_set_new(w->despite, (const char *[]){"changed", "card", "turn"}[other], json_string(reason));
            continue;
        }
        while (check >= 0 && (strlen(names[check]) != length || strncmp(names[check], *word, length) != 0))
            check--;
        if (check < 0 || (*word)[length] != '=' || strlen(*word + length + 1) < 3 || !note_is_good(*word + length + 1))
            return say_error(*word, BIL_E_CALL,
                             "firmware=REASON is wanted, or so with hardware, rules, changed, card or turn");
        w->config.despite |= UINT32_C(1) << check;
        json_object_set_new(w->despite, names[check], json_string(*word + length + 1));
    }
    return -1;
}
