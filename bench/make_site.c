/* Makes a site with many copies.   make_site FOLDER DEVICES COPIES PARAMETERS
 * Each device has a baseline, its first copy; about every tenth copy differs from the one before in one value. */
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "bilancia/set.h"
#include "port/digest.h"

static bil_digest whole, values;

static bil_str str(const char *text)
{
    return (bil_str){text, strlen(text)};
}

static void check(bool good, const char *what)
{
    if (good)
        return;
    perror(what);
    exit(1);
}

static void hex_of(const uint8_t *bytes, char hex[65])
{
    for (int i = 0; i < BIL_SHA256; i++)
        snprintf(hex + 2 * i, 3, "%02x", bytes[i]);
}

/* The copy's lines in memory: its name is known only at the end. */
static void make_copy(const char *folder, unsigned device, unsigned copy, unsigned params, char parent[65])
{
    static char bytes[1 << 20];
    size_t used = 0, length;
    char line[BIL_SET_LINE], serial[20], when[30], path[1000];
    snprintf(serial, sizeof serial, "%06u", device);
    snprintf(when, sizeof when, "20%02u-%02u-%02uT%02u:%02u:%02uZ", 20 + copy / 300 % 6, 1 + copy / 25 % 12,
             1 + copy % 25, device % 24, copy % 60, device / 24 % 60);
    bil_set_header header = {.vendor = str("Esempio"),
                             .model = str("EM-1"),
                             .serial = str(serial),
                             .layout = str("0000000000000000000000000000000000000000000000000000000000000000"),
                             .firmware = str("1.0"),
                             .when = str(when),
                             .who = str("timer"),
                             .parent = str(parent)};
    bil_set_writer writer;
    check(bil_set_begin(&writer, whole, values, NULL, &header, line, &length) == BIL_OK, "header");
    memcpy(bytes, line, length);
    used = length;
    for (unsigned i = 0; i < params; i++) {
        char id[64], name[64], value[20];
        unsigned number = 1000 + i * 7 + (i == copy / 10 % params ? copy / 10 : 0);
        snprintf(id, sizeof id, "group_%02u.value_%04u", i / 20, i);
        snprintf(name, sizeof name, "Value number %u", i);
        snprintf(value, sizeof value, "%u", number);
        bil_item item = {.id = str(id),
                         .name = str(name),
                         .unit = str("mm"),
                         .value = str(value),
                         .type = BIL_U16,
                         .cls = BIL_CLASS_SETUP,
                         .size = 2,
                         .raw = {(uint8_t)(number >> 8), (uint8_t)number}};
        check(bil_set_item(&writer, &item, line, &length) == BIL_OK && used + length < sizeof bytes, "item");
        memcpy(bytes + used, line, length);
        used += length;
    }
    check(bil_set_end(&writer, line, &length) == BIL_OK, "end");
    memcpy(bytes + used, line, length);
    used += length;
    hex_of(writer.totals.digest, parent);
    snprintf(path, sizeof path, "%s/copies/device-%u_%s_%u-%.12s.bset", folder, device, serial, copy, parent);
    FILE *file = fopen(path, "wb");
    check(file && fwrite(bytes, 1, used, file) == used && fclose(file) == 0, path);
}

static void make_note(const char *folder, const char *text)
{
    char hex[65], path[1000];
    digest_hex(text, strlen(text), hex);
    snprintf(path, sizeof path, "%s/notes/20200101T000000Z-%.12s.json", folder, hex);
    FILE *file = fopen(path, "wb");
    check(file && fputs(text, file) >= 0 && fclose(file) == 0, path);
}

static void make_folder(const char *path)
{
    check(mkdir(path, 0777) == 0 || errno == EEXIST, path);
}

int main(int argc, char **argv)
{
    if (argc < 5)
        return 2;
    unsigned devices = (unsigned)atoi(argv[2]), copies = (unsigned)atoi(argv[3]), params = (unsigned)atoi(argv[4]);
    char folder[600], sub[700], text[600], path[700];
    check(digest_open(&whole) && digest_open(&values), "digest");
    make_folder(argv[1]);
    snprintf(path, sizeof path, "%s/devices", argv[1]);
    make_folder(path);
    snprintf(path, sizeof path, "%s/site.json", argv[1]);
    FILE *file = fopen(path, "wb");
    check(file && fputs("{\"bilancia_site\":0,\"name\":\"bench\"}", file) >= 0 && fclose(file) == 0, path);
    for (unsigned d = 1; d <= devices; d++) {
        snprintf(folder, sizeof folder, "%s/devices/device-%u", argv[1], d);
        make_folder(folder);
        snprintf(sub, sizeof sub, "%s/copies", folder);
        make_folder(sub);
        snprintf(sub, sizeof sub, "%s/notes", folder);
        make_folder(sub);
        char parent[65] = "", first[65];
        for (unsigned c = 1; c <= copies; c++) {
            make_copy(folder, d, c, params, parent);
            if (c == 1)
                memcpy(first, parent, sizeof first);
        }
        snprintf(text, sizeof text,
                 "{\"address\":\"modbus+tcp://192.0.2.%u/"
                 "1\",\"after\":[],\"bilancia_note\":0,\"kind\":\"device\",\"name\":\"device-%u\","
                 "\"when\":\"2020-01-01T00:00:00Z\",\"who\":\"bench\"}",
                 d % 250, d);
        make_note(folder, text);
        snprintf(text, sizeof text,
                 "{\"about\":\"%s\",\"after\":[],\"bilancia_note\":0,\"kind\":\"baseline\",\"when\":\"2020-01-01T00:00:"
                 "00Z\",\"who\":\"bench\"}",
                 first);
        make_note(folder, text);
    }
    return 0;
}
