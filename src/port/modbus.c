#include "modbus.h"

#include <errno.h>
#include <modbus.h>
#include <poll.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "line.h"
#include "modbus_exception.h"
#include "wait.h"

enum {
    IDENTIFICATION = 0x2b,
    READ_RECORDS = 0x14,
    WRITE_RECORDS = 0x15
};                             /* Modbus Application Protocol 1.1b3, 6.19 and 6.21 */
enum { STALE = 8, PDU = 253 }; /* replies to older questions that are passed over; bytes of the longest request */

static void hang_up(void *ctx)
{
    modbus_link *link = ctx;
    if (link->connected)
        modbus_close(link->context);
    if (link->lock > 0)
        close(link->lock);
    link->connected = false;
    link->lock = 0;
}

static bil_outcome dial(void *ctx, bil_result *result)
{
    modbus_link *link = ctx;
    hang_up(link);
    errno = 0;
    modbus_set_response_timeout(link->context, link->reply_ms / 1000, link->reply_ms % 1000 * 1000);
    if (link->serial)
        link->lock = line_take(link->path);
    bool failed = link->lock < 0 || modbus_connect(link->context) != 0;
    link->connect_errno = failed ? errno : 0;
    if (failed) {
        hang_up(link);
        result->cause = line_cause(link->connect_errno);
        result->code = (uint32_t)link->connect_errno;
        return BIL_NOT_SENT;
    }
    link->connected = true;
    return BIL_DONE;
}

/* Anything but an answer leaves the line in doubt: it is given up, so that a late reply finds nobody. */
static bil_outcome doubt(modbus_link *link, bil_result *result, bil_error cause)
{
    hang_up(link);
    result->cause = cause;
    return BIL_UNKNOWN;
}

static uint16_t number(const uint8_t *bytes)
{
    return (uint16_t)(bytes[0] << 8 | bytes[1]);
}

static void put_number(uint8_t *bytes, uint16_t value)
{
    bytes[0] = (uint8_t)(value >> 8);
    bytes[1] = (uint8_t)(value & 0xff);
}

/* Throws away what has come in unasked. A serial line must be silent for 3.5 characters before a frame begins (Serial
 * Line 1.02, 2.5.1.1); what still comes in that time, such as a reply sent twice, is thrown away, too. */
static void clear_line(modbus_link *link)
{
    for (int i = 0; i < STALE; i++) {
        modbus_flush(link->context);
        struct pollfd line = {.fd = modbus_get_socket(link->context), .events = POLLIN};
        struct timespec silence = {.tv_nsec = link->silence_us * 1000L};
        if (!link->serial || ppoll(&line, 1, &silence, NULL) <= 0)
            return;
    }
}

/* Sends a request: header, unit, function and data. The library adds the checksum of a serial line; on TCP its raw
 * requests have no transaction number, so the header is written here. */
static bool send_request(modbus_link *link, uint8_t unit, const uint8_t *pdu, size_t size)
{
    uint8_t frame[7 + PDU];
    clear_line(link);
    frame[6] = unit;
    if (link->serial && modbus_set_slave(link->context, unit) != 0) /* it looks at who replies */
        return false;
    memcpy(frame + 7, pdu, size);
    if (link->serial)
        return modbus_send_raw_request(link->context, frame + 6, (int)size + 1) > 0;
    put_number(frame, ++link->transaction);
    put_number(frame + 2, 0);
    put_number(frame + 4, (uint16_t)(size + 1));
    return send(modbus_get_socket(link->context), frame, 7 + size, MSG_NOSIGNAL) == (ssize_t)(7 + size);
}

/* CRC-16 of a serial line (Serial Line 1.02, 6.2.2). */
static uint16_t checksum(const uint8_t *bytes, size_t count)
{
    uint16_t sum = 0xffff;
    for (size_t i = 0; i < count; i++) {
        sum ^= bytes[i];
        for (int bit = 0; bit < 8; bit++)
            sum = (uint16_t)(sum & 1 ? sum >> 1 ^ 0xa001 : sum >> 1);
    }
    return sum;
}

