/* The simulated units and their descriptions, made apart from each other, agree on every value; frames are pinned in
 * hex. */
#include <arpa/inet.h>
#include <pthread.h>
#include <unistd.h>

#include "help.h"
#include "sim/control.h"
#include "sim/server.h"

/* Cells of the station that several values have. */
static bool in_parts(const sim_entry *entry)
{
    return entry->kind[0] == 'x' || strcmp(entry->name, "rinse.start") == 0;
}

/* What somebody enters at the device is what the description makes of its cells, for each value that can be entered. */
static void maps_agree(const sim_model *model, const bil_description *d, unsigned expected)
{
    bench b;
    bench_open(&b, model, d, false);
    dice d6 = {42};
    unsigned tried = 0;
    for (size_t i = 0; i < b.unit->count; i++) {
        const sim_entry *entry = &b.unit->entries[i];
        if ((entry->role != SIM_SETTING && entry->role != SIM_CALIBRATION) || in_parts(entry))
            continue;
        uint16_t index = index_of(d, entry->name);
        const bil_param *param = &d->params[index];
        char shown[80], text[BIL_VALUE_TEXT], line[200], answer[200], got[80];
        for (int round = 0; round < 5; round++, tried++) {
            bool number = strchr("uids", entry->kind[0]) != NULL;
            bool ranged = number && entry->low <= entry->high;
            int64_t value = ranged ? entry->low + (int64_t)roll_below(&d6, (uint32_t)(entry->high - entry->low + 1))
                                   : (int64_t)roll_below(&d6, entry->kind[1] == '1' && !entry->kind[2] ? 2 : 30000);
            int64_t unit = 1;
            for (unsigned k = 0; k < entry->decimals; k++)
                unit *= 10;
            if (entry->kind[0] == 't' || entry->kind[0] == 'b')
                snprintf(shown, sizeof shown, "w%d", round);
            else if (entry->kind[0] == 'f')
                snprintf(shown, sizeof shown, "%g", (double)(value % 1600) / 16.0);
            else if (entry->decimals)
                snprintf(shown, sizeof shown, "%s%lld.%0*lld", value < 0 ? "-" : "", (long long)llabs(value / unit),
                         entry->decimals, (long long)llabs(value % unit));
            else
                snprintf(shown, sizeof shown, "%lld", (long long)value);
            snprintf(line, sizeof line, "set %s %s", entry->name, shown);
            sim_control(b.unit, b.sim.now, line, answer, sizeof answer);
            assert_memory_equal(answer, "ok", 2);
            snprintf(line, sizeof line, "get %s", entry->name);
            sim_control(b.unit, b.sim.now, line, answer, sizeof answer); /* as the device shows it, rounded by it */
            assert_int_equal(sscanf(answer, "ok: %*s = %79s", got), 1);
            assert_int_equal(bench_read(&b, false).u.end.cause, BIL_OK);
            if (entry->kind[0] == 'b') { /* of a file in records all that it has room for is read */
                uint8_t bytes[SIM_CELLS] = {0}, raw[BIL_FILE_RAW];
                memcpy(bytes, shown, strlen(shown));
                files_put(&b.files, bytes, (size_t)param->format->high, raw);
                assert_memory_equal(bil_image_raw(&b.have, index), raw, BIL_FILE_RAW);
                continue;
            }
            bil_format plain = *param->format;
            plain.choice_count = 0; /* choices and bits by number, as on the small display */
            if (plain.type == BIL_BOOL || plain.type == BIL_CHOICE8 || plain.type == BIL_BITS8)
                plain.type = BIL_U8;
            if (plain.type == BIL_CHOICE16 || plain.type == BIL_BITS16)
                plain.type = BIL_U16;
            assert_int_equal(bil_value_text(&plain, bil_image_raw(&b.have, index), &host_floats, text, sizeof text),
                             BIL_OK);
            if (strcmp(text, got) != 0)
                fail_msg("%s: the device shows %s, the description says %s", entry->name, got, text);
        }
    }
    assert_int_equal(tried, 5 * expected);
    /* and what the description calls identity and measured is there, too */
    char text[BIL_VALUE_TEXT];
    bil_image_identity(&b.have, BIL_ID_VENDOR, text, sizeof text);
    assert_string_equal(text, "Esempio");
    bench_close(&b);
}

static void the_drive_map_agrees(void **state)
{
    (void)state;
    maps_agree(&sim_ed30, &bil_description_ed_30, 52);
}

static void the_controller_map_agrees(void **state)
{
    (void)state;
    maps_agree(&sim_ec8, &bil_description_ec_8, 113);
}

