/* Forms of a date and time in cells. */
#include "../core/calendar.h"
#include "in_cells.h"

#define CENTURY UINT64_C(20000000000000) /* 2000, with ten digits behind */

static size_t two(const bil_format *format)
{
    (void)format;
    return 2;
}

static size_t three(const bil_format *format)
{
    (void)format;
    return 3;
}

static size_t six(const bil_format *format)
{
    (void)format;
    return 6;
}

/* ---- decimal digits: 2611 3017 3540 ---- */

static int bcd_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint16_t parts[6];
    int error = bil_form_bcd.from_cells(format, cells, raw);
    bil_value_put_number(raw, format->size, bil_value_number(raw, format->size) + CENTURY);
    bil_time_split(raw, parts);
    return error ? error : bil_time_join(parts, raw);
}

static int bcd_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    uint8_t digits[8];
    bil_value_put_number(digits, format->size, bil_value_number(raw, format->size) - CENTURY);
    return bil_form_bcd.to_cells(format, digits, cells); /* twelve of them, or it is of another century */
}

/* ---- a cell for each ---- */

static int wide_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint16_t parts[6];
    for (size_t i = 0; i < 6; i++)
        parts[i] = bil_cell_swapped(format, cells[i]);
    return bil_time_join(parts, raw);
}

static int wide_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    bil_time_split(raw, cells);
    for (size_t i = 0; i < 6; i++)
        cells[i] = bil_cell_swapped(format, cells[i]);
    return BIL_OK;
}

/* ---- seconds since 1970 ---- */

#define FIRST_YEAR 1970u
#define LAST_YEAR 2106u

static size_t high_cell(const bil_format *format)
{
    return format->order & BIL_LOW_CELL_FIRST ? 1 : 0;
}

static uint32_t days_of_year(unsigned year)
{
    return 337u + bil_days_in(year, 2);
}

static int seconds_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint16_t parts[6];
    size_t high = high_cell(format);
    uint32_t left = (uint32_t)bil_cell_swapped(format, cells[high]) << 16 | bil_cell_swapped(format, cells[1 - high]);
    for (size_t i = 5; i > 3; i--, left /= 60)
        parts[i] = (uint16_t)(left % 60);
    parts[3] = (uint16_t)(left % 24);
    left /= 24; /* days */
    for (parts[0] = FIRST_YEAR; left >= days_of_year(parts[0]); parts[0]++)
        left -= days_of_year(parts[0]);
    for (parts[1] = 1; left >= bil_days_in(parts[0], parts[1]); parts[1]++)
        left -= bil_days_in(parts[0], parts[1]);
    parts[2] = (uint16_t)(left + 1);
    return bil_time_join(parts, raw);
}

static int seconds_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    uint16_t parts[6];
    size_t high = high_cell(format);
    bil_time_split(raw, parts);
    uint32_t days = parts[2] - 1u;
    for (unsigned year = FIRST_YEAR; year < parts[0]; year++)
        days += days_of_year(year);
    for (unsigned month = 1; month < parts[1]; month++)
        days += bil_days_in(parts[0], month);
    uint32_t minutes = (days * 24 + parts[3]) * 60 + parts[4], seconds = minutes * 60 + parts[5];
    if (parts[0] - FIRST_YEAR > LAST_YEAR - FIRST_YEAR || seconds < minutes) /* the last one is too long */
        return BIL_E_RANGE;
    cells[high] = bil_cell_swapped(format, (uint16_t)(seconds >> 16));
    cells[1 - high] = bil_cell_swapped(format, (uint16_t)(seconds & 0xffff));
    return BIL_OK;
}

const bil_form bil_form_time_bcd = {"time_bcd",    three,          bcd_from,       bcd_to,
                                    bil_time_text, bil_time_parse, bil_time_exists};
const bil_form bil_form_time_wide = {"time_wide",    six, wide_from, wide_to, bil_time_text, bil_time_parse,
                                     bil_time_exists};
const bil_form bil_form_time_seconds = {"time_seconds", two, seconds_from, seconds_to, bil_time_text, bil_time_parse,
                                        bil_time_exists};