/* One frame as it comes: on TCP as long as its header says, on a serial line until it is silent. Its size, or 0 with
 * the cause. */
static size_t collect(const modbus_link *link, uint8_t *frame, uint64_t until, bil_error *cause)
{
    enum { HEADER = 6, QUIET_MS = 30 };
    size_t got = 0, whole = HEADER;
    *cause = BIL_E_SILENT;
    while (got < whole || link->serial) {
        uint64_t now = wait_now_ms();
        struct pollfd line = {.fd = modbus_get_socket(link->context), .events = POLLIN};
        int left = link->serial && got ? QUIET_MS : now < until ? (int)(until - now) : 0;
        if (poll(&line, 1, left) <= 0)
            return link->serial ? got : 0;
        size_t room = link->serial ? MODBUS_MAX_ADU_LENGTH - got : whole - got;
        ssize_t more = room ? read(line.fd, frame + got, room) : 0;
        if (more == 0 && link->serial && got)
            return got;
        if (more <= 0) {
            *cause = room ? BIL_E_LOST : BIL_E_GARBLED;
            return 0;
        }
        got += (size_t)more;
        if (!link->serial && got == HEADER)
            whole += number(frame + 4);
        if (whole > MODBUS_MAX_ADU_LENGTH) {
            *cause = BIL_E_GARBLED;
            return 0;
        }
    }
    return got;
}

/* The reply to a function that the library doesn't know the length of. As receive below. */
static const uint8_t *receive_any(modbus_link *link, uint8_t unit, uint8_t *reply, size_t *size, bil_error *cause)
{
    uint64_t until = wait_now_ms() + link->reply_ms;
    size_t head = link->serial ? 1 : 7, tail = link->serial ? 2 : 0, got;
    do
        got = collect(link, reply, until, cause);
    while (got > 6 && !link->serial && number(reply) != link->transaction);
    if (got == 0)
        return NULL;
    *cause = BIL_E_GARBLED;
    if (got < head + 2 + tail || reply[head - 1] != unit || (!link->serial && number(reply + 2) != 0))
        return NULL;
    uint16_t sum = link->serial ? checksum(reply, got - 2) : 0;
    if (link->serial && (reply[got - 2] != (sum & 0xff) || reply[got - 1] != sum >> 8))
        return NULL;
    *size = got - head - tail;
    return reply + head;
}

/* Receives the reply; `reply` takes MODBUS_MAX_ADU_LENGTH bytes. Returns its function and data without header and
 * checksum, NULL with the cause when there is none. */
static const uint8_t *receive(modbus_link *link, uint8_t unit, uint8_t *reply, size_t *size, bil_error *cause)
{
    uint64_t until = wait_now_ms() + link->reply_ms;
    for (int i = 0; i < STALE; i++) {
        uint64_t now = wait_now_ms();
        if (i > 0 && now >= until) {
            *cause = BIL_E_SILENT;
            return NULL;
        }
        /* what is left of the time that was promised, for all of it: neither bytes that drip nor answers to older
         * questions stretch it */
        uint32_t left = i == 0 ? link->reply_ms : (uint32_t)(until - now);
        modbus_set_response_timeout(link->context, left / 1000, left % 1000 * 1000);
        int got = modbus_receive_confirmation(link->context, reply);
        if (got < 0) {
            *cause = errno == ETIMEDOUT ? BIL_E_SILENT : errno >= EMBBADCRC ? BIL_E_GARBLED : BIL_E_LOST;
            return NULL;
        }
        size_t head = link->serial ? 1 : 7, tail = link->serial ? 2 : 0;
        *cause = BIL_E_GARBLED;
        if ((size_t)got < head + 2 + tail)
            return NULL;
        if (!link->serial && number(reply) != link->transaction)
            continue; /* an older question's answer, late or doubled */
        if (!link->serial && (number(reply + 2) != 0 || number(reply + 4) != got - 6))
            return NULL;
        if (reply[head - 1] != unit)
            return NULL;
        *size = (size_t)got - head - tail;
        return reply + head;
    }
    return NULL;
}

