#include "help.h"

uint64_t roll(dice *d)
{
    d->state ^= d->state >> 12;
    d->state ^= d->state << 25;
    d->state ^= d->state >> 27;
    return d->state * UINT64_C(2685821657736338717);
}

uint32_t roll_below(dice *d, uint32_t limit)
{
    return (uint32_t)((roll(d) >> 32) * limit >> 32);
}

size_t utf8_of(uint32_t c, char text[5])
{
    memset(text, 0, 5);
    size_t more = c >= 0x10000 ? 3 : c >= 0x800 ? 2 : c >= 0x80 ? 1 : 0;
    static const uint8_t lead[] = {0, 0xc0, 0xe0, 0xf0};
    for (size_t i = more; i > 0; i--, c >>= 6)
        text[i] = (char)(0x80 | (c & 0x3f));
    text[0] = (char)(lead[more] | c);
    return more + 1;
}

unsigned rounds(unsigned usual)
{
    const char *times = getenv("BILANCIA_ROUNDS");
    return times ? usual * (unsigned)strtoul(times, NULL, 10) : usual;
}

bil_image new_image(const bil_description *description)
{
    bil_image image;
    size_t size = bil_image_size(description);
    void *memory = malloc(size);
    assert_non_null(memory);
    assert_int_equal(bil_image_init(&image, description, memory, size), BIL_OK);
    return image;
}

void free_image(bil_image *image)
{
    free(image->state);
}

#ifdef TESTS_PLAIN /* without the library that reads documents for the unit */
static bil_link link_to_documents(bench *b)
{
    (void)b;
    abort();
}
#else
#include "sim/http.h"

static bil_link link_to_documents(bench *b)
{
    return bil_http_link_over(&b->documents, sim_http_open(&b->sim), &host_floats, b->room, sizeof b->room);
}
#endif

static bil_error let_in(void *ctx, const char *says, char out[BIL_TEXT_MAX + 1])
{
    bench *b = ctx;
    snprintf(b->says, sizeof b->says, "%s", says);
    b->asked++;
    snprintf(out, BIL_TEXT_MAX + 1, "%s", b->shut_out ? "" : b->password);
    return b->shut_out;
}

void bench_open(bench *b, const sim_model *model, const bil_description *description, bool as_delivered)
{
    memset(b, 0, sizeof *b);
    b->unit = malloc(sizeof *b->unit);
    assert_non_null(b->unit);
    sim_start(b->unit, model, as_delivered, NULL, NULL);
    bil_cells cells = sim_link_open(&b->sim, b->unit);
    b->clock = sim_link_clock(&b->sim);
    if (description->console)
        b->link = bil_console_link_over(&b->words, sim_stream_open(&b->stream, &b->sim, false), b->clock, &host_floats);
    else if (description->http)
        b->link = link_to_documents(b);
    else
        b->link = bil_cell_link_over(&b->over, cells);
    b->words.doorman = b->documents.doorman = (bil_doorman){let_in, b};
    b->description = description;
    b->have = new_image(description);
    b->want = new_image(description);
    b->password = description->http ? "label-1" : model == &sim_ew4 ? "2604" : model == &sim_el16 ? "olive" : "mill-30";
}

void bench_open_line(bench *b, const sim_model *model, const bil_description *description)
{
    bench_open(b, model, description, false);
    b->link = bil_console_link_over(&b->words, sim_stream_open(&b->stream, &b->sim, true), b->clock, &host_floats);
    b->words.doorman = (bil_doorman){let_in, b};
}

void bench_close(bench *b)
{
    free(b->unit);
    free(b->job);
    free_image(&b->have);
    free_image(&b->want);
}

/* ---- files ---- */

void files_put(small_files *s, const void *bytes, size_t size, uint8_t raw[BIL_FILE_RAW])
{
    bil_digest digest;
    assert_true(size <= STORE_BYTES && digest_open(&digest));
    digest.ops->start(digest.ctx);
    digest.ops->add(digest.ctx, bytes, size);
    bil_value_put_number(raw, 8, size);
    digest.ops->end(digest.ctx, raw + 8);
    digest_close(&digest);
    for (size_t i = 0; i < s->count; i++)
        if (memcmp(s->files[i].raw, raw, BIL_FILE_RAW) == 0)
            return;
    size_t at = s->count < STORE_FILES ? s->count++ : 10 + size % (STORE_FILES - 10); /* the first ones stay */
    memcpy(s->files[at].raw, raw, BIL_FILE_RAW);
    memcpy(s->files[at].bytes, bytes, size);
}

static bool begin(void *ctx)
{
    small_files *s = ctx;
    s->at = 0;
    return s->begun = true;
}

static bil_error take(void *ctx, const uint8_t *bytes, size_t count)
{
    small_files *s = ctx;
    if (s->at + count > STORE_BYTES)
        return BIL_E_RANGE;
    memcpy(s->moving + s->at, bytes, count);
    s->at += count;
    return BIL_OK;
}

