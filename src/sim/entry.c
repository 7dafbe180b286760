#include "entry.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static size_t sim_bytes_of(const sim_entry *entry)
{
    size_t number = strtoul(entry->kind + 1, NULL, 10);
    switch (entry->kind[0]) {
    case 't':
        return number;
    case 'b':
        return number + 2;
    case 'x':
        return 2 * number;
    case 'd':
        return number / 2;
    default:
        return number / 8;
    }
}

size_t sim_cells_of(const sim_entry *entry)
{
    size_t bytes = sim_bytes_of(entry);
    return bytes < 2 ? 1 : bytes / 2;
}

/* Of a magnitude with its sign in the highest bit, and back: of so many bits, as the complement of two. */
static uint64_t turned(uint64_t bits, size_t size)
{
    uint64_t sign = UINT64_C(1) << (8 * size - 1);
    return bits & sign ? (~(bits & ~sign) + 1) & ((sign - 1) | sign) : bits;
}

uint64_t sim_number(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    size_t count = sim_cells_of(entry);
    uint64_t number = 0, digits = 0;
    for (size_t i = 0; i < count; i++)
        number = number << 16 | cells[unit->model->low_cell_first ? count - 1 - i : i];
    if (entry->kind[0] == 's')
        return turned(number, sim_bytes_of(entry));
    for (int i = 60; i >= 0 && entry->kind[0] == 'd'; i -= 4)
        digits = 10 * digits + (number >> i & 15);
    return entry->kind[0] == 'd' ? digits : number;
}

void sim_put_number(const sim_unit *unit, const sim_entry *entry, uint64_t number, uint16_t *cells)
{
    size_t count = sim_cells_of(entry);
    uint64_t digits = 0;
    for (int i = 0; i < 64 && entry->kind[0] == 'd'; i += 4, number /= 10)
        digits |= number % 10 << i;
    if (entry->kind[0] == 'd')
        number = digits;
    if (entry->kind[0] == 's')
        number = turned(number, sim_bytes_of(entry));
    for (size_t i = 0; i < count; i++) {
        cells[unit->model->low_cell_first ? i : count - 1 - i] = (uint16_t)number;
        number >>= 16;
    }
}

static void put_text(const sim_unit *unit, const sim_entry *entry, const char *text, uint16_t *cells)
{
    size_t bytes = sim_bytes_of(entry), length = strlen(text);
    for (size_t i = 0; i < bytes; i += 2) {
        unsigned a = i < length ? (unsigned char)text[i] : 0, b = i + 1 < length ? (unsigned char)text[i + 1] : 0;
        cells[i / 2] = (uint16_t)(unit->model->text_low_byte_first ? b << 8 | a : a << 8 | b);
    }
}

static bool is_signed(const sim_entry *entry)
{
    return entry->kind[0] == 'i' || entry->kind[0] == 's';
}

static int64_t signed_number(const sim_entry *entry, uint64_t number)
{
    size_t bits = 8 * sim_bytes_of(entry);
    if (is_signed(entry) && bits < 64 && number >> (bits - 1) & 1)
        return (int64_t)(number | ~((UINT64_C(1) << bits) - 1));
    return (int64_t)number;
}

/* Cells as they are: hexadecimal numbers, with blanks between them. */
static bool parse_cells(const sim_entry *entry, const char *text, uint16_t *cells)
{
    for (size_t i = 0; i < sim_cells_of(entry); i++) {
        char *end;
        unsigned long number = strtoul(text, &end, 16);
        if (end == text || number > UINT16_MAX)
            return false;
        cells[i] = (uint16_t)number;
        text = end;
    }
    return *text == '\0';
}

bool sim_put_file(const sim_entry *entry, const uint8_t *bytes, size_t size, uint16_t *cells)
{
    size_t count = sim_cells_of(entry);
    if (size > 2 * (count - 1))
        return false;
    memset(cells, 0, count * sizeof *cells);
    cells[0] = (uint16_t)(bytes ? size + 1 : 0);
    for (size_t i = 0; bytes && i < size; i++)
        cells[1 + i / 2] |= (uint16_t)(bytes[i] << (i % 2 ? 0 : 8));
    return true;
}

size_t sim_take_file(const uint16_t *cells, uint8_t *bytes)
{
    size_t size = cells[0] ? cells[0] - 1u : 0;
    for (size_t i = 0; i < size; i++)
        bytes[i] = (uint8_t)(cells[1 + i / 2] >> (i % 2 ? 0 : 8));
    return size;
}

