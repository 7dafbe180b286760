#include "pdu.h"

#include <string.h>

enum { READ_HOLDING = 3, READ_INPUT = 4, WRITE_ONE = 6, WRITE_MANY = 16 };
enum { BAD_FUNCTION = 1, BAD_VALUE = 3 };

static bool is_known(uint8_t function)
{
    return function == READ_HOLDING || function == READ_INPUT || function == WRITE_ONE || function == WRITE_MANY;
}

static size_t refuse(uint8_t function, int reason, uint8_t *reply)
{
    reply[0] = (uint8_t)(function | 0x80);
    reply[1] = (uint8_t)reason;
    return 2;
}

size_t sim_answer(sim_unit *unit, uint64_t now, const uint8_t *request, size_t size, uint8_t *reply)
{
    uint16_t cells[125];
    uint8_t function = size ? request[0] : 0;
    if (size < 5)
        return refuse(function, is_known(function) ? BAD_VALUE : BAD_FUNCTION, reply);
    uint16_t address = (uint16_t)(request[1] << 8 | request[2]), count = (uint16_t)(request[3] << 8 | request[4]);
    sim_reply outcome;
    bool reads = function == READ_HOLDING || function == READ_INPUT;
    if (reads && size == 5) {
        outcome = count > 125 ? SIM_BAD_VALUE : sim_read(unit, now, function == READ_INPUT, address, count, cells);
    } else if (function == WRITE_ONE && size == 5) {
        cells[0] = count;
        outcome = sim_write(unit, now, 0, address, 1, cells);
    } else if (function == WRITE_MANY && count >= 1 && count <= 123 && size == 6u + 2u * count &&
               request[5] == 2 * count) {
        for (uint16_t i = 0; i < count; i++)
            cells[i] = (uint16_t)(request[6 + 2 * i] << 8 | request[7 + 2 * i]);
        outcome = sim_write(unit, now, 0, address, count, cells);
    } else {
        return refuse(function, is_known(function) ? BAD_VALUE : BAD_FUNCTION, reply);
    }
    if (outcome == SIM_DEAD || outcome == SIM_SILENT)
        return 0;
    if (outcome != SIM_OK)
        return refuse(function, (int)outcome, reply);
    reply[0] = function;
    if (!reads) { /* the echo */
        memcpy(reply + 1, request + 1, 4);
        return 5;
    }
    reply[1] = (uint8_t)(2 * count);
    for (uint16_t i = 0; i < count; i++) {
        reply[2 + 2 * i] = (uint8_t)(cells[i] >> 8);
        reply[3 + 2 * i] = (uint8_t)cells[i];
    }
    return 2u + 2u * count;
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
