/* Files that come from elsewhere, each kind as its reader takes it: a note, a record, a file of decisions, a table, a
 * kit, the first file of a site. WHAT names the kind. */
#include <fcntl.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "host/copy/csv.h"
#include "host/copy/record.h"
#include "host/look/decisions.h"
#include "host/site/card.h"
#include "host/site/kit.h"
#include "host/site/site.h"
#include "port/digest.h"

static char folder[64], path[128];

static void put_file(const char *name, const uint8_t *data, size_t size)
{
    snprintf(path, sizeof path, "%s/%s", folder, name);
    int fd = open(path, O_WRONLY | O_CREAT | O_TRUNC, 0600);
    if (fd < 0 || write(fd, data, size) != (ssize_t)size)
        abort();
    close(fd);
}

/* What is let in has nothing that steers. */
static void must_be_clean(const char *text)
{
    if (text && !bil_text_is_printable(text, strlen(text)))
        abort();
}

static void look_at(json_t *value)
{
    const char *key;
    json_t *entry;
    size_t i;
    must_be_clean(json_string_value(value));
    json_array_foreach(value, i, entry) look_at(entry);
    json_object_foreach(value, key, entry)
    {
        must_be_clean(key);
        look_at(entry);
    }
}

static void note(const uint8_t *data, size_t size)
{
    char hex[2 * BIL_SHA256 + 1], name[80], id[NOTE_ID + 1];
    bool altered, disputed;
    if (!digest_hex(data, size, hex))
        abort();
    snprintf(name, sizeof name, "20261123T070000Z-%.*s.json", NOTE_SHORT, hex); /* so that what it says is looked at */
    put_file(name, data, size);
    json_t *one = note_read(path, name, id, &altered);
    if (one) {
        look_at(one);
        json_t *heads = json_pack("[{s:O},{s:O}]", "note", one, "note", one), *card = card_of(heads, &disputed);
        char why[400];
        card_wish wish = {.person = "anna", .login = "bruno"};
        if (card_is_sound(one))
            card_allows(card, "x", "", &wish, why, sizeof why);
        json_decref(card);
        json_decref(heads);
    }
    json_decref(one);
    unlink(path);
}

static void record_file(const uint8_t *data, size_t size)
{
    static record_story s;
    put_file("x.brec", data, size);
    if (record_read(path, &s) != BIL_OK)
        return;
    const char *const texts[] = {s.model, s.serial, s.address, s.when,   s.who,
                                 s.copy,  s.chain,  s.safety,  s.groups, s.verdict};
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        must_be_clean(texts[i]);
    bil_job_config config = {0};
    record_go_on(&s, &config);
    record_again(&s, true, &config);
    record_again(&s, false, &config);
}

static void decisions_file(const uint8_t *data, size_t size)
{
    char why[600];
    json_t *list = json_array();
    put_file("x.json", data, size);
    decisions_add_file(list, path, why, sizeof why);
    json_decref(list);
}

static int one_row(void *ctx, unsigned long line, const char *id, const char *value)
{
    (void)ctx;
    (void)line;
    must_be_clean(id);
    must_be_clean(value);
    return 0;
}

static void csv(const uint8_t *data, size_t size)
{
    char why[600];
    put_file("x.csv", data, size);
    csv_read(path, NULL, one_row, NULL, why, sizeof why);
}

static void kit_file_of(const uint8_t *data, size_t size)
{
    char why[600];
    json_t *list = NULL;
    put_file("x.zip", data, size);
    if (kit_check(path, &list, why, sizeof why) == BIL_OK) {
        size_t i;
        json_t *one;
        json_array_foreach(json_object_get(list, "files"), i, one)
        {
            const char *name = json_string_value(json_object_get(one, "name"));
            if (!name || name[0] == '/' || strstr(name, "..") || strchr(name, '\\'))
                abort();
        }
    }
    json_decref(list);
}

static void site_file(const uint8_t *data, size_t size)
{
    site s;
    char why[5000];
    put_file("site.json", data, size);
    if (site_find(&s, folder, why, sizeof why) == BIL_OK)
        must_be_clean(s.name);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (!folder[0]) {
        snprintf(folder, sizeof folder, "%s/bilancia-fuzz-XXXXXX", access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp");
        if (!mkdtemp(folder))
            abort();
    }
    (void)note;
    (void)record_file;
    (void)decisions_file;
    (void)csv;
    (void)kit_file_of;
    (void)site_file;
    WHAT(data, size);
    return 0;
}