/* On which unit number of the line, seen from the one spoken to (description.h). */
static int unit_of(const modbus_link *link, const bil_span *at)
{
    return at->unit > 0 ? at->unit - 1 : link->unit - at->unit;
}

/* What the device needs between two requests. */
static void be_silent(const modbus_link *link, const bil_span *at)
{
    uint64_t until = link->replied ? link->replied + at->pause_ms : 0, now = wait_now_ms();
    struct timespec rest = {.tv_sec = (time_t)((until - now) / 1000),
                            .tv_nsec = (long)((until - now) % 1000 * 1000000)};
    while (until > now && nanosleep(&rest, &rest) != 0 && errno == EINTR)
        continue;
}

/* One question and its answer. A refusal has function + 128 and a reason. */
static bil_outcome ask(modbus_link *link, const bil_span *at, const uint8_t *pdu, size_t size, uint8_t *reply,
                       const uint8_t **answer, size_t *length, bil_result *result)
{
    int number = unit_of(link, at);
    if (!link->connected || number > UINT8_MAX) { /* a line has no such unit */
        result->cause = link->connected ? BIL_E_REFUSED : BIL_E_LOST;
        return link->connected ? BIL_REFUSED : BIL_NOT_SENT;
    }
    uint8_t unit = (uint8_t)number;
    be_silent(link, at);
    if (!send_request(link, unit, pdu, size))
        return doubt(link, result, BIL_E_LOST);
    bil_error cause;
    bool other = pdu[0] == IDENTIFICATION || pdu[0] == READ_RECORDS || pdu[0] == WRITE_RECORDS;
    *answer = (other ? receive_any : receive)(link, unit, reply, length, &cause);
    link->replied = wait_now_ms();
    if (!*answer)
        return doubt(link, result, cause);
    if ((*answer)[0] == (pdu[0] | 0x80) && *length == 2) {
        result->code = (*answer)[1];
        const modbus_exception *says = modbus_exception_of(result->code);
        bool reads = pdu[0] <= MODBUS_FC_READ_INPUT_REGISTERS || pdu[0] == IDENTIFICATION || pdu[0] == READ_RECORDS;
        result->cause = (bil_error)(reads ? says->read_cause : says->write_cause);
        bil_outcome outcome = (bil_outcome)(reads ? says->read : says->write);
        /* The device took it, and says so: the line is in no doubt. */
        return outcome == BIL_UNKNOWN && result->cause != BIL_E_AT_WORK ? doubt(link, result, result->cause) : outcome;
    }
    return (*answer)[0] == pdu[0] ? BIL_DONE : doubt(link, result, BIL_E_GARBLED);
}

static bool is_in_bits(const bil_span *at)
{
    return at->table == BIL_COILS || at->table == BIL_DISCRETE;
}

static size_t bytes_of(const bil_span *at)
{
    return is_in_bits(at) ? (at->count + 7u) / 8 : 2u * at->count;
}

/* Of cells the high byte comes first; of bits the first eight. */
static void put_cells(uint8_t *bytes, const bil_span *at, const uint16_t *cells)
{
    for (size_t i = 0; i < bytes_of(at); i++) {
        bool high = is_in_bits(at) ? i % 2 : i % 2 == 0;
        bytes[i] = (uint8_t)(high ? cells[i / 2] >> 8 : cells[i / 2] & 0xff);
    }
}

static void take_cells(const uint8_t *bytes, const bil_span *at, uint16_t *cells)
{
    size_t size = bytes_of(at);
    for (size_t i = 0; i < size; i += 2) {
        unsigned one = bytes[i], two = i + 1 < size ? bytes[i + 1] : 0;
        cells[i / 2] = (uint16_t)(is_in_bits(at) ? two << 8 | one : one << 8 | two);
    }
}

