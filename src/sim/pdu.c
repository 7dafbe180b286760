#include "pdu.h"

#include <string.h>

enum {
    READ_COILS = 1,
    READ_DISCRETE,
    READ_HOLDING,
    READ_INPUT,
    WRITE_COIL,
    WRITE_CELL,
    WRITE_COILS = 15,
    WRITE_CELLS,
    MASK_CELL = 22
};
enum { READ_RECORDS = 20, WRITE_RECORDS = 21 };
enum { BAD_FUNCTION = 1, BAD_VALUE = 3, IDENTIFICATION = 43, ITS_KIND = 14 };

static bool is_known(uint8_t function)
{
    return (function >= READ_COILS && function <= WRITE_CELL) || function == WRITE_COILS || function == WRITE_CELLS ||
           function == MASK_CELL;
}

static uint8_t table_of(uint8_t function)
{
    switch (function) {
    case READ_COILS:
    case WRITE_COIL:
    case WRITE_COILS:
        return SIM_COILS;
    case READ_DISCRETE:
        return SIM_DISCRETE;
    default:
        return function == READ_INPUT ? SIM_INPUT : SIM_HOLDING;
    }
}

static size_t refuse(uint8_t function, int reason, uint8_t *reply)
{
    reply[0] = (uint8_t)(function | 0x80);
    reply[1] = (uint8_t)reason;
    return 2;
}

/* Bytes of so many values: bits stand eight in one, the first one lowest. */
static size_t bytes_of(uint8_t table, uint16_t count)
{
    return table >= SIM_COILS ? (count + 7u) / 8 : 2u * count;
}

static void take(const uint8_t *bytes, uint8_t table, uint16_t count, uint16_t *values)
{
    for (uint16_t i = 0; i < count; i++)
        values[i] = (uint16_t)(table >= SIM_COILS ? bytes[i / 8] >> i % 8 & 1 : bytes[2 * i] << 8 | bytes[2 * i + 1]);
}

static void put(uint8_t *bytes, uint8_t table, uint16_t count, const uint16_t *values)
{
    memset(bytes, 0, bytes_of(table, count));
    for (uint16_t i = 0; i < count; i++) {
        if (table >= SIM_COILS) {
            bytes[i / 8] |= (uint8_t)(values[i] << i % 8);
        } else {
            bytes[2 * i] = (uint8_t)(values[i] >> 8);
            bytes[2 * i + 1] = (uint8_t)values[i];
        }
    }
}

/* A request to write, of one value or of several. */
static sim_reply write_values(sim_unit *unit, uint8_t space, uint64_t now, const uint8_t *request, size_t size,
                              uint16_t *values)
{
    uint8_t function = request[0], table = table_of(function);
    uint16_t address = (uint16_t)(request[1] << 8 | request[2]), number = (uint16_t)(request[3] << 8 | request[4]);
    /* 6.16: the bits of the first mask stay, those of the second are set where it hasn't one */
    if (function == MASK_CELL) {
        unsigned set = size == 7 ? (unsigned)request[5] << 8 | request[6] : 0;
        return size == 7 ? sim_write_bits(unit, now, space, address, (uint16_t)~number, (uint16_t)set) : SIM_BAD_VALUE;
    }
    if (function == WRITE_COIL || function == WRITE_CELL) {
        enum { ON = 0xff00 };
        values[0] = function == WRITE_CELL ? number : number == ON;
        bool bad = size != 5 || (function == WRITE_COIL && number != ON && number != 0);
        return bad ? SIM_BAD_VALUE : sim_write(unit, now, space, address, 1, values);
    }
    uint16_t most = function == WRITE_COILS ? 1968 : 123;
    size_t bytes = bytes_of(table, number);
    if (number < 1 || number > most || size != 6 + bytes || request[5] != bytes)
        return SIM_BAD_VALUE;
    take(request + 6, table, number, values);
    return sim_write(unit, now, space, address, number, values);
}

static size_t identify(sim_unit *unit, uint64_t now, const uint8_t *request, size_t size, uint8_t *reply)
{
    size_t used = 0;
    if (size < 2 || request[1] != ITS_KIND)
        return refuse(IDENTIFICATION, BAD_FUNCTION, reply);
    if (size != 4)
        return refuse(IDENTIFICATION, BAD_VALUE, reply);
    memcpy(reply, request, 3);
    sim_reply outcome = sim_identify(unit, now, request[2], request[3], reply + 3, &used);
    if (outcome == SIM_DEAD || outcome == SIM_SILENT)
        return 0;
    return outcome == SIM_OK ? 3 + used : refuse(IDENTIFICATION, (int)outcome, reply);
}

