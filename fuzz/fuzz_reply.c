/* Replies on a Modbus TCP connection: the peer says what the fuzzer likes, then hangs up. */
#include <modbus.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "port/modbus.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static modbus_link link;
    static bil_link out;
    if (!out.ops && !modbus_link_open(&link, "127.0.0.1", "502", 1, &out))
        abort();
    int ends[2];
    if (size < 1 || size > 600 || socketpair(AF_UNIX, SOCK_STREAM, 0, ends) != 0)
        return 0;
    modbus_set_socket(link.context, ends[0]);
    link.connected = true;
    if (write(ends[1], data + 1, size - 1) < 0)
        abort();
    shutdown(ends[1], SHUT_WR);
    uint16_t cells[125];
    uint16_t count = (uint16_t)(1 + data[0] % 100);
    memset(cells, 0x5a, sizeof cells);
    bil_result result = {0};
    bil_outcome outcome = data[0] & 1 ? out.ops->read(out.ctx, data[0] >> 1 & 1, 7, count, cells, &result)
                                      : out.ops->write(out.ctx, 0, 7, count, cells, &result);
    if (outcome == BIL_DONE ? result.cause != BIL_OK : result.cause == BIL_OK)
        abort();
    if (outcome == BIL_UNKNOWN && link.connected)
        abort(); /* a line in doubt is given up */
    for (size_t i = count; i < 125; i++)
        if (cells[i] != 0x5a5a)
            abort(); /* nothing is written behind what was asked for */
    out.ops->close(out.ctx);
    close(ends[1]);
    return 0;
}