/* 6.21: the request has a category and the first object; the reply's bytes go into the cells. */
static bil_outcome read_objects(modbus_link *link, const bil_span *at, uint16_t *cells, bil_result *result)
{
    enum { FRONT = 3 }; /* function, kind, category */
    const uint8_t pdu[4] = {IDENTIFICATION, 0x0e, (uint8_t)at->count, (uint8_t)at->first};
    uint8_t reply[MODBUS_MAX_ADU_LENGTH];
    const uint8_t *answer;
    size_t length;
    bil_outcome outcome = ask(link, at, pdu, sizeof pdu, reply, &answer, &length, result);
    if (outcome != BIL_DONE)
        return outcome;
    if (length < FRONT + 4 || length > FRONT + 2 * BIL_CELLS_MAX || answer[1] != pdu[1] || answer[2] != pdu[2])
        return doubt(link, result, BIL_E_GARBLED);
    memset(cells, 0, BIL_CELLS_MAX * sizeof cells[0]);
    for (size_t i = 0; i + FRONT < length; i++)
        cells[i / 2] = (uint16_t)(i % 2 ? cells[i / 2] | answer[FRONT + i] : answer[FRONT + i] << 8);
    return BIL_DONE;
}

/* 6.14, 6.15: what is asked for, one group of records. */
static void put_group(uint8_t *pdu, const bil_span *at)
{
    pdu[0] = 6; /* the only type there is */
    put_number(pdu + 1, at->file);
    put_number(pdu + 3, at->first);
    put_number(pdu + 5, at->count);
}

static bil_outcome read_records(modbus_link *link, const bil_span *at, uint16_t *cells, bil_result *result)
{
    enum { GROUP = 7, FRONT = 4 };
    uint8_t pdu[2 + GROUP] = {READ_RECORDS, GROUP}, reply[MODBUS_MAX_ADU_LENGTH];
    const uint8_t *answer;
    size_t length;
    put_group(pdu + 2, at);
    bil_outcome outcome = ask(link, at, pdu, sizeof pdu, reply, &answer, &length, result);
    if (outcome != BIL_DONE)
        return outcome;
    size_t size = bytes_of(at);
    if (length != FRONT + size || answer[1] != size + 2 || answer[2] != size + 1 || answer[3] != 6)
        return doubt(link, result, BIL_E_GARBLED);
    take_cells(answer + FRONT, at, cells);
    return BIL_DONE;
}

static bil_outcome write_records(modbus_link *link, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    enum { GROUP = 7 };
    uint8_t pdu[PDU], reply[MODBUS_MAX_ADU_LENGTH];
    const uint8_t *answer;
    size_t length, size = 2 + GROUP + bytes_of(at);
    pdu[0] = WRITE_RECORDS;
    pdu[1] = (uint8_t)(size - 2);
    put_group(pdu + 2, at);
    put_cells(pdu + 2 + GROUP, at, cells);
    bil_outcome outcome = ask(link, at, pdu, size, reply, &answer, &length, result);
    if (outcome != BIL_DONE)
        return outcome;
    bool echo = length == size && memcmp(answer, pdu, size) == 0;
    return echo ? BIL_DONE : doubt(link, result, BIL_E_GARBLED);
}

static bil_outcome read_cells(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    static const uint8_t functions[BIL_OBJECTS] = {MODBUS_FC_READ_HOLDING_REGISTERS, MODBUS_FC_READ_INPUT_REGISTERS,
                                                   MODBUS_FC_READ_COILS, MODBUS_FC_READ_DISCRETE_INPUTS};
    modbus_link *link = ctx;
    if (at->table == BIL_OBJECTS)
        return read_objects(link, at, cells, result);
    if (at->table == BIL_RECORDS)
        return read_records(link, at, cells, result);
    uint8_t pdu[5] = {functions[at->table]};
    uint8_t reply[MODBUS_MAX_ADU_LENGTH];
    const uint8_t *answer;
    size_t length;
    put_number(pdu + 1, at->first);
    put_number(pdu + 3, at->count);
    bil_outcome outcome = ask(link, at, pdu, sizeof pdu, reply, &answer, &length, result);
    if (outcome != BIL_DONE)
        return outcome;
    if (length != 2u + bytes_of(at) || answer[1] != bytes_of(at))
        return doubt(link, result, BIL_E_GARBLED);
    take_cells(answer + 2, at, cells);
    return BIL_DONE;
}