/* 6.14 and 6.15, one group a request. */
static size_t records(sim_unit *unit, uint64_t now, const uint8_t *request, size_t size, uint8_t *reply)
{
    uint16_t cells[128], group[3] = {0}; /* file, first, count */
    for (size_t i = 0; i < 3 && size >= 9; i++)
        group[i] = (uint16_t)(request[3 + 2 * i] << 8 | request[4 + 2 * i]);
    uint16_t file = group[0], first = group[1], count = group[2];
    bool writes = request[0] == WRITE_RECORDS;
    if (size < 9 || request[1] != size - 2 || request[2] != 6 || count < 1 || count > 121 ||
        size != 9u + (writes ? 2u * count : 0))
        return refuse(request[0], BAD_VALUE, reply);
    if (writes)
        take(request + 9, SIM_HOLDING, count, cells);
    sim_reply outcome = writes ? sim_write_records(unit, now, file, first, count, cells)
                               : sim_read_records(unit, now, file, first, count, cells);
    if (outcome == SIM_DEAD || outcome == SIM_SILENT)
        return 0;
    if (outcome != SIM_OK)
        return refuse(request[0], (int)outcome, reply);
    memcpy(reply, request, size);
    if (writes)
        return size;
    reply[1] = (uint8_t)(2 + 2 * count);
    reply[2] = (uint8_t)(1 + 2 * count);
    reply[3] = 6;
    put(reply + 4, SIM_HOLDING, count, cells);
    return 4u + 2u * count;
}

size_t sim_answer(sim_unit *unit, uint8_t number, uint64_t now, const uint8_t *request, size_t size, uint8_t *reply)
{
    enum { NOBODY_THERE = 11 }; /* a gateway says so, chapter 7 */
    uint16_t values[SIM_BITS];
    uint8_t function = size ? request[0] : 0, table = table_of(function);
    if (function == IDENTIFICATION && sim_space_at(unit, number, SIM_OBJECTS) == SIM_OBJECTS)
        return identify(unit, now, request, size, reply);
    if ((function == READ_RECORDS || function == WRITE_RECORDS) && unit->model->files &&
        sim_space_at(unit, number, SIM_HOLDING) == SIM_HOLDING)
        return records(unit, now, request, size, reply);
    bool known = is_known(function) && !(unit->model->single && (function == WRITE_COILS || function == WRITE_CELLS));
    uint8_t space = sim_space_at(unit, number, table);
    if (size < 5 || !known || space == SIM_NOWHERE)
        return refuse(function, !known ? BAD_FUNCTION : size < 5 ? BAD_VALUE : NOBODY_THERE, reply);
    uint16_t address = (uint16_t)(request[1] << 8 | request[2]), count = (uint16_t)(request[3] << 8 | request[4]);
    bool reads = function <= READ_INPUT;
    uint16_t most = table >= SIM_COILS ? SIM_BITS : 125;
    sim_reply outcome = !reads                      ? write_values(unit, space, now, request, size, values)
                        : size != 5 || count > most ? SIM_BAD_VALUE
                                                    : sim_read(unit, now, space, address, count, values);
    if (outcome == SIM_DEAD || outcome == SIM_SILENT)
        return 0;
    if (outcome != SIM_OK)
        return refuse(function, (int)outcome, reply);
    reply[0] = function;
    if (!reads) { /* the echo */
        size_t echo = function == MASK_CELL ? 7 : 5;
        memcpy(reply + 1, request + 1, echo - 1);
        return echo;
    }
    reply[1] = (uint8_t)bytes_of(table, count);
    put(reply + 2, table, count, values);
    return 2u + bytes_of(table, count);
}

uint16_t sim_crc(const uint8_t *bytes, size_t count)
{
    uint16_t sum = 0xffff;
    for (size_t i = 0; i < count; i++) {
        sum ^= bytes[i];
        for (int bit = 0; bit < 8; bit++)
            sum = (uint16_t)(sum & 1 ? sum >> 1 ^ 0xa001 : sum >> 1);
    }
    return sum;
}
