/* The four tables and each function on them, single and multiple, at several unit numbers: random requests against a
 * server that we didn't write. */
#include <arpa/inet.h>
#include <modbus.h>
#include <pthread.h>
#include <signal.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include "help.h"
#include "host/describe/load.h"
#include "port/clock.h"
#include "port/modbus.h"

enum { SIZE = 3000, UNIT = 40 };

typedef struct peer {
    int listening, connected;
    modbus_t *server;
    modbus_mapping_t *values;
    uint8_t function, unit; /* of the last request */
} peer;

static void *serve(void *ctx)
{
    peer *p = ctx;
    uint8_t query[MODBUS_TCP_MAX_ADU_LENGTH];
    int size;
    if (modbus_tcp_accept(p->server, &p->listening) < 0)
        return NULL;
    while ((size = modbus_receive(p->server, query)) >= 0) {
        p->unit = query[6];
        p->function = query[7];
        modbus_reply(p->server, query, size, p->values);
    }
    return NULL;
}

/* What the server has of a table, one number for each cell or bit. */
static uint16_t value_of(const peer *p, unsigned table, unsigned at)
{
    switch (table) {
    case BIL_HOLDING:
        return p->values->tab_registers[at];
    case BIL_INPUT:
        return p->values->tab_input_registers[at];
    case BIL_COILS:
        return p->values->tab_bits[at];
    default:
        return p->values->tab_input_bits[at];
    }
}

static void every_function(void **state)
{
    (void)state;
    peer p = {.server = modbus_new_tcp("127.0.0.1", 0), .values = modbus_mapping_new(SIZE, SIZE, SIZE, SIZE)};
    struct sockaddr_in name;
    socklen_t length = sizeof name;
    p.listening = modbus_tcp_listen(p.server, 1);
    assert_true(p.listening >= 0 && getsockname(p.listening, (struct sockaddr *)&name, &length) == 0);
    dice d = {2718};
    for (int i = 0; i < SIZE; i++) { /* what only the device itself changes */
        p.values->tab_input_registers[i] = (uint16_t)roll(&d);
        p.values->tab_input_bits[i] = (uint8_t)roll_below(&d, 2);
    }
    pthread_t thread;
    pthread_create(&thread, NULL, serve, &p);
    char port[8];
    snprintf(port, sizeof port, "%d", ntohs(name.sin_port));
    modbus_link modbus;
    bil_link link;
    assert_true(modbus_link_open(&modbus, "127.0.0.1", port, UNIT, &link));
    modbus_link_reply_ms(&modbus, 5000);
    const bil_cells under = modbus.over.below;
    bil_result result = {0};
    assert_int_equal(under.ops->connect(under.ctx, &result), BIL_DONE);
    unsigned seen[23] = {0};
    for (unsigned i = 0; i < rounds(4000); i++) {
        static const uint8_t functions[4][4] = {{3, 16, 6, 22}, {4}, {1, 15, 5}, {2}}; /* read, several, one, bits */
        bil_span at = {.table = (uint8_t)roll_below(&d, 4)};
        bool bits = at.table == BIL_COILS || at.table == BIL_DISCRETE, write = roll_below(&d, 2) && at.table % 2 == 0;
        int most = bits ? write ? 1968 : 2000 : write ? 123 : 125;
        at.way = (uint8_t)(!write ? BIL_WAY_TOGETHER : roll_below(&d, bits ? 2 : 3));
        at.count = (uint16_t)(at.way              ? 1u
                              : roll_below(&d, 4) ? 1 + roll_below(&d, 40)
                                                  : 1 + roll_below(&d, (uint32_t)most));
        at.first = (uint16_t)roll_below(&d, SIZE - at.count + 1u);
        at.unit = (int16_t)((int)roll_below(&d, 3) == 0 ? -(int)roll_below(&d, 5)
                            : roll_below(&d, 2)         ? 1 + (int)roll_below(&d, 256)
                                                        : 0);
        uint16_t cells[BIL_CELLS_MAX] = {0}, was[SIZE];
        for (unsigned k = 0; k < SIZE; k++)
            was[k] = value_of(&p, at.table, k);
        for (unsigned k = 0; k < at.count && write; k++) {
            if (bits && roll_below(&d, 2))
                cells[k / 16] |= (uint16_t)(1u << k % 16);
            else if (!bits)
                cells[k] = (uint16_t)roll(&d);
        }
        at.mask = (uint16_t)roll(&d);
        result = (bil_result){0};
        assert_int_equal(write ? under.ops->write(under.ctx, &at, cells, &result)
                               : under.ops->read(under.ctx, &at, cells, &result),
                         BIL_DONE);
        assert_int_equal(p.function, functions[at.table][!write ? 0 : at.way == BIL_WAY_TOGETHER ? 1 : 1 + at.way]);
        assert_int_equal(p.unit, at.unit > 0 ? at.unit - 1 : UNIT - at.unit);
        seen[p.function]++;
        for (unsigned k = 0; k < SIZE; k++) {
            bool among = k >= at.first && k < (unsigned)at.first + at.count;
            unsigned n = k - at.first;
            unsigned says = !among ? was[k] : bits ? (unsigned)cells[n / 16] >> n % 16 & 1 : cells[n];
            if (among && at.way == BIL_WAY_MASKED)
                says = (was[k] & ~(unsigned)at.mask) | (cells[n] & at.mask);
            assert_int_equal(value_of(&p, at.table, k), says);
        }
    }
    for (size_t i = 1; i < 23; i++)
        assert_true(seen[i] > 20 || (i > 6 && i < 15) || (i > 16 && i < 22));
    /* what it refuses, and a number that no line has */
    bil_span beyond = {.table = BIL_COILS, .first = SIZE - 1, .count = 2};
    uint16_t cells[BIL_CELLS_MAX];
    assert_int_equal(under.ops->read(under.ctx, &beyond, cells, &result), BIL_REFUSED);
    assert_int_equal(result.code, 2);
    beyond = (bil_span){.count = 1, .unit = -250};
    assert_int_equal(under.ops->read(under.ctx, &beyond, cells, &result), BIL_REFUSED);
    modbus_link_free(&modbus);
    pthread_join(thread, NULL);
    modbus_close(p.server);
    close(p.listening);
    modbus_mapping_free(p.values);
    modbus_free(p.server);
}

