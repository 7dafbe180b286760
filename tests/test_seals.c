/* Secrets sealed in a copy: as the document says, to the byte; opened by their passphrase alone, and for nothing else;
 * in no file in clear; put into the device, and never said to be proved. */
#include <dirent.h>
#include <sodium.h>
#include <sys/stat.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "bilancia/write.h"
#include "help.h"
#include "host/copy/load.h"
#include "host/look/edit.h"
#include "sim/entry.h"
#include "sim/fault.h"

#define KEY "under-green-leaves"
#define PASSPHRASE "six olives on a twig"

static char folder[] = "/tmp/bilancia-seals-XXXXXX";

/* ---- the bytes, by docs/set-file.md and not by src ---- */

enum { HEAD = 22, NONCE_AT = 22, SEALED_AT = 46, AROUND = 62 };

static uint16_t key_of_broker(void)
{
    return index_of(&bil_description_en_2, "broker.key");
}

/* What lies beside the secret: the head, then whose and which it is. */
static size_t beside(const uint8_t *bytes, const char *whose, uint8_t *out)
{
    memcpy(out, bytes, HEAD);
    memcpy(out + HEAD, whose, strlen(whose));
    return HEAD + strlen(whose);
}

static void make_key(const uint8_t *head, const char *passphrase, uint8_t key[32])
{
    size_t kib = (size_t)head[2] << 24 | (size_t)head[3] << 16 | (size_t)head[4] << 8 | head[5];
    assert_int_equal(crypto_pwhash(key, 32, passphrase, strlen(passphrase), head + 6, head[1], kib * 1024,
                                   crypto_pwhash_ALG_ARGON2ID13),
                     0);
}

/* A seal of a secret for the key of the broker, by so many passes over so many KiB. */
static seal made(const char *secret, uint8_t passes, uint32_t kib)
{
    seal s = {.id = "broker.key", .size = AROUND + 32};
    uint8_t key[32], with[200], raw[32] = {0};
    memcpy(raw, secret, strlen(secret));
    const uint8_t head[] = {1, passes, (uint8_t)(kib >> 24), (uint8_t)(kib >> 16), (uint8_t)(kib >> 8), (uint8_t)kib};
    memcpy(s.bytes, head, sizeof head);
    randombytes_buf(s.bytes + 6, 16 + 24);
    size_t count = beside(s.bytes, "Esempio\nEN-2\nbroker.key\n", with);
    make_key(s.bytes, PASSPHRASE, key);
    crypto_aead_xchacha20poly1305_ietf_encrypt(s.bytes + SEALED_AT, NULL, raw, 32, with, count, NULL,
                                               s.bytes + NONCE_AT, key);
    return s;
}

static void one_made_by_hand_opens(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_en_2;
    uint8_t raw[BIL_TEXT_MAX], again[BIL_TEXT_MAX];
    seal_key k;
    seal s = made(KEY, 1, 8192);
    assert_int_equal(seal_key_of(&k, &s, "six olives on a twiG"), BIL_OK);
    assert_int_equal(seal_open(&s, &k, d, key_of_broker(), raw), BIL_E_PASSPHRASE);
    assert_int_equal(seal_key_of(&k, &s, PASSPHRASE), BIL_OK);
    assert_int_equal(seal_open(&s, &k, d, key_of_broker(), raw), BIL_OK);
    assert_memory_equal(raw, KEY, sizeof KEY);
    unsigned refused = 0;
    for (size_t i = 0; i < s.size; i++) /* whatever is altered */
        for (int bit = 0; bit < 8; bit++, refused++) {
            s.bytes[i] ^= (uint8_t)(1u << bit);
            memset(again, 7, sizeof again);
            assert_int_equal(seal_open(&s, &k, d, key_of_broker(), again), i < HEAD ? BIL_E_SEAL : BIL_E_PASSPHRASE);
            assert_null(memmem(again, sizeof again, "green", 5));
            s.bytes[i] ^= (uint8_t)(1u << bit);
        }
    for (size_t size = 0; size <= SEAL_MOST; size++) { /* or cut, or longer */
        seal other = s;
        other.size = size;
        assert_int_equal(seal_open(&other, &k, d, key_of_broker(), again), size == s.size ? BIL_OK : BIL_E_SEAL);
    }
    bil_description other = *d; /* or stands for something else */
    other.model = "EN-3";
    assert_int_equal(seal_open(&s, &k, &other, key_of_broker(), again), BIL_E_PASSPHRASE);
    other = *d;
    bil_param params[BIL_PARAMS_MAX / 4];
    memcpy(params, d->params, d->count * sizeof params[0]);
    params[key_of_broker()].id = "broker.kez";
    other.params = params;
    assert_int_equal(seal_open(&s, &k, &other, key_of_broker(), again), BIL_E_PASSPHRASE);
    print_message("a seal altered: %u ways, none opens\n", refused);
}

