/* Replies on a Modbus connection: the peer says what the fuzzer likes, then hangs up. Bit 6 of the first byte makes it
 * a serial line, bit 7 gives that a right checksum, which chance alone doesn't find. */
#include <modbus.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "port/modbus.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static uint16_t crc(const uint8_t *bytes, size_t count) /* Modbus over Serial Line 1.02, 6.2.2 */
{
    uint16_t sum = 0xffff;
    for (size_t i = 0; i < count; i++) {
        sum ^= bytes[i];
        for (int bit = 0; bit < 8; bit++)
            sum = (uint16_t)(sum & 1 ? sum >> 1 ^ 0xa001 : sum >> 1);
    }
    return sum;
}

static void say(int line, const uint8_t *data, size_t size, bool checksum)
{
    uint16_t sum = crc(data, size);
    const uint8_t tail[2] = {(uint8_t)sum, (uint8_t)(sum >> 8)};
    if (write(line, data, size) < 0 || (checksum && write(line, tail, 2) != 2))
        abort();
    shutdown(line, SHUT_WR);
}

/* Two texts of the identification, out of a reply like this. */
static void identify(bil_link link)
{
    enum { SIZE = 20 };
    static const bil_format text = {.type = BIL_TEXT, .size = SIZE};
    static const bil_param params[] = {{.format = &text, .at = {.number = 1}},
                                       {.format = &text, .at = {.number = 130}}};
    static const bil_space space = {.reading = BIL_SHARE_ANY, .table = BIL_OBJECTS, .reach = &bil_reach_objects};
    static const bil_description d = {.count = 2, .space_count = 1, .spaces = &space, .params = params};
    static const uint16_t items[] = {0, 1};
    uint8_t raw[41], cause[3] = {0, 0, 0x5a};
    raw[40] = 0x5a;
    bil_transfer t = {.description = &d, .items = items, .count = 2, .raw = raw, .cause = cause};
    bil_result result = {0};
    bil_outcome outcome = link.ops->transfer(link.ctx, &t, &result);
    if (raw[40] != 0x5a || cause[2] != 0x5a || (outcome != BIL_DONE && result.cause == BIL_OK))
        abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static modbus_link links[2];
    static bil_link outs[2];
    if (!outs[0].ops && (!modbus_link_open(&links[0], "127.0.0.1", "502", 1, &outs[0]) ||
                         !modbus_link_open_serial(&links[1], "/dev/null", 115200, 'E', 1, 1, &outs[1])))
        abort();
    int ends[2];
    if (size < 1 || size > 600 || socketpair(AF_UNIX, SOCK_STREAM, 0, ends) != 0)
        return 0;
    bool serial = data[0] >> 6 & 1, writes = data[0] >> 5 & 1;
    modbus_link *link = &links[serial];
    const bil_cells out = link->over.below;
    modbus_set_socket(link->context, ends[0]);
    link->connected = true;
    say(ends[1], data + 1, size - 1, serial && data[0] >> 7);
    if (!writes && (data[0] & 15) == 15) {
        identify(outs[serial]);
        out.ops->close(out.ctx);
        close(ends[1]);
        return 0;
    }
    uint16_t cells[125];
    uint16_t count = (uint16_t)(1 + data[0] % 32);
    memset(cells, 0x5a, sizeof cells);
    bil_result result = {0};
    bil_span at = {.table = (uint8_t)(writes ? data[0] & 2 : data[0] & 3), .first = 7, .count = count, .mask = 0x0ff0};
    at.way = (uint8_t)(!writes ? 0 : data[0] / 4 % (at.table == BIL_COILS ? 2 : 3));
    at.count = at.way ? 1 : count;
    bil_outcome outcome =
        writes ? out.ops->write(out.ctx, &at, cells, &result) : out.ops->read(out.ctx, &at, cells, &result);
    if (outcome == BIL_DONE ? result.cause != BIL_OK : result.cause == BIL_OK)
        abort();
    if (outcome == BIL_UNKNOWN && link->connected && result.cause != BIL_E_AT_WORK)
        abort(); /* a line in doubt is given up; who says that it is at work is in no doubt */
    if (outcome == BIL_DONE && (data[1] != (serial ? 1 : data[1])))
        abort(); /* another unit's answer */
    for (size_t i = count; i < 125; i++)
        if (cells[i] != 0x5a5a)
            abort(); /* nothing is written behind what was asked for */
    out.ops->close(out.ctx);
    close(ends[1]);
    return 0;
}
