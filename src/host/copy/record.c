#include "host/copy/record.h"

#include "bilancia/host_error.h"
#include "bilancia/words.h"

#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <time.h>
#include <unistd.h>

#include "host/base/json.h"
#include "port/digest.h"
#include "port/memory.h"

static int put_line(FILE *file, json_t *line, char digest[2 * BIL_SHA256 + 1])
{
    char *text = jn_text(line, JSON_COMPACT);
    json_decref(line);
    if (!text)
        return BIL_E_MEMORY;
    bool good = digest_hex(text, strlen(text), digest) && fputs(text, file) >= 0 && putc('\n', file) != EOF;
    free(text);
    return good ? storage_sync(file) : storage_error();
}

/* The page beside the ledger comes first: what only the site has is another computer's. */
static FILE *begin_own(const char *intent)
{
    char folder[STORAGE_PATH], path[STORAGE_PATH];
    if (ledger_make_pages(intent, folder) != BIL_OK || !ledger_page(intent, LEDGER_RECORD, path))
        return NULL;
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0600);
    int above = open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (above >= 0 && fsync(above) == 0)
        close(above);
    return fd < 0 ? NULL : fdopen(fd, "ab");
}

/* A page that isn't whole would say less than the record: then that counts. */
void record_forget_page(record *rec)
{
    if (rec->own) {
        fclose(rec->own);
        ledger_drop_pages(rec->intent);
    }
    rec->own = NULL;
}

static int put_both(record *rec, json_t *line)
{
    json_incref(line);
    if (rec->own && put_line(rec->own, line, rec->last) != BIL_OK)
        record_forget_page(rec);
    else if (!rec->own)
        json_decref(line);
    return put_line(rec->file, line, rec->last);
}

int record_begin(record *rec, const char *folder, const char *name, json_t *first, bool own)
{
    *rec = (record){0};
    storage_file storage;
    int error = storage_begin(&storage, folder, name);
    if (error) {
        json_decref(first);
        return error;
    }
    char *text = jn_text(first, JSON_COMPACT), short_hex[SET_NAME_DIGEST + 1];
    if (text && digest_hex(text, strlen(text), rec->intent)) {
        snprintf(short_hex, sizeof short_hex, "%s", rec->intent);
        storage_name_digest(&storage, short_hex);
        rec->own = own ? begin_own(rec->intent) : NULL;
    }
    free(text);
    rec->file = storage.file;
    error = put_both(rec, first);
    rec->file = NULL;
    if (error)
        storage_cancel(&storage);
    else
        error = storage_commit(&storage, folder, rec->path);
    int fd = error ? -1 : storage_append(rec->path);
    rec->file = fd < 0 ? NULL : fdopen(fd, "ab");
    if (!error && !rec->file)
        error = storage_error();
    if (!error)
        flock(fd, LOCK_EX | LOCK_NB); /* whoever brings it elsewhere sees that it isn't whole yet */
    if (error)
        record_forget_page(rec);
    return error;
}

int record_add(record *rec, json_t *line)
{
    if (rec->file)
        return put_both(rec, line);
    json_decref(line);
    return BIL_E_RECORD;
}

void record_close(record *rec)
{
    if (rec->file)
        fclose(rec->file);
    if (rec->own)
        fclose(rec->own);
    rec->file = rec->own = NULL;
}

int record_end(record *rec)
{
    int error = record_add(rec, jn_pack("{s:s}", "event", "end"));
    record_close(rec);
    return error;
}

/* ---- its lines ---- */

static const char *const restarts[] = {
#define RESTART_NAME(NAME, name, what) name,
    BIL_RESTARTS(RESTART_NAME)
#undef RESTART_NAME
};

/* A line is whole, or there is none: one that lacked something would say something else. */
static json_t *whole(mem_scope *scope, json_t *line)
{
    if (!mem_leave(scope))
        return line;
    json_decref(line);
    return NULL;
}