/* ---- the identification ---- */

enum { ENOUGH = 1000 };

/* Says each time that more follow, from a number on that it has said before. */
static bil_outcome never_ends(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    unsigned *asked = ctx;
    (void)at;
    memset(cells, 0, BIL_CELLS_MAX * sizeof cells[0]);
    cells[0] = 0x82ff;
    cells[1] = 0x0101; /* from 1 on; one object: */
    cells[2] = 0x0001; /* 0, a single byte */
    cells[3] = 0x7800;
    result->cause = ++*asked < ENOUGH ? BIL_OK : BIL_E_LOST;
    return *asked < ENOUGH ? BIL_DONE : BIL_NOT_SENT;
}

static void objects_without_end(void **state)
{
    (void)state;
    static const bil_format nine = {.type = BIL_TEXT, .size = 9};
    static const bil_param wanted = {.format = &nine, .at = {.number = 200}};
    static const bil_space space = {.reading = BIL_SHARE_ANY, .table = BIL_OBJECTS, .reach = &bil_reach_objects};
    static const bil_description d = {.count = 1, .space_count = 1, .spaces = &space, .params = &wanted};
    static const bil_cell_ops ops = {.read = never_ends};
    static const uint16_t item = 0;
    unsigned asked = 0;
    uint8_t raw[9], cause = BIL_OK;
    bil_cell_link over;
    bil_link link = bil_cell_link_over(&over, (bil_cells){&ops, &asked});
    bil_transfer t = {.description = &d, .items = &item, .count = 1, .raw = raw, .cause = &cause};
    bil_result result = {0};
    assert_int_equal(link.ops->transfer(link.ctx, &t, &result), BIL_DONE);
    assert_int_equal(cause, BIL_E_REFUSED); /* it has none of that number */
    assert_in_range(asked, 1, 256);
    assert_int_equal(result.more, asked - 1);
}

/* A server of another maker. */

