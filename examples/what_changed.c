/* What changed while somebody turned the knobs? Reads a drive ED-30 twice and compares.   what_changed HOST PORT UNIT
 */
#include <stdio.h>
#include <stdlib.h>

#include "bilancia/compare.h"
#include "bilancia/job.h"
#include "port/clock.h"
#include "port/modbus.h"

extern const bil_description bil_description_ed_30;

static bil_action read_all(bil_image *image, bil_link link, bil_clock clock)
{
    bil_job_config config = {
        .struct_size = sizeof config, .kind = BIL_JOB_READ, .description = image->description, .have = image};
    size_t size = bil_job_size(image->description);
    void *memory = malloc(size);
    bil_job *job;
    bil_action a;
    bil_result result = {.now_ms = clock.ops->now_ms(clock.ctx)};
    bil_job_init(&job, memory, size, &config);
    while (bil_job_step(job, &result, &a) == BIL_OK && a.kind != BIL_ACT_END) {
        result = (bil_result){.number = a.number};
        if (a.kind == BIL_ACT_CONNECT)
            result.outcome = link.ops->connect(link.ctx, &a.u.connect, &result);
        else if (a.kind == BIL_ACT_WAIT)
            clock.ops->sleep_until(clock.ctx, a.u.wait.until_ms);
        else /* a read job asks for nothing else */
            result.outcome = link.ops->transfer(link.ctx, &a.u.transfer, &result);
        result.now_ms = clock.ops->now_ms(clock.ctx);
    }
    free(memory);
    return a;
}

int main(int argc, char **argv)
{
    modbus_link modbus;
    bil_link link;
    if (argc != 4 || !modbus_link_open(&modbus, argv[1], argv[2], atoi(argv[3]), &link))
        return 2;
    bil_image images[2];
    for (int i = 0; i < 2; i++) {
        size_t size = bil_image_size(&bil_description_ed_30);
        bil_image_init(&images[i], &bil_description_ed_30, malloc(size), size);
        bil_action end = read_all(&images[i], link, clock_monotonic());
        if (end.u.end.cause)
            return fprintf(stderr, "%s\n", bil_error_text((int)end.u.end.cause)), 4;
        if (i == 0)
            puts("Read. Change something at the drive, then press Enter."), getchar();
    }
    bil_image_source before, after;
    bil_compare compare;
    bil_difference d;
    bil_compare_init(&compare, bil_image_as_source(&before, &images[0]), bil_image_as_source(&after, &images[1]));
    while (bil_compare_next(&compare, &d) == 1)
        if (d.relation == BIL_REL_CHANGED)
            printf("%.*s\n", (int)d.left->id.length, d.left->id.text);
    printf("%u changed\n", (unsigned)compare.count[BIL_REL_CHANGED]);
    free(images[0].state); /* an image begins with its states */
    free(images[1].state);
    modbus_link_free(&modbus);
    return 0;
}