json_t *record_intent_line(const record_intent *in, const char *when)
{
    mem_scope scope;
    mem_enter(&scope, mem_present());
    char serial[BIL_VALUE_TEXT], firmware[BIL_VALUE_TEXT];
    bil_image_identity(in->have, BIL_ID_SERIAL, serial, sizeof serial);
    bil_image_identity(in->have, BIL_ID_FIRMWARE, firmware, sizeof firmware);
    const bil_job_config *config = in->config;
    const char *path = bil_text_is_printable(in->copy, strlen(in->copy)) ? in->copy : "(a path that isn't UTF-8)";
    json_t *line =
        jn_pack("{s:i,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:b,s:s,s:b,s:b,s:b,s:s,s:s,s:i,s:i}",
                "bilancia_record", 0, "event", "intent", "when", when, "who", in->who, "why", in->why, "address",
                in->address, "model", in->have->description->model, "serial", serial, "firmware", firmware, "copy",
                path, "copy_digest", in->digest, "purpose", bil_purpose_name(in->purpose), "with_calibration",
                (int)config->with_calibration, "restart", restarts[config->restart], "undoes", (int)in->undoes,
                "resets", (int)(config->kind == BIL_JOB_RESET), "trial", (int)config->trial, "groups", in->groups,
                "chain", in->chain, "found", (int)in->found, "planned", (int)in->planned);
    if (in->goes_on)
        jn_put(line, "goes_on", json_true());
    if (in->restart_asked)
        jn_put(line, "restart_asked", json_true());
    if (in->unit_after)
        jn_put(line, "unit_after", jn_integer(BIL_UNIT_NUMBER(in->unit_after)));
    uint16_t number = in->have->description->link_unit;
    if (number != BIL_NONE && in->have->state[number] == BIL_PRESENT) {
        uint32_t own = 0;
        for (uint8_t i = 0; i < in->have->description->params[number].format->size; i++)
            own = own << 8 | bil_image_raw(in->have, number)[i];
        jn_put(line, "unit_before", jn_integer(own));
    }
    jn_put(line, "layout", jn_string(in->have->description->layout));
    jn_put(line, "description", jn_string(in->description ? in->description : ""));
    if (in->after)
        jn_put_shared(line, "after", in->after);
    if (in->despite)
        jn_put_shared(line, "despite", in->despite);
    if (in->without && json_object_size(in->without))
        jn_put_shared(line, "without", in->without);
    if (in->secrets && json_array_size(in->secrets))
        jn_put_shared(line, "secrets", in->secrets);
    if (in->chain[0]) {
        jn_put(line, "still_held", json_boolean(in->still_held));
        jn_put(line, "found_first", jn_integer(in->found_first));
    }
    return whole(&scope, line);
}

json_t *record_event_line(const bil_description *d, const bil_action *action, const char *when)
{
    mem_scope scope;
    mem_enter(&scope, mem_present());
    json_t *line = jn_pack("{s:s,s:s}", "event", bil_event_name(action->u.record.event), "when", when);
    if (action->u.record.param != BIL_NONE)
        jn_put(line, "parameter", jn_string(d->params[action->u.record.param].id));
    if (action->u.record.cause)
        jn_put(line, "cause", jn_string(bil_error_name((int)action->u.record.cause)));
    if (action->u.record.event == BIL_EV_HOLDING) /* what it goes back to */
        jn_put(line, "found", jn_integer(action->u.record.code));
    else if (action->u.record.code)
        jn_put(line, "code", jn_integer(action->u.record.code));
    return whole(&scope, line);
}

json_t *record_safety_line(const char *path, const char *digest)
{
    return jn_pack("{s:s,s:s,s:s}", "event", "safety_copy", "path", path, "digest", digest);
}

json_t *record_collected_line(const char *id, const char *path)
{
    return jn_pack("{s:s,s:s,s:s}", "event", "collected", "file", id, "path", path);
}

static void put_counter(json_t *line, const char *key, const bil_image *have, uint16_t param)
{
    if (param != BIL_NONE && have->state[param] == BIL_PRESENT)
        jn_put(line, key,
               jn_integer((json_int_t)bil_value_number(bil_image_raw(have, param),
                                                       have->description->params[param].format->size)));
}

json_t *record_outcome_line(const bil_action *end, unsigned written, const char *values, const bil_image *have)
{
    json_t *line = jn_pack("{s:s,s:s,s:b,s:i}", "event", "outcome", "verdict", bil_verdict_name(end->u.end.verdict),
                           "held", (int)end->u.end.held, "written", (int)written);
    bool tries = end->u.end.verdict == BIL_VERDICT_ON_TRIAL;
    if (values[0])
        jn_put(line, "values", jn_string(values));
    if (values[0] || (tries && have)) {
        put_counter(line, "changes", have, have->description->changes);
        put_counter(line, "starts", have, have->description->starts);
    }
    return line;
}

json_t *record_test_line(bool warning, const char *what, const char *result, const char *who, const char *when)
{
    return jn_pack("{s:s,s:s,s:s,s:s,s:s}", "event", warning ? "warning" : "test", "when", when, "what", what, "result",
                   result, "who", who);
}

static const char *const results[] = {"open", "passed", "failed"};

const char *record_result_name(record_result result)
{
    return results[result];
}

record_result record_result_of(const char *name)
{
    return strcmp(name, results[RECORD_PASSED]) == 0   ? RECORD_PASSED
           : strcmp(name, results[RECORD_FAILED]) == 0 ? RECORD_FAILED
                                                       : RECORD_OPEN;
}

/* ---- what it says ---- */

static const char *text_of(const json_t *line, const char *key)
{
    const char *text = json_string_value(json_object_get(line, key));
    return text ? text : "";
}