static void the_station_map_agrees(void **state)
{
    (void)state;
    maps_agree(&sim_ew4, &bil_description_ew_4, 81);
    static const struct {
        const char *entered, *id, *shown;
    } parts[] = {
        {"rinse.start 1905", "rinse.hour", "19"},           {"rinse.start 1905", "rinse.minute", "5"},
        {"rinse.ways 0341", "rinse.days", "monday+sunday"}, {"rinse.ways 0341", "rinse.program", "hot"},
        {"channel_7.ways 0032", "channel_7.valve", "ball"}, {"channel_7.ways 0032", "channel_7.mode", "by_the_clock"}};
    bench b;
    bench_open(&b, &sim_ew4, &bil_description_ew_4, false);
    for (size_t i = 0; i < sizeof parts / sizeof parts[0]; i++) {
        char line[100], answer[200], text[BIL_VALUE_TEXT];
        uint16_t index = index_of(&bil_description_ew_4, parts[i].id);
        snprintf(line, sizeof line, "set %s", parts[i].entered);
        sim_control(b.unit, b.sim.now, line, answer, sizeof answer);
        assert_memory_equal(answer, "ok", 2);
        assert_int_equal(bench_read(&b, false).u.end.cause, BIL_OK);
        bil_value_text(bil_description_ew_4.params[index].format, bil_image_raw(&b.have, index), &host_floats, text,
                       sizeof text);
        assert_string_equal(text, parts[i].shown);
    }
    char text[BIL_VALUE_TEXT];
    bil_image_identity(&b.have, BIL_ID_SERIAL, text, sizeof text);
    assert_string_equal(text, "440118");
    bench_close(&b);
}

/* ---- frames on the wire ---- */

static volatile int stop;

static void *serve(void *server)
{
    sim_server_run(server, &stop);
    return NULL;
}

static size_t bytes_of(const char *hex, uint8_t *out)
{
    size_t count = 0;
    for (; *hex; hex++)
        if (*hex != ' ') {
            unsigned byte;
            assert_int_equal(sscanf(hex, "%2x", &byte), 1);
            out[count++] = (uint8_t)byte;
            hex++;
        }
    return count;
}