/* What it would cost to open is bounded before it is begun. */
static void no_seal_costs_what_it_likes(void **state)
{
    (void)state;
    static const struct {
        uint8_t form, passes;
        uint32_t kib;
        int error;
    } list[] = {{1, 1, 8192, BIL_OK},        {1, 0, 8192, BIL_E_SEAL},       {1, 17, 8192, BIL_E_SEAL},
                {1, 255, 65536, BIL_E_SEAL}, {1, 1, 8191, BIL_E_SEAL},       {1, 1, 0, BIL_E_SEAL},
                {1, 1, 262145, BIL_E_SEAL},  {1, 1, UINT32_MAX, BIL_E_SEAL}, {0, 1, 8192, BIL_E_SEAL},
                {2, 1, 8192, BIL_E_SEAL},    {1, 1, 1u << 31, BIL_E_SEAL}};
    for (size_t i = 0; i < sizeof list / sizeof list[0]; i++) {
        seal_key k;
        seal s = {.id = "broker.key", .size = AROUND + 32, .bytes = {list[i].form, list[i].passes}};
        for (int b = 0; b < 4; b++)
            s.bytes[2 + b] = (uint8_t)(list[i].kib >> (24 - 8 * b));
        assert_int_equal(seal_key_of(&k, &s, PASSPHRASE), list[i].error);
    }
}

/* ---- in a set ---- */

/* A set that leaves out a secret, `live` and nothing else, with these files behind; as a program has it that checks. */
static int checked(const char *const *ids, const uint64_t *sizes, const char *const *chunks, size_t count)
{
    char path[STORAGE_PATH], line[BIL_SET_LINE], why[500];
    size_t length;
    bil_digest digests[2];
    bil_set_writer w;
    bil_set_totals totals;
    set_origin *o = calloc(1, sizeof *o);
    assert_true(digest_open(&digests[0]) && digest_open(&digests[1]));
    snprintf(path, sizeof path, "%s/c.bset", folder);
    FILE *file = fopen(path, "w");
    assert_int_equal(bil_set_begin(&w, digests[0], digests[1], NULL, &(bil_set_header){0}, line, &length), BIL_OK);
    fwrite(line, 1, length, file);
    static const char *const left_out[] = {"broker.key", "state.now"};
    for (int i = 0; i < 2; i++) {
        const bil_param *p = &bil_description_en_2.params[index_of(&bil_description_en_2, left_out[i])];
        assert_int_equal(bil_set_left_out(&w, p, line, &length), BIL_OK);
        fwrite(line, 1, length, file);
    }
    for (size_t i = 0; i < count; i++) {
        bil_set_file(&w, (bil_str){ids[i], strlen(ids[i])}, sizes[i], line, &length);
        fwrite(line, 1, length, file);
        bil_set_chunk(&w, (bil_str){chunks[i], strlen(chunks[i])}, line, &length);
        fwrite(line, 1, length, file);
    }
    bil_set_end(&w, line, &length);
    fwrite(line, 1, length, file);
    fclose(file);
    digest_close(&digests[0]);
    digest_close(&digests[1]);
    int error = set_file_check(path, o, &totals, why, sizeof why);
    free(o);
    unlink(path);
    return error;
}

