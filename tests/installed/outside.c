/* A program outside, as C11 and as C++17, with nothing but what is installed: a link of its own to a drive that lives
 * in memory, read twice and compared. Says what changed. */
#include <bilancia/bilancia.h>

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#ifdef __cplusplus
extern "C"
#else
extern
#endif
    const bil_description bil_description_ed_30;

/* ---- the link: four functions on cells ---- */

typedef struct memory {
    uint16_t cells[65536];
    unsigned requests;
} memory;

static bil_outcome dial(void *ctx, bil_result *result)
{
    (void)ctx;
    result->cause = BIL_OK;
    return BIL_DONE;
}

static bil_outcome read_cells(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    memory *m = (memory *)ctx;
    (void)result;
    m->requests++;
    memcpy(cells, m->cells + at->first, at->count * sizeof *cells);
    return BIL_DONE;
}

static bil_outcome write_cells(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    memory *m = (memory *)ctx;
    (void)result;
    memcpy(m->cells + at->first, cells, at->count * sizeof *cells);
    return BIL_DONE;
}

static void hang_up(void *ctx)
{
    (void)ctx;
}

static const bil_cell_ops ops = {dial, read_cells, write_cells, hang_up, NULL};

/* ---- its use ---- */

static void put(memory *m, const bil_description *d, const char *id, const char *text)
{
    int32_t index = bil_description_find(d, id, strlen(id));
    uint8_t raw[BIL_TEXT_MAX];
    if (index < 0 || bil_value_parse(d->params[index].format, text, strlen(text), NULL, raw) != BIL_OK)
        exit(3);
    bil_value_to_cells(d->params[index].format, raw, m->cells + d->params[index].at.number);
}

static void read_all(bil_image *image, bil_link link)
{
    const bil_description *d = image->description;
    size_t size = bil_job_size(d);
    void *room = malloc(size);
    bil_job_config config;
    bil_job *job;
    bil_action action;
    bil_result result;
    memset(&config, 0, sizeof config);
    memset(&result, 0, sizeof result);
    config.struct_size = sizeof config;
    config.kind = BIL_JOB_READ;
    config.description = d;
    config.have = image;
    if (!room || bil_job_init(&job, room, size, &config) != BIL_OK)
        exit(4);
    while (bil_job_step(job, &result, &action) == BIL_OK && action.kind != BIL_ACT_END) {
        memset(&result, 0, sizeof result);
        result.number = action.number;
        if (action.kind == BIL_ACT_CONNECT)
            result.outcome = link.ops->connect(link.ctx, &action.u.connect, &result);
        if (action.kind == BIL_ACT_TRANSFER)
            result.outcome = link.ops->transfer(link.ctx, &action.u.transfer, &result);
    }
    if (action.u.end.verdict != BIL_VERDICT_VERIFIED)
        exit(5);
    free(room);
}

int main(void)
{
    static memory drive;
    const bil_description *d = &bil_description_ed_30;
    bil_cell_link over;
    bil_cells below = {&ops, &drive};
    bil_link link = bil_cell_link_over(&over, below);
    bil_image images[2];
    put(&drive, d, "id.vendor", d->vendor);
    put(&drive, d, "id.model", d->model);
    for (int i = 0; i < 2; i++) {
        size_t size = bil_image_size(d);
        bil_image_init(&images[i], d, malloc(size), size);
        read_all(&images[i], link);
        put(&drive, d, "limit.torque", "120");
    }
    bil_image_source before, after;
    bil_compare compare;
    bil_difference one;
    bil_compare_init(&compare, bil_image_as_source(&before, &images[0]), bil_image_as_source(&after, &images[1]));
    while (bil_compare_next(&compare, &one) == 1)
        if (one.relation == BIL_REL_CHANGED)
            printf("%.*s changed\n", (int)one.left->id.length, one.left->id.text);
    printf("version %u, headers %u, %u requests\n", bil_version(), (unsigned)BIL_VERSION, drive.requests);
    free(images[0].state);
    free(images[1].state);
    return bil_version() == BIL_VERSION ? 0 : 6;
}
