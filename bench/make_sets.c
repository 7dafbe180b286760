/* Makes two sets of many parameters that differ in one value out of N.   make_sets COUNT ONE_IN LEFT.bset RIGHT.bset
 * ONE_IN 0: no value differs. The values look like those of a large controller: scaled numbers, choices, floats, text.
 */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/set.h"
#include "port/digest.h"

static bil_str str(const char *text)
{
    return (bil_str){text, strlen(text)};
}

static void make(const char *path, uint32_t count, uint32_t one_in, bool right)
{
    FILE *file = fopen(path, "wb");
    bil_digest digests[2];
    if (!file || !digest_open(&digests[0]) || !digest_open(&digests[1])) {
        perror(path);
        exit(1);
    }
    bil_set_writer writer;
    bil_set_header header = {.vendor = str("Esempio"),
                             .model = str("EM-1"),
                             .serial = str("1"),
                             .layout = str("0000000000000000000000000000000000000000000000000000000000000000")};
    char line[BIL_SET_LINE];
    size_t length;
    bil_set_begin(&writer, digests[0], digests[1], NULL, &header, line, &length);
    fwrite(line, 1, length, file);
    uint64_t dice = 88172645463325252u;
    for (uint32_t i = 0; i < count; i++) {
        dice ^= dice << 13;
        dice ^= dice >> 7;
        dice ^= dice << 17;
        bool differs = right && one_in && i % one_in == one_in / 2;
        uint32_t number = (uint32_t)(dice % 60000) ^ (differs ? 1u : 0u);
        char id[64], name[64], value[64];
        snprintf(id, sizeof id, "unit_%03" PRIu32 ".channel_%04" PRIu32 ".level", i / 10000, i % 10000);
        snprintf(name, sizeof name, "Level of channel %" PRIu32, i % 10000);
        snprintf(value, sizeof value, "%" PRIu32 ".%02" PRIu32, number / 100, number % 100);
        bil_item item = {.id = str(id),
                         .name = str(name),
                         .unit = str("mm"),
                         .value = str(value),
                         .type = BIL_U16,
                         .cls = BIL_CLASS_SETUP,
                         .size = 2,
                         .raw = {(uint8_t)(number >> 8), (uint8_t)number}};
        bil_set_item(&writer, &item, line, &length);
        fwrite(line, 1, length, file);
    }
    bil_set_end(&writer, line, &length);
    fwrite(line, 1, length, file);
    fclose(file);
    digest_close(&digests[0]);
    digest_close(&digests[1]);
}

int main(int argc, char **argv)
{
    if (argc != 5)
        return 2;
    uint32_t count = (uint32_t)strtoul(argv[1], NULL, 10), one_in = (uint32_t)strtoul(argv[2], NULL, 10);
    make(argv[3], count, one_in, false);
    make(argv[4], count, one_in, true);
    return 0;
}