static size_t give(void *ctx, uint8_t *bytes, size_t most)
{
    small_files *s = ctx;
    size_t count = s->size - s->at < most ? s->size - s->at : most;
    memcpy(bytes, s->moving + s->at, count);
    s->at += count;
    return count;
}

static bool move(void *ctx, const bil_transfer *t, bil_bytes *bytes)
{
    small_files *s = &((bench *)ctx)->files;
    bool found = !t->write || bil_file_is_none(t->raw);
    *bytes = (bil_bytes){begin, take, give, s};
    s->begun = false;
    s->at = s->size = 0;
    for (size_t i = 0; i < s->count && !found; i++) {
        found = memcmp(s->files[i].raw, t->raw, BIL_FILE_RAW) == 0;
        s->size = (size_t)bil_file_size(t->raw);
        memcpy(s->moving, s->files[i].bytes, STORE_BYTES);
    }
    return found;
}

static bool taken(void *ctx, uint8_t raw[BIL_FILE_RAW])
{
    small_files *s = &((bench *)ctx)->files;
    memset(raw, 0, BIL_FILE_RAW);
    if (s->begun)
        files_put(s, s->moving, s->at, raw);
    return true;
}

/* ---- jobs ---- */

static bool ask(void *ctx, const bil_action *action)
{
    bench *b = ctx;
    return !b->ask || b->ask(b->ctx, action);
}

static bool record_it(void *ctx, const bil_action *action)
{
    bench *b = ctx;
    return !b->record || b->record(b->ctx, action);
}

static bool save(void *ctx, const bil_image *have)
{
    bench *b = ctx;
    return !b->save || b->save(b->ctx, have);
}

static void before(void *ctx, const bil_job *job, const bil_action *action)
{
    bench *b = ctx;
    if (b->before)
        b->before(b->ctx, job, action);
}

static bool secret(void *ctx, uint8_t slot, const bil_format *format, uint8_t *raw)
{
    const bench *b = ctx;
    const char *text = slot == 1 ? b->password : slot == BIL_SECRETS_MAX + 1 ? b->sealed : NULL;
    size_t length = text ? strlen(text) : 0;
    if (length == 0 || (format->type == BIL_TEXT && length > format->size))
        return false;
    if (format->type == BIL_TEXT)
        memcpy(raw, text, length);
    else
        bil_value_put_number(raw, format->size, strtoull(text, NULL, 10));
    return true;
}

static bil_action run(bench *b, bil_job_config config)
{
    config.struct_size = sizeof config;
    config.description = b->description;
    config.have = &b->have;
    size_t size = bil_job_size(b->description);
    bil_job *job;
    free(b->job);
    b->job = malloc(size);
    assert_int_equal(bil_job_init(&job, b->job, size, &config), BIL_OK);
    bil_run_hooks hooks = {.struct_size = sizeof hooks,
                           .ask = ask,
                           .record = record_it,
                           .save = save,
                           .progress = before,
                           .secret = secret,
                           .bytes = move,
                           .taken = taken,
                           .ctx = b};
    bil_action end;
    assert_int_equal(bil_run(job, b->link, b->clock, &hooks, &end), BIL_OK);
    bil_job_progress_of(job, &b->progress);
    b->purpose = bil_job_purpose(job);
    return end;
}

bil_action bench_read(bench *b, bool keep)
{
    bil_action end = run(b, (bil_job_config){.kind = BIL_JOB_READ, .has_password = b->password != NULL});
    if (keep) {
        bil_image_copy(&b->want, &b->have);
        bil_image_identity(&b->have, BIL_ID_SERIAL, b->serial, sizeof b->serial);
        bil_image_identity(&b->have, BIL_ID_FIRMWARE, b->firmware, sizeof b->firmware);
    }
    return end;
}

bil_job_config bench_config(bench *b)
{
    return (bil_job_config){.kind = BIL_JOB_WRITE,
                            .want = &b->want,
                            .serial = b->serial,
                            .firmware = b->firmware,
                            .restart = BIL_RESTART_NOW,
                            .has_password = b->password != NULL};
}

bil_action bench_write(bench *b, bil_job_config config)
{
    return run(b, config);
}

uint16_t index_of(const bil_description *description, const char *id)
{
    int32_t index = bil_description_find(description, id, strlen(id));
    assert_true(index >= 0);
    return (uint16_t)index;
}

void want_text(bench *b, const char *id, const char *text)
{
    uint16_t index = index_of(b->description, id);
    uint8_t raw[BIL_TEXT_MAX];
    assert_int_equal(bil_value_parse(b->description->params[index].format, text, strlen(text), &host_floats, raw),
                     BIL_OK);
    bil_image_put(&b->want, index, raw);
}

void assert_text(const bil_image *image, const char *id, const char *text)
{
    uint16_t index = index_of(image->description, id);
    char found[BIL_VALUE_TEXT] = "";
    assert_int_equal(image->state[index], BIL_PRESENT);
    assert_int_equal(bil_value_text(image->description->params[index].format, bil_image_raw(image, index), &host_floats,
                                    found, sizeof found),
                     BIL_OK);
    assert_string_equal(found, text);
}