static int with(const char *id, uint64_t size, size_t bytes)
{
    char chunk[BIL_SET_CHUNK_TEXT + 1];
    size_t length = (bytes + 2) / 3 * 4;
    memset(chunk, 'A', sizeof chunk);
    chunk[length] = '\0';
    for (size_t i = 0; i < (3 - bytes % 3) % 3; i++)
        chunk[length - 1 - i] = '=';
    return checked((const char *const[]){id}, &size, (const char *const[]){chunk}, 1);
}

static void only_secrets_have_seals(void **state)
{
    (void)state;
    assert_int_equal(with("broker.key", 63, 63), BIL_OK); /* of whatever kind: it is shown, and opened by nobody */
    assert_int_equal(with("broker.key", SEAL_MOST, SEAL_MOST), BIL_OK);
    assert_int_equal(with("broker.key", 62, 62), BIL_E_SET_LINE); /* nothing is sealed there */
    assert_int_equal(with("broker.key", SEAL_MOST + 1, SEAL_MOST + 1), BIL_E_SET_LINE);
    assert_int_equal(with("broker.key", 1441, 1440), BIL_E_SET_LINE);
    assert_int_equal(with("broker.key", 63, 66), BIL_E_SET_LINE);
    assert_int_equal(with("state.now", 63, 63), BIL_E_SET_ORDER); /* what is left out for another reason */
    assert_int_equal(with("broker.on", 63, 63), BIL_E_SET_ORDER); /* or isn't there at all */
    const char *twice[] = {"broker.key", "broker.key"};
    const uint64_t sizes[] = {63, 63};
    char whole[85];
    memset(whole, 'A', 84);
    whole[84] = '\0';
    assert_int_equal(checked(twice, sizes, (const char *const[]){whole, whole}, 2), BIL_E_SET_ORDER);
    whole[40] = '*';
    assert_int_equal(checked(twice, sizes, (const char *const[]){whole}, 1), BIL_E_SET_LINE);
}

/* ---- as a program does it ---- */

typedef struct program {
    bench unit;
    bil_host *host;
    bil_device *device;
    const char *passphrase, *then; /* given first, and when that isn't it; NULL: nobody has one */
    unsigned asked;
} program;

static void want(const program *p, int error, int wanted)
{
    if (error != wanted)
        print_error("%s\n", bil_host_trouble(p->host));
    assert_int_equal(error, wanted);
}

static void program_open(program *p, const sim_model *model, const bil_description *d)
{
    memset(p, 0, sizeof *p);
    bench_open(&p->unit, model, d, false);
    const bil_host_config config = {.struct_size = sizeof config, .site = ""};
    want(p, bil_host_open(&p->host, &config), BIL_OK);
    want(p, bil_device_open_link(p->host, "unit", p->unit.link, p->unit.clock, &p->device), BIL_OK);
}

static void program_close(program *p)
{
    bil_host_close(p->host);
    bench_close(&p->unit);
}

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    const program *p = ctx;
    (void)which;
    snprintf(out, size, "%s", p->unit.password);
    return !may_ask;
}

static bool passphrase(void *ctx, const bil_writing *w, bool wrong, char *out, size_t size)
{
    program *p = ctx;
    (void)w;
    assert_int_equal(p->asked > 0, wrong);
    p->asked++;
    const char *now = wrong ? p->then : p->passphrase;
    snprintf(out, size, "%s", now ? now : "");
    return now != NULL;
}

/* The device as it is, with one secret sealed. */
static bil_copy *sealed_copy(program *p, const char *id, const char *secret)
{
    bil_copy *copy;
    want(p, bil_device_read(p->device, NULL), BIL_OK);
    want(p, bil_copy_of_device(p->device, &copy), BIL_OK);
    want(p, bil_copy_save(copy, folder, "as it is"), BIL_OK);
    assert_int_equal(bil_copy_seal(copy, id, secret), BIL_E_BAD_CALL); /* under nothing */
    want(p, bil_copy_seal_by(copy, "short"), BIL_E_CALL);
    want(p, bil_copy_seal_by(copy, PASSPHRASE), BIL_OK);
    want(p, bil_copy_seal(copy, id, secret), BIL_OK);
    want(p, bil_copy_save(copy, folder, "with its secret"), BIL_OK);
    bil_copy *again;
    want(p, bil_copy_open(p->host, bil_copy_tells(copy)->path, &again), BIL_OK);
    assert_true(bil_copy_is_sealed(again, id) && !bil_copy_is_sealed(again, "state.now"));
    bil_copy_close(copy);
    return again;
}

