/* Makes sets that no device gives: texts that somebody chose to do harm, or the scale of another description.
 *   evil [--other-scale] FILE.bset */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/set.h"
#include "port/digest.h"

static bil_str str(const char *text)
{
    return (bil_str){text, strlen(text)};
}

int main(int argc, char **argv)
{
    bool scale = argc == 3 && strcmp(argv[1], "--other-scale") == 0;
    FILE *file = fopen(argv[argc - 1], "wb");
    bil_digest digests[2];
    if (!file || !digest_open(&digests[0]) || !digest_open(&digests[1]))
        return 1;
    static const char *const texts[] = {
        "<img src=x onerror=globalThis.broken=1>", "</script><script>globalThis.broken=1</script>",
        "\\\" onmouseover=alert(1) x=\\\"", "=1+cmd|calc", "&lt;b&gt; 'quote\\\"d', with, commas"};
    bil_set_writer writer;
    bil_set_header header = {.vendor = str("Esempio"),
                             .model = str(scale ? "ED-30" : "<b>E</b>"),
                             .serial = str("1"),
                             .device = str(texts[0]),
                             .who = str("<script>globalThis.broken=1</script>"),
                             .why = str("</title><script>globalThis.broken=1</script>"),
                             .layout = str("0000000000000000000000000000000000000000000000000000000000000000")};
    char line[BIL_SET_LINE], value[200];
    size_t length;
    bil_set_begin(&writer, digests[0], digests[1], NULL, &header, line, &length);
    fwrite(line, 1, length, file);
    for (size_t i = 0; i < sizeof texts / sizeof texts[0] && !scale; i++) {
        char id[40];
        snprintf(id, sizeof id, "group_%zu.text", i);
        snprintf(value, sizeof value, "\"%s\"", texts[i]);
        bil_item item = {.id = str(id), .name = str(texts[i]), .value = str(value), .type = BIL_TEXT, .size = 64};
        bil_str_plain(str(texts[i]), (char *)item.raw, sizeof item.raw);
        bil_set_item(&writer, &item, line, &length);
        fwrite(line, 1, length, file);
    }
    /* limit.torque as whole per cent: the bits that mean 180.0 elsewhere mean 1800 here; ramp.up in ms */
    const bil_item other[] = {{.id = str("limit.torque"),
                               .name = str("Torque"),
                               .unit = str("%"),
                               .value = str("1800"),
                               .type = BIL_U16,
                               .size = 2,
                               .raw = {0x07, 0x08}},
                              {.id = str("ramp.up"),
                               .name = str("Ramp"),
                               .unit = str("ms"),
                               .value = str("12500"),
                               .type = BIL_U32,
                               .size = 4,
                               .raw = {0, 0, 0x30, 0xd4}}};
    for (size_t i = 0; i < 2 && scale; i++) {
        bil_set_item(&writer, &other[i], line, &length);
        fwrite(line, 1, length, file);
    }
    bil_set_end(&writer, line, &length);
    fwrite(line, 1, length, file);
    digest_close(&digests[0]);
    digest_close(&digests[1]);
    return fclose(file);
}