/* MBAP header (transaction, protocol 0, length, unit) and PDU, as the Modbus documents draw them. */
static const struct {
    int unit;
    const char *request, *reply;
    /* clang-format off */
} frames[] = {
    /* drive: model "ED-30" as text, high byte first */
    {0, "0001 0000 0006 01 03 0004 0003", "0001 0000 0009 01 03 06 45442d333000"},
    /* motor.power 5500 = 0x157c, low cell first */
    {0, "0002 0000 0006 01 03 0068 0002", "0002 0000 0007 01 03 04 157c0000"},
    /* regulator.gain 4.35f = 0x408b3333, low cell first */
    {0, "0003 0000 0006 01 03 008c 0002", "0003 0000 0007 01 03 04 3333408b"},
    /* limit.temperature -5 in one cell */
    {0, "0004 0000 0006 01 03 008a 0001", "0004 0000 0005 01 03 02 fffb"},
    /* watch.pattern 0x99999ABCDE012459 in four cells, lowest first */
    {0, "0005 0000 0006 01 03 00a0 0004", "0005 0000 000b 01 03 08 2459 de01 9abc 9999"},
    /* calibration.position -5120034 as i64: ff..ffb1dfde */
    {0, "0006 0000 0006 01 03 012e 0004", "0006 0000 000b 01 03 08 dfde ffb1 ffff ffff"},
    /* unmapped cell 50: illegal data address */
    {0, "0007 0000 0006 01 03 0032 0001", "0007 0000 0003 01 83 02"},
    /* more than 32 cells: illegal data value */
    {0, "0008 0000 0006 01 03 0064 0021", "0008 0000 0003 01 83 03"},
    /* writing without the password: device failure */
    {0, "0009 0000 0009 01 10 0086 0001 02 0400", "0009 0000 0003 01 90 04"},
    /* a function that it doesn't have */
    {0, "000a 0000 0002 01 2b", "000a 0000 0003 01 ab 01"},
    /* the password, then the same again */
    {0, "000b 0000 000f 01 10 0262 0004 08 6d696c6c2d333000", "000b 0000 0006 01 10 0262 0004"},
    {0, "000c 0000 0009 01 10 0086 0001 02 0400", "000c 0000 0006 01 10 0086 0001"},
    {0, "000d 0000 0006 01 03 0086 0001", "000d 0000 0005 01 03 02 0400"},
    /* controller: serial number 801207 = 0x000c39b7 in input cells, high cell first; name with the low byte first */
    {1, "0001 0000 0006 01 04 000e 0002", "0001 0000 0007 01 04 04 000c39b7"},
    {1, "0002 0000 0006 01 03 07d0 0004", "0002 0000 000b 01 03 08 6e6b 6165 6964 676e"},
    /* plant.zone 60, and kneader_1.offset 0.12 */
    {1, "0003 0000 0006 01 03 07e1 0001", "0003 0000 0005 01 03 02 003c"},
    {1, "0004 0000 0006 01 03 03f6 0001", "0004 0000 0005 01 03 02 000c"},
    /* not held: device failure */
    {1, "0005 0000 0006 01 06 07dd 0005", "0005 0000 0003 01 86 04"},
    /* station, unit 12: the door is closed; serial number 00440118 in decimal digits; who it is */
    {2, "0001 0000 0006 0c 02 0000 0005", "0001 0000 0004 0c 02 01 01"},
    {2, "0002 0000 0006 0c 04 0001 0002", "0002 0000 0007 0c 04 04 00440118"},
    {2, "0003 0000 0005 0c 2b 0e 01 00",
     "0003 0000 001c 0c 2b 0e 01 83 00 00 03 00 07 4573656d70696f 01 04 45572d34 02 03 312e33"},
    /* its panel, unit 13: brightness 65, and a cell that it doesn't have; nobody at 14; no identification there */
    {2, "0004 0000 0006 0d 03 0000 0001", "0004 0000 0005 0d 03 02 0041"},
    {2, "0005 0000 0006 0d 03 0064 0001", "0005 0000 0003 0d 83 02"},
    {2, "0006 0000 0006 0e 03 0000 0001", "0006 0000 0003 0e 83 0b"},
    {2, "0007 0000 0005 0d 2b 0e 01 00", "0007 0000 0003 0d ab 01"},
    /* its mailbox: number 31, the density of product 3; number and value together; a number that nothing has */
    {2, "0008 0000 0006 0c 06 0384 001f", "0008 0000 0006 0c 06 0384 001f"},
    {2, "0009 0000 0006 0c 03 0384 0002", "0009 0000 0007 0c 03 04 001f 0415"},
    {2, "000a 0000 0006 0c 06 0384 0020", "000a 0000 0006 0c 06 0384 0020"},
    {2, "000b 0000 0006 0c 03 0385 0002", "000b 0000 0003 0c 83 02"},
    /* no function for several values; locked; the code; not yet; begin; 25.0, which isn't in force before it is taken */
    {2, "000c 0000 0009 0c 10 006e 0001 02 00fa", "000c 0000 0003 0c 90 01"},
    {2, "000d 0000 0006 0c 06 006e 00fa", "000d 0000 0003 0c 86 04"},
    {2, "000e 0000 0006 0c 06 03b7 0a2c", "000e 0000 0006 0c 06 03b7 0a2c"},
    {2, "000f 0000 0006 0c 06 006e 00fa", "000f 0000 0003 0c 86 04"},
    {2, "0010 0000 0006 0c 06 03b9 0001", "0010 0000 0006 0c 06 03b9 0001"},
    {2, "0011 0000 0006 0c 06 006e 00fa", "0011 0000 0006 0c 06 006e 00fa"},
    {2, "0012 0000 0006 0c 03 006e 0001", "0012 0000 0005 0c 03 02 0145"},
    {2, "0013 0000 0006 0c 06 03b9 0002", "0013 0000 0006 0c 06 03b9 0002"},
    {2, "0014 0000 0006 0c 03 006e 0001", "0014 0000 0005 0c 03 02 00fa"},
    /* a coil, and pressure as sign and magnitude: -1.00 */
    {2, "0015 0000 0006 0c 01 0000 0004", "0015 0000 0004 0c 01 01 0f"},
    {2, "0016 0000 0006 0c 03 0079 0001", "0016 0000 0005 0c 03 02 013b"},
};
/* clang-format on */

static void frames_in_hex(void **state)
{
    (void)state;
    static const sim_model *const models[] = {&sim_ed30, &sim_ec8, &sim_ew4};
    sim_server servers[3];
    sim_unit *units[3];
    pthread_t threads[3];
    int sockets[3];
    stop = 0;
    for (int i = 0; i < 3; i++) {
        char why[200];
        units[i] = malloc(sizeof(sim_unit));
        sim_start(units[i], models[i], false, NULL, NULL);
        assert_int_equal(sim_server_open(&servers[i], units[i], 0, NULL, 1, why, sizeof why), BIL_OK);
        pthread_create(&threads[i], NULL, serve, &servers[i]);
        struct sockaddr_in name = {.sin_family = AF_INET, .sin_port = htons((uint16_t)servers[i].port)};
        name.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        sockets[i] = socket(AF_INET, SOCK_STREAM, 0);
        assert_int_equal(connect(sockets[i], (struct sockaddr *)&name, sizeof name), 0);
    }
    for (size_t i = 0; i < sizeof frames / sizeof frames[0]; i++) {
        uint8_t request[300], expected[300], reply[300];
        size_t size = bytes_of(frames[i].request, request), wanted = bytes_of(frames[i].reply, expected), got = 0;
        assert_int_equal(send(sockets[frames[i].unit], request, size, 0), size);
        while (got < wanted) {
            ssize_t part = recv(sockets[frames[i].unit], reply + got, wanted - got, 0);
            assert_true(part > 0);
            got += (size_t)part;
        }
        assert_memory_equal(reply, expected, wanted);
    }
    stop = 1;
    for (int i = 0; i < 3; i++) {
        close(sockets[i]);
        pthread_join(threads[i], NULL);
        sim_server_close(&servers[i]);
        free(units[i]);
    }
}