/* The request for one, or for several, into `pdu`; returns its bytes. */
static size_t put_write(uint8_t *pdu, const bil_span *at, const uint16_t *cells)
{
    bool coils = at->table == BIL_COILS;
    put_number(pdu + 1, at->first);
    if (at->way == BIL_WAY_MASKED) { /* 6.16: the bits of the first mask stay */
        pdu[0] = MODBUS_FC_MASK_WRITE_REGISTER;
        put_number(pdu + 3, (uint16_t)~at->mask);
        put_number(pdu + 5, cells[0] & at->mask);
        return 7;
    }
    if (at->way == BIL_WAY_SINGLE) {
        enum { COIL_ON = 0xff00 }; /* 6.5: nothing else but zero is legal */
        pdu[0] = coils ? MODBUS_FC_WRITE_SINGLE_COIL : MODBUS_FC_WRITE_SINGLE_REGISTER;
        put_number(pdu + 3, !coils ? cells[0] : cells[0] ? COIL_ON : 0);
        return 5;
    }
    pdu[0] = coils ? MODBUS_FC_WRITE_MULTIPLE_COILS : MODBUS_FC_WRITE_MULTIPLE_REGISTERS;
    put_number(pdu + 3, at->count);
    pdu[5] = (uint8_t)bytes_of(at);
    put_cells(pdu + 6, at, cells);
    return 6 + bytes_of(at);
}

static bil_outcome write_cells(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    modbus_link *link = ctx;
    uint8_t pdu[PDU], reply[MODBUS_MAX_ADU_LENGTH];
    const uint8_t *answer;
    if (at->table == BIL_RECORDS)
        return write_records(link, at, cells, result);
    size_t length, size = put_write(pdu, at, cells);
    bil_outcome outcome = ask(link, at, pdu, size, reply, &answer, &length, result);
    if (outcome != BIL_DONE)
        return outcome;
    size_t echo = at->way == BIL_WAY_MASKED ? 7 : 5; /* of address and count, or of the value */
    if (length != echo || memcmp(answer + 1, pdu + 1, echo - 1) != 0)
        return doubt(link, result, BIL_E_GARBLED);
    return BIL_DONE;
}

static void speak_to(void *ctx, uint32_t unit)
{
    modbus_link *link = ctx;
    link->unit = unit ? (uint8_t)BIL_UNIT_NUMBER(unit) : link->usual;
}

static const bil_cell_ops ops = {dial, read_cells, write_cells, hang_up, speak_to};

static bool begin(modbus_link *link, int unit, bil_link *out)
{
    if (!link->context)
        return false;
    link->unit = link->usual = (uint8_t)unit;
    *out = bil_cell_link_over(&link->over, (bil_cells){&ops, link});
    modbus_link_reply_ms(link, 1000);
    if (!link->serial || modbus_set_slave(link->context, unit) == 0)
        return true;
    modbus_link_free(link);
    return false;
}

bool modbus_link_open(modbus_link *link, const char *host, const char *port, int unit, bil_link *out)
{
    *link = (modbus_link){.context = modbus_new_tcp_pi(host, port)};
    return begin(link, unit, out);
}

bool modbus_link_open_serial(modbus_link *link, const char *path, int speed, char parity, int stop_bits, int unit,
                             bil_link *out)
{
    *link = (modbus_link){.context = modbus_new_rtu(path, speed, parity, 8, stop_bits), .serial = true};
    snprintf(link->path, sizeof link->path, "%s", path);
    /* 3.5 characters of 11 bits; above 19200 bits a second always 1.75 ms (Serial Line 1.02, 2.5.1.1) */
    link->silence_us = speed > 19200 ? 1750 : (int)(38500000L / (speed > 0 ? speed : 1));
    return begin(link, unit, out);
}

void modbus_link_reply_ms(modbus_link *link, uint32_t ms)
{
    link->reply_ms = ms;
    modbus_set_response_timeout(link->context, ms / 1000, ms % 1000 * 1000);
    modbus_set_byte_timeout(link->context, 0, 0); /* the whole reply within that time, not each byte */
}

void modbus_link_free(modbus_link *link)
{
    hang_up(link);
    modbus_free(link->context);
}