static int write_it(program *p, const bil_copy *copy, const char *first, const char *then, bil_ending *end)
{
    bil_write_wish wish = {.struct_size = sizeof wish,
                           .yes = true,
                           .prove = true,
                           .folder = folder,
                           .password = password,
                           .passphrase = passphrase,
                           .ctx = p};
    p->passphrase = first;
    p->then = then;
    p->asked = 0;
    *end = (bil_ending){.struct_size = sizeof *end};
    return bil_write(p->device, copy, &wish, end);
}

/* Is this text in the unit's own memory, stored? */
static bool unit_has(const program *p, const char *name, const char *text)
{
    const sim_entry *e = sim_find(p->unit.unit, name);
    char stored[64] = "";
    for (size_t i = 0; i < 2 * sim_cells_of(e) && i < sizeof stored - 1; i++)
        stored[i] = (char)(p->unit.unit->stored[e->space][e->address + i / 2] >> (i % 2 ? 0 : 8));
    return strcmp(stored, text) == 0;
}

/* How many files there are, none of which has it in clear. */
static unsigned files_without(const char *secret)
{
    unsigned count = 0;
    DIR *dir = opendir(folder);
    for (struct dirent *e; (e = readdir(dir));) {
        char path[STORAGE_PATH], *text;
        snprintf(path, sizeof path, "%s/%s", folder, e->d_name);
        struct stat is;
        if (stat(path, &is) != 0 || !S_ISREG(is.st_mode))
            continue;
        text = malloc((size_t)is.st_size + 1);
        FILE *file = fopen(path, "r");
        size_t size = fread(text, 1, (size_t)is.st_size, file);
        assert_null(memmem(text, size, secret, strlen(secret)));
        fclose(file);
        free(text);
        count++;
    }
    closedir(dir);
    return count;
}