/* "12.5" with the entry's decimals; whole numbers otherwise. */
bool sim_parse(const sim_unit *unit, const sim_entry *entry, const char *text, uint16_t *cells)
{
    if (entry->kind[0] == 't') {
        if (strlen(text) > sim_bytes_of(entry))
            return false;
        put_text(unit, entry, text, cells);
        return true;
    }
    char *end;
    if (entry->kind[0] == 'b') /* none is said by nothing */
        return sim_put_file(entry, *text ? (const uint8_t *)text : NULL, strlen(text), cells);
    if (entry->kind[0] == 'x')
        return parse_cells(entry, text, cells);
    if (entry->kind[0] == 'f') {
        float f = strtof(text, &end);
        uint32_t bits;
        memcpy(&bits, &f, sizeof bits);
        sim_put_number(unit, entry, bits, cells);
        return *text && !*end;
    }
    bool negative = *text == '-';
    uint64_t number = strtoull(text + negative, &end, 10);
    unsigned decimals = entry->decimals;
    if (*end == '.')
        for (end++; *end >= '0' && *end <= '9' && decimals > 0; end++, decimals--)
            number = number * 10 + (uint64_t)(*end - '0');
    for (; decimals > 0; decimals--)
        number *= 10;
    if (!*text || *end || text[negative] < '0' || text[negative] > '9')
        return false;
    size_t bits = 8 * sim_bytes_of(entry);
    number = negative ? ~number + 1 : number;
    if (bits == 8 && entry->kind[0] == 'u' && number > 255)
        return false;
    if (bits < 64 && bits > 8 && entry->kind[0] != 'd')
        number &= (UINT64_C(1) << bits) - 1;
    sim_put_number(unit, entry, number, cells); /* 8 bit numbers stand sign-extended in their cell */
    return true;
}

void sim_show(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells, char *out, size_t size)
{
    size_t used = 0;
    if (entry->kind[0] == 't') {
        for (size_t i = 0; i < sim_cells_of(entry) && used + 2 < size; i++) {
            char high = (char)(cells[i] >> 8), low = (char)(cells[i] & 0xff);
            out[used++] = unit->model->text_low_byte_first ? low : high;
            out[used++] = unit->model->text_low_byte_first ? high : low;
        }
        out[used] = '\0';
        return;
    }
    if (entry->kind[0] == 'b') {
        snprintf(out, size, cells[0] ? "%u bytes" : "none", cells[0] - 1u);
        return;
    }
    for (size_t i = 0; entry->kind[0] == 'x' && i < sim_cells_of(entry) && used + 6 < size; i++)
        used += (size_t)snprintf(out + used, size - used, i ? " %04x" : "%04x", cells[i]);
    if (used)
        return;
    uint64_t number = sim_number(unit, entry, cells);
    if (entry->kind[0] == 'f') {
        uint32_t bits = (uint32_t)number;
        float f;
        memcpy(&f, &bits, sizeof f);
        snprintf(out, size, "%.9g", (double)f);
        return;
    }
    int64_t value = sim_bytes_of(entry) == 1 ? (int16_t)number : signed_number(entry, number);
    uint64_t magnitude = !is_signed(entry) ? number : (uint64_t)(value < 0 ? -value : value);
    uint64_t unit_size = 1;
    for (unsigned i = 0; i < entry->decimals; i++)
        unit_size *= 10;
    const char *sign = is_signed(entry) && value < 0 ? "-" : "";
    if (entry->decimals)
        snprintf(out, size, "%s%llu.%0*llu", sign, (unsigned long long)(magnitude / unit_size), entry->decimals,
                 (unsigned long long)(magnitude % unit_size));
    else
        snprintf(out, size, "%s%llu", sign, (unsigned long long)magnitude);
}

const sim_entry *sim_find(const sim_unit *unit, const char *name)
{
    for (size_t i = 0; i < unit->count; i++)
        if (strcmp(unit->entries[i].name, name) == 0)
            return &unit->entries[i];
    return NULL;
}

bool sim_put(sim_unit *unit, const char *name, const char *text)
{
    const sim_entry *entry = sim_find(unit, name);
    return entry && sim_parse(unit, entry, text, &unit->running[entry->space][entry->address]);
}

bool sim_put_secret(sim_unit *unit, const char *text)
{
    bool any = false;
    for (size_t i = 0; i < unit->count; i++)
        if (unit->entries[i].role == SIM_SECRET)
            any = sim_put(unit, unit->entries[i].name, text) || any;
    return any;
}

bool sim_lasts(const sim_entry *entry)
{
    return entry->role == SIM_SETTING || entry->role == SIM_CALIBRATION || entry->role == SIM_SECRET;
}

bool sim_all_stored(const sim_unit *unit)
{
    return memcmp(unit->running, unit->stored, sizeof unit->running) == 0;
}

void sim_store(sim_unit *unit)
{
    memcpy(unit->stored, unit->running, sizeof unit->stored);
}

bool sim_in_range(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    if (strchr("tfxb", entry->kind[0]) || entry->low > entry->high)
        return true;
    uint64_t number = sim_number(unit, entry, cells);
    int64_t value = sim_bytes_of(entry) == 1 ? (int16_t)number : signed_number(entry, number);
    return value >= entry->low && value <= entry->high;
}