/* The traps that the drive is made of. */
static void the_drive_has_its_traps(void **state)
{
    (void)state;
    sim_unit *u = malloc(sizeof *u);
    sim_start(u, &sim_ed30, false, NULL, NULL);
    uint16_t cells[8];
    static const uint16_t key[4] = {0x6d69, 0x6c6c, 0x2d33, 0x3000}, wrong_key[4] = {0x6d69, 0x6c6c, 0x2d33, 0x3100};
    assert_int_equal(sim_write(u, 0, 0, 610, 4, wrong_key), SIM_OK);
    assert_int_equal(sim_write(u, 0, 0, 134, 1, (uint16_t[]){900}), SIM_NOT_NOW);
    assert_int_equal(sim_write(u, 0, 0, 610, 4, key), SIM_OK);
    assert_int_equal(sim_write(u, 0, 0, 100, 1, (uint16_t[]){2}), SIM_NOT_NOW); /* wants to be held */
    assert_int_equal(sim_write(u, 0, 0, 501, 1, (uint16_t[]){1}), SIM_OK);      /* runs */
    assert_int_equal(sim_write(u, 0, 0, 500, 1, (uint16_t[]){1}), SIM_OK);      /* stops, then is held */
    assert_int_equal(sim_read(u, 1499, 0, 400, 1, cells), SIM_OK);
    assert_int_equal(cells[0], 3);
    assert_int_equal(sim_read(u, 1500, 0, 400, 1, cells), SIM_OK);
    assert_int_equal(cells[0], 2);
    assert_int_equal(sim_write(u, 1500, 0, 100, 1, (uint16_t[]){2}), SIM_OK);
    assert_int_equal(sim_read(u, 1500, 0, 134, 1, cells), SIM_OK);
    assert_int_equal(cells[0], 1100); /* the mode has reset the torque limit */
    assert_int_equal(sim_write(u, 1500, 0, 117, 2, (uint16_t[]){1234, 0}), SIM_OK);
    assert_int_equal(sim_read(u, 1500, 0, 117, 2, cells), SIM_OK);
    assert_int_equal(cells[0], 1230);                                                      /* rounded */
    assert_int_equal(sim_write(u, 1500, 0, 118, 1, (uint16_t[]){0}), SIM_BAD_ADDRESS);     /* half a value */
    assert_int_equal(sim_write(u, 1500, 0, 121, 2, (uint16_t[]){1, 5001}), SIM_BAD_VALUE); /* wholly or not at all */
    assert_int_equal(sim_read(u, 1500, 0, 406, 1, cells), SIM_OK);
    assert_int_equal(cells[0], 2); /* not stored */
    assert_int_equal(sim_write(u, 1600, 0, 502, 1, (uint16_t[]){23205}), SIM_OK);
    assert_int_equal(sim_write(u, 1700, 0, 134, 1, (uint16_t[]){900}), SIM_BUSY);
    assert_int_equal(sim_read(u, 2400, 0, 406, 1, cells), SIM_OK);
    assert_int_equal(cells[0], 0);
    assert_int_equal(sim_write(u, 2500, 0, 134, 1, (uint16_t[]){900}), SIM_OK); /* this one isn't stored */
    sim_power_cut(u, 3000);
    assert_int_equal(sim_read(u, 5999, 0, 134, 1, cells), SIM_DEAD);
    assert_int_equal(sim_read(u, 6000, 0, 134, 1, cells), SIM_OK);
    assert_int_equal(cells[0], 1100);
    sim_factory_reset(u, 7000);
    assert_int_equal(sim_read(u, 10000, 0, 134, 1, cells), SIM_OK);
    assert_int_equal(cells[0], 1500);
    assert_int_equal(sim_read(u, 10000, 0, 300, 1, cells), SIM_OK);
    assert_int_equal((int16_t)cells[0], -37); /* calibration outlives a reset */
    free(u);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(the_drive_map_agrees),
                                       cmocka_unit_test(the_controller_map_agrees),
                                       cmocka_unit_test(the_station_map_agrees), cmocka_unit_test(frames_in_hex),
                                       cmocka_unit_test(the_drive_has_its_traps)};
    return cmocka_run_group_tests_name("sim", tests, NULL, NULL);
}