static pid_t start_peer(char port[8])
{
    struct sockaddr_in name = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t length = sizeof name;
    int probe = socket(AF_INET, SOCK_STREAM, 0);
    assert_true(bind(probe, (struct sockaddr *)&name, sizeof name) == 0 &&
                getsockname(probe, (struct sockaddr *)&name, &length) == 0);
    close(probe);
    snprintf(port, 8, "%d", ntohs(name.sin_port));
    pid_t child = fork();
    if (child == 0) {
        execl("/usr/bin/python3", "python3", BILANCIA_SOURCE "/tests/peer/objects.py", port, (char *)NULL);
        _exit(127);
    }
    return child;
}

/* One text for each kind of object; texts that are too long for one reply come in two. */
static void objects_of_a_device(void **state)
{
    (void)state;
    static const char description[] =
        "bilancia_description: 0\nvendor: Esempio\nmodel: OE-9/B\nrevision: 1\nfirmware: [\"1.4\"]\n"
        "hardware: [\"\"]\nstored_values: by_restart\nlink: {}\n"
        "identify: {vendor: id.vendor, model: id.model, firmware: id.firmware, serial: id.serial}\nparameters:\n"
        "  id.vendor: {name: V, type: text, size: 9, class: unit, space: identification, at: 0}\n"
        "  id.firmware: {name: F, type: text, size: 3, class: unit, space: identification, at: 2}\n"
        "  id.model: {name: M, type: text, size: 20, class: unit, space: identification, at: 5}\n"
        "  id.serial: {name: S, type: text, size: 20, class: unit, space: identification, at: 0x80}\n"
        "  more.short: {name: S, type: text, size: 20, class: unit, space: identification, at: 0x81}\n"
        "  more.last: {name: L, type: text, size: 20, class: unit, space: identification, at: 0x83}\n"
        "  more.none: {name: N, type: text, size: 20, class: unit, space: identification, at: 0x90}\n";
    static const struct {
        const char *id, *text; /* NULL: it can't be read */
    } says[] = {{"id.vendor", "Esempio"},
                {"id.firmware", "1.4"},
                {"id.model", "OE-9/B"},
                {"id.serial", "S-7701"},
                {"more.short", NULL} /* longer than that */,
                {"more.last", "behind the others"},
                {"more.none", NULL}};
    char port[8], why[300], text[BIL_VALUE_TEXT];
    pid_t child = start_peer(port);
    loaded_description loaded;
    assert_int_equal(description_load_text(&loaded, "m", description, strlen(description), why, sizeof why), BIL_OK);
    modbus_link modbus;
    bil_link link;
    assert_true(modbus_link_open(&modbus, "127.0.0.1", port, 1, &link));
    bil_image have = new_image(&loaded.table);
    bil_job_config config = {
        .struct_size = sizeof config, .kind = BIL_JOB_READ, .description = &loaded.table, .have = &have};
    size_t size = bil_job_size(&loaded.table);
    void *memory = malloc(size);
    bil_job *job;
    bil_action end;
    do { /* until it listens */
        assert_int_equal(bil_job_init(&job, memory, size, &config), BIL_OK);
        assert_int_equal(bil_run(job, link, clock_monotonic(), NULL, &end), BIL_OK);
    } while (end.u.end.cause == BIL_E_NOT_REACHABLE && waitpid(child, NULL, WNOHANG) == 0);
    assert_int_equal(end.u.end.cause, BIL_OK);
    for (size_t i = 0; i < sizeof says / sizeof says[0]; i++) {
        uint16_t index = index_of(&loaded.table, says[i].id);
        assert_int_equal(have.state[index], says[i].text ? BIL_PRESENT : BIL_UNREADABLE);
        if (says[i].text) {
            bil_value_text(loaded.table.params[index].format, bil_image_raw(&have, index), NULL, text, sizeof text);
            assert_string_equal(text, says[i].text);
        }
    }
    link.ops->close(link.ctx);
    modbus_link_free(&modbus);
    kill(child, SIGTERM);
    waitpid(child, NULL, 0);
    free(memory);
    free_image(&have);
    description_free(&loaded);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(every_function), cmocka_unit_test(objects_without_end),
                                       cmocka_unit_test(objects_of_a_device)};
    return cmocka_run_group_tests_name("link_tables", tests, NULL, NULL);
}