static void take_text(const json_t *line, const char *key, char *out, size_t size)
{
    const char *text = text_of(line, key);
    snprintf(out, size, "%s", bil_text_is_printable(text, strlen(text)) ? text : "");
}

static unsigned number_of(const json_t *line, const char *key)
{
    json_int_t n = json_integer_value(json_object_get(line, key));
    return n > 0 && n <= BIL_PARAMS_MAX ? (unsigned)n : 0;
}

static bool counter_of(const json_t *line, const char *key, uint32_t *number)
{
    const json_t *it = json_object_get(line, key);
    json_int_t n = json_integer_value(it);
    *number = n >= 0 && n <= UINT32_MAX ? (uint32_t)n : 0;
    return json_is_integer(it) && n >= 0 && n <= UINT32_MAX;
}

static uint32_t unit_of(const json_t *line, const char *key)
{
    const json_t *number = json_object_get(line, key);
    json_int_t n = json_integer_value(number);
    return json_is_integer(number) && n >= 0 && n <= 65535 ? BIL_UNIT(n) : 0;
}

static void take_intent(record_story *s, const json_t *line)
{
    const char *slash = strrchr(s->path, '/');
    const json_t *after = json_object_get(line, "after");
    s->after_count = 0;
    for (size_t i = 0; i < json_array_size(after) && s->after_count < sizeof s->after / sizeof s->after[0]; i++) {
        const char *one = json_string_value(json_array_get(after, i));
        if (one && strlen(one) == 2 * BIL_SHA256)
            memcpy(s->after[s->after_count++], one, sizeof s->after[0]);
    }
    take_text(line, "layout", s->layout, sizeof s->layout);
    take_text(line, "description", s->description, sizeof s->description);
    take_text(line, "model", s->model, sizeof s->model);
    take_text(line, "serial", s->serial, sizeof s->serial);
    take_text(line, "address", s->address, sizeof s->address);
    take_text(line, "when", s->when, sizeof s->when);
    take_text(line, "who", s->who, sizeof s->who);
    take_text(line, "why", s->why, sizeof s->why);
    take_text(line, "copy", s->copy, sizeof s->copy);
    take_text(line, "copy_digest", s->copy_digest, sizeof s->copy_digest);
    take_text(line, "chain", s->chain, sizeof s->chain);
    if (!s->chain[0] || strchr(s->chain, '/'))
        snprintf(s->chain, sizeof s->chain, "%s", slash ? slash + 1 : s->path);
    s->purpose = bil_purpose_from_name(text_of(line, "purpose"));
    s->with_calibration = json_is_true(json_object_get(line, "with_calibration"));
    static const char *const checks[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    for (int i = 0; i < BIL_CHECK_COUNT; i++)
        if (json_is_string(json_object_get(json_object_get(line, "despite"), checks[i])))
            s->despite |= UINT32_C(1) << i;
    const char *id;
    json_t *why;
    size_t used = 0;
    json_object_foreach(json_object_get(line, "without"), id,
                        why) if (strlen(id) <= BIL_ID_MAX && used + BIL_ID_MAX + 2 < sizeof s->without) used +=
        (size_t)snprintf(s->without + used, sizeof s->without - used, "%s%s", used ? "," : "", id);
    for (int i = 0; i < BIL_RESTART_COUNT; i++)
        if (strcmp(restarts[i], text_of(line, "restart")) == 0)
            s->restart = i;
    take_text(line, "groups", s->groups, sizeof s->groups);
    s->undoes = json_is_true(json_object_get(line, "undoes"));
    s->resets = json_is_true(json_object_get(line, "resets"));
    s->unit_before = unit_of(line, "unit_before");
    s->unit_after = unit_of(line, "unit_after");
    s->found = (uint32_t)json_integer_value(json_object_get(line, "found"));
    const json_t *found_first = json_object_get(line, "found_first");
    s->found_first = found_first ? (uint32_t)json_integer_value(found_first) : s->found;
    s->held = json_is_true(json_object_get(line, "still_held"));
    s->planned = number_of(line, "planned");
    s->goes_on = json_is_true(json_object_get(line, "goes_on"));
    s->restart_asked = json_is_true(json_object_get(line, "restart_asked"));
}

static void take_event(record_story *s, const json_t *line)
{
    const char *event = text_of(line, "event");
    if (strcmp(event, "safety_copy") == 0) {
        take_text(line, "path", s->safety, sizeof s->safety);
        take_text(line, "digest", s->safety_digest, sizeof s->safety_digest);
    } else if (strcmp(event, "holding") == 0) {
        s->held = true;
        if (json_is_integer(json_object_get(line, "found")))
            s->found = (uint32_t)json_integer_value(json_object_get(line, "found"));
    } else if (strcmp(event, "released") == 0) {
        s->held = false;
    } else if (strcmp(event, "writing") == 0 || strcmp(event, "storing") == 0 || strcmp(event, "resetting") == 0) {
        s->wrote = true;
    } else if (strcmp(event, "outcome") == 0) {
        take_text(line, "verdict", s->verdict, sizeof s->verdict);
        s->held = json_is_true(json_object_get(line, "held"));
        s->written = number_of(line, "written");
        take_text(line, "values", s->values, sizeof s->values);
        s->has_changes = counter_of(line, "changes", &s->changes);
        s->has_starts = counter_of(line, "starts", &s->starts);
    }
}

/* Behind the outcome: what is to be tried, and what people said of it; of one thing the last word counts. */
static void take_test(record_story *s, const json_t *line)
{
    record_test one = {.warning = strcmp(text_of(line, "event"), "warning") == 0,
                       .result = record_result_of(text_of(line, "result"))};
    size_t i = 0;
    if (!one.warning && strcmp(text_of(line, "event"), "test") != 0)
        return;
    take_text(line, "what", one.what, sizeof one.what);
    while (i < s->test_count && (s->tests[i].warning != one.warning || strcmp(s->tests[i].what, one.what) != 0))
        i++;
    if (i == RECORD_TESTS)
        return;
    s->tests[i] = one;
    s->test_count = i == s->test_count ? i + 1 : s->test_count;
}

/* One line more; false when it can't stand there. */
static bool take_line(record_story *s, const json_t *line, bool first, bool *over, bool *ended)
{
    const char *event = text_of(line, "event");
    bool intent = strcmp(event, "intent") == 0, outcome = strcmp(event, "outcome") == 0;
    if (!json_is_object(line) || !event[0] || intent != first || *ended || (outcome && *over))
        return false;
    *ended = strcmp(event, "end") == 0;
    if (intent)
        take_intent(s, line);
    else if (!*over)
        take_event(s, line);
    else /* then come the tests of a person, who may set it to work: the write is over */
        take_test(s, line);
    *over = *over || outcome;
    return true;
}

int record_read(const char *path, record_story *s)
{
    *s = (record_story){0};
    snprintf(s->path, sizeof s->path, "%s", path);
    size_t size;
    char *text = storage_text(path, RECORD_MOST, &size);
    if (!text)
        return storage_open_error();
    bool over = false, ended = false, good = size > 0;
    for (char *at = text, *end; good && at < text + size; at = end + 1) {
        end = memchr(at, '\n', (size_t)(text + size - at));
        if (!end && at != text)
            break; /* cut by a power failure: what was on its way didn't happen yet */
        end = end ? end : text + size;
        json_t *line = jn_read(at, (size_t)(end - at), NULL);
        good = line && digest_hex(at, (size_t)(end - at), s->last) && take_line(s, line, at == text, &over, &ended);
        if (at == text)
            memcpy(s->intent, s->last, sizeof s->intent);
        json_decref(line);
    }
    free(text);
    if (!good)
        return BIL_E_RECORD_FORM;
    /* A later record of an unfinished story settles it only by reaching what it wanted. */
    const char *slash = strrchr(path, '/');
    bool first = strcmp(s->chain, slash ? slash + 1 : path) == 0;
    s->proved = strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_VERIFIED)) == 0 ||
                strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_WITH_EXCEPTIONS)) == 0;
    bool reached = s->proved || strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_IN_FORCE)) == 0 ||
                   strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_NOT_PROVED)) == 0;
    bool untouched = strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_REFUSED)) == 0 ||
                     strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_UNTOUCHED)) == 0;
    s->on_trial = !s->held && strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_ON_TRIAL)) == 0;
    s->finished = !s->held && (reached || (first && untouched));
    s->settled = s->finished || (first && !s->verdict[0] && !s->held && !s->wrote);
    return s->purpose >= 0 ? BIL_OK : BIL_E_RECORD_FORM;
}

void record_go_on(const record_story *before, bil_job_config *config)
{
    config->held_before = before->held;
    config->found = before->found;
    config->numbered = before->unit_after != 0;
}

bool record_again(const record_story *first, bool undoes, bil_job_config *config)
{
    config->kind = first->resets && !undoes ? BIL_JOB_RESET : BIL_JOB_WRITE;
    config->with_calibration = first->with_calibration || (undoes && first->resets);
    config->restart = undoes || first->restart == BIL_RESTART_AT ? BIL_RESTART_NOW : (bil_restart)first->restart;
    config->purpose = undoes ? BIL_RESTORE : (bil_purpose)first->purpose;
    config->purpose_given = true;
    config->goes_on = first->goes_on;
    config->despite = first->despite; /* the reasons stand in the first record */
    config->goes_back = undoes;
    if (undoes)
        config->despite |= UINT32_C(1) << BIL_CHECK_RULES; /* what was there before may come back as it was */
    return undoes && !first->undoes;
}