static void a_write_puts_it_in(void **state)
{
    (void)state;
    program p;
    bil_ending end;
    program_open(&p, &sim_en2, &bil_description_en_2);
    bil_copy *copy = sealed_copy(&p, "broker.key", KEY);
    uint64_t before = p.unit.unit->counters.write_requests;
    want(&p, write_it(&p, copy, "not the right one", "nor is this", &end), BIL_E_PASSPHRASE);
    assert_int_equal(p.asked, 3);
    want(&p, write_it(&p, copy, "not the right one", NULL, &end), BIL_E_PASSPHRASE);
    assert_int_equal(p.unit.unit->counters.write_requests, before); /* it was never begun */
    want(&p, write_it(&p, copy, NULL, NULL, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED); /* the rest of it */
    assert_true(unit_has(&p, "broker.key", "green-gold"));
    want(&p, write_it(&p, copy, "not the right one", PASSPHRASE, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
    assert_true(end.wrote && end.stored && end.restarted && !end.held);
    assert_true(unit_has(&p, "broker.key", KEY));
    char command[5000]; /* which secrets it put in stands in its record */
    snprintf(command, sizeof command, "grep -q '\"secrets\":\\[\"broker.key\"\\]' '%s'", end.record);
    assert_int_equal(system(command), 0);

    char answer[100]; /* the device says no: that is named, and the rest comes to its end */
    sim_put(p.unit.unit, "broker.key", "another");
    sim_put(p.unit.unit, "print.warm_up", "123");
    sim_store(p.unit.unit);
    sim_fault_say(p.unit.unit, "refuse broker.key", answer, sizeof answer);
    want(&p, write_it(&p, copy, PASSPHRASE, NULL, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
    assert_int_equal(end.written, 1);
    assert_true(unit_has(&p, "broker.key", "another"));
    assert_true(files_without(KEY) >= 8 && files_without(PASSPHRASE) >= 8);
    program_close(&p);
}

/* One that the device is unlocked with: from the moment when it is there it has to be the new one. */
static void a_password_changes_on_the_way(void **state)
{
    (void)state;
    program p;
    bil_ending end;
    char answer[100];
    program_open(&p, &sim_ed30, &bil_description_ed_30);
    bil_copy *copy = sealed_copy(&p, "access.password", "press-31");
    sim_fault_say(p.unit.unit, "refuse access.password", answer, sizeof answer);
    want(&p, write_it(&p, copy, PASSPHRASE, NULL, &end), BIL_OK); /* it stays the old one, and that is known */
    assert_int_equal(end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
    assert_true(unit_has(&p, "access.password", "mill-30"));
    sim_fault_clear(p.unit.unit);
    want(&p, write_it(&p, copy, PASSPHRASE, NULL, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
    assert_true(!end.held && unit_has(&p, "access.password", "press-31"));
    assert_int_equal(write_it(&p, copy, NULL, NULL, &end), BIL_OK); /* the old one opens nothing any more */
    assert_int_equal(end.cause, BIL_E_PASSWORD);
    p.unit.password = "press-31";
    want(&p, write_it(&p, copy, NULL, NULL, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED);
    program_close(&p);
}

static void one_passphrase_a_copy(void **state)
{
    (void)state;
    program p;
    bil_copy *other;
    program_open(&p, &sim_en2, &bil_description_en_2);
    bil_copy *copy = sealed_copy(&p, "broker.key", KEY);
    want(&p, bil_copy_seal_by(copy, "eight green olives"), BIL_E_PASSPHRASE);
    assert_int_equal(bil_copy_seal(copy, "broker.key", "x"), BIL_E_BAD_CALL);
    want(&p, bil_copy_seal(copy, "broker.key", NULL), BIL_OK); /* once it is out, another one may be taken */
    assert_false(bil_copy_is_sealed(copy, "broker.key"));
    want(&p, bil_copy_seal_by(copy, "eight green olives"), BIL_OK);
    want(&p, bil_copy_seal(copy, "broker.key", "a key that is much too long for this device"), BIL_E_RANGE);
    want(&p, bil_copy_seal(copy, "print.speed", "5"), BIL_E_NOT_YOURS);
    want(&p, bil_copy_seal(copy, "access.enter", "5"), BIL_E_NOT_YOURS); /* nothing keeps that */
    want(&p, bil_copy_seal(copy, "broker.kez", "5"), BIL_E_UNKNOWN_PARAMETER);
    want(&p, bil_copy_seal(copy, "broker.key", KEY), BIL_OK);
    assert_int_equal(bil_copy_changed(copy), 1);
    want(&p, bil_copy_set(copy, "print.warm_up", "99"), BIL_OK); /* what is changed beside it takes it along */
    want(&p, bil_copy_save(copy, folder, NULL), BIL_OK);
    want(&p, bil_copy_open(p.host, bil_copy_tells(copy)->path, &other), BIL_OK);
    want(&p, bil_copy_seal_by(other, "eight green olives"), BIL_OK);
    program_close(&p);
}

static int finish(void **state)
{
    (void)state;
    char command[100];
    snprintf(command, sizeof command, "rm -rf '%s'", folder);
    return system(command);
}

int main(void)
{
    assert_true(sodium_init() >= 0);
    assert_non_null(mkdtemp(folder));
    setenv("XDG_STATE_HOME", folder, 1);
    setenv("BILANCIA_TURNS", folder, 1);
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(one_made_by_hand_opens),        cmocka_unit_test(no_seal_costs_what_it_likes),
        cmocka_unit_test(only_secrets_have_seals),       cmocka_unit_test(a_write_puts_it_in),
        cmocka_unit_test(a_password_changes_on_the_way), cmocka_unit_test(one_passphrase_a_copy),
    };
    return cmocka_run_group_tests(tests, NULL, finish);
}
