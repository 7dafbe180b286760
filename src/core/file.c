/* What stands for a file: how many bytes it has, and their digest. */
#include "bilancia/value.h"
#include "bytes.h"
#include "text.h"

enum { SIZE = 8, DIGEST = BIL_FILE_RAW - SIZE };

uint64_t bil_file_size(const uint8_t raw[BIL_FILE_RAW])
{
    return bil_value_number(raw, SIZE);
}

bool bil_file_is_none(const uint8_t raw[BIL_FILE_RAW])
{
    uint8_t any = 0;
    for (int i = 0; i < BIL_FILE_RAW; i++)
        any |= raw[i];
    return !any;
}

static int file_text(const bil_format *format, const uint8_t *raw, char *text, size_t size)
{
    text_out out;
    (void)format;
    bil_out_open(&out, text, size - 1);
    if (bil_file_is_none(raw)) {
        bil_out_lit(&out, "none");
    } else {
        bil_out_number(&out, bil_file_size(raw));
        bil_out_lit(&out, " bytes ");
        bil_out_hex(&out, raw + SIZE, DIGEST);
    }
    return bil_out_end(&out);
}

/* Nobody makes a file by saying its digest. */
static int file_parse(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    (void)format;
    (void)text;
    (void)length;
    (void)raw;
    return BIL_E_SYNTAX;
}

static bool file_holds(const bil_format *format, const uint8_t *raw)
{
    uint64_t size = bil_file_size(raw);
    return bil_file_is_none(raw) || (size >= format->low && size <= format->high);
}

const bil_form bil_form_file = {"file", NULL, NULL, NULL, file_text, file_parse, file_holds};
