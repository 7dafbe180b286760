/* Comparing and looking: sides of every kind, the odd one out, reports, terminals, damaged copies. */
#include <fcntl.h>
#include <modbus.h>
#include <sys/stat.h>
#include <unistd.h>

#include "host/base/nearest.h"
#include "host/look/finding.h"
#include "host/look/lines.h"
#include "show/age.h"
#include "show/columns.h"
#include "tool.h"

/* ---- a small plant: the controller 0 with values in force, stored and kept; drives 1 to 3; another controller 4 ----
 */

static modbus_t *controller(void)
{
    int port = 0, unit = 0;
    assert_int_equal(sscanf(unit_at[0], "modbus+tcp://127.0.0.1:%d/%d", &port, &unit), 2);
    modbus_t *line = modbus_new_tcp("127.0.0.1", port);
    modbus_set_slave(line, unit);
    assert_int_equal(modbus_connect(line), 0);
    return line;
}

/* Writes as a foreign tool would, waiting for as long as the controller isn't ready. */
static void put(modbus_t *line, int cell, uint16_t value)
{
    for (int i = 0; i < 200; i++) {
        if (modbus_write_registers(line, cell, 1, &value) == 1)
            return;
        usleep(10000);
    }
    fail_msg("the controller doesn't take %d into cell %d", value, cell);
}

static int begin(void **state)
{
    (void)state;
    tool_begin();
    start_unit(0, "ec-8 --name kneading --serial 801207", NULL);
    start_unit(1, "ed-30 --name kneader-1 --serial ED30-0502", NULL);
    start_unit(2, "ed-30 --name kneader-2 --serial ED30-0503", NULL);
    start_unit(3, "ed-30 --name kneader-3 --serial ED30-0504", NULL);
    start_unit(4, "ec-8 --name spare --serial 801300", NULL);
    expect(0, NULL, sh("b site make mill --name 'Poggio Finto'"));
    static const char *const names[] = {"kneading", "kneader-1", "kneader-2", "kneader-3", "spare"};
    for (int i = 0; i < 5; i++)
        expect(0, NULL,
               sh("b device add %s %s --site mill && b read %s --site mill && b baseline %s --site mill", names[i],
                  unit_at[i], names[i], names[i]));
    modbus_t *line = controller();
    put(line, 3000, 1); /* hold */
    put(line, 1005, 3000);
    put(line, 3001, 1); /* store: 2400 is kept as copy 1 */
    put(line, 1005, 3600);
    put(line, 3001, 1); /* 3000 is copy 1, 2400 copy 2 */
    put(line, 1005, 4200);
    modbus_close(line);
    modbus_free(line);
    return 0;
}

static int end(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

static void each_kind_against_each(void **state)
{
    (void)state;
    static const struct {
        const char *side, *kind, *value;
    } sides[] = {{"kneading", "device", "4200"},          {"kneading#stored", "stored", "3600"},
                 {"kneading#kept1", "kept", "3000"},      {"kneading#kept2", "kept", "2400"},
                 {"kneading#factory", "factory", "1800"}, {"kneading#last", "copy", "2400"},
                 {"kneading#baseline", "copy", "2400"},   {"spare", "device", "2400"},
                 {"EC-8#factory", "factory", "1800"},     {"factory", "factory", "1800"}};
    enum { SIDES = sizeof sides / sizeof sides[0] };
    for (size_t i = 0; i < SIDES; i++)
        for (size_t k = 0; k < SIDES; k++) {
            bool nobody = strcmp(sides[i].side, "factory") == 0 && strcmp(sides[k].side, "factory") == 0;
            bool same = strcmp(sides[i].value, sides[k].value) == 0;
            int code = sh("b compare --site mill --match kneader_1.time --json %s %s", sides[i].side, sides[k].side);
            expect(nobody ? 3 : same ? 0 : 1, nobody ? "no description of the model" : NULL, code);
            if (nobody)
                continue;
            json_t *json = answer(), *list = json_object_get(json, "sides");
            assert_string_equal(text_of(json_array_get(list, 0), "kind"), sides[i].kind);
            assert_string_equal(text_of(json_array_get(list, 1), "kind"), sides[k].kind);
            json_t *row = json_array_get(json_object_get(json, "parameters"), 0);
            assert_int_equal(row != NULL, !same);
            json_t *values = json_object_get(row, "values");
            assert_true(same || strcmp(text_of(json_array_get(values, 0), "value"), sides[i].value) == 0);
            assert_true(same || strcmp(text_of(json_array_get(values, 1), "value"), sides[k].value) == 0);
            json_decref(json);
        }
    expect(1, "Hours when copy 1 was kept", sh("b compare --site mill kneading kneading#kept1"));
    expect(2, "it keeps #kept1, #kept2", sh("b compare --site mill kneading kneading#kept7"));
    expect(2, "behind # of a device", sh("b compare kneading %s#keptx", unit_at[0]));
    /* in force, stored and saved at once, and which is the odd one */
    expect(1, "odd one out: C in 1", sh("b compare --site mill kneading#kept2 kneading#last kneading#stored"));
    expect(1, NULL,
           sh("b compare --site mill --json kneading kneading#stored kneading#last > 3.json; e=$?; b compare "
              "--site mill --json kneading kneading#stored kneading#kept1 kneading#kept2 factory > 5.json; "
              "exit $e"));
    expect(0, " 0 failed",
           sh("/usr/bin/python3 %s/tests/schema.py %s 3.json 5.json", BILANCIA_SOURCE, BILANCIA_SOURCE));
    /* the shortest account of a drive, and that the description is right about it: after a reset nothing is left of it
     */
    expect(1, NULL, sh("b compare --site mill factory kneader-1 --class setup"));
    expect(0, "ok", control(3, "factory-reset"));
    usleep(400000);
    expect(0, "equal", sh("b compare factory %s --class setup --all", unit_at[3]));
    expect(0, "equal", sh("b compare factory %s --class place", unit_at[3]));
    expect(0, "ok", control(4, "factory-reset"));
    usleep(400000);
    expect(0, "equal", sh("b compare factory %s --class setup", unit_at[4]));
    /* a drive shows what it stored only as long as nothing else is in force */
    expect(0, "the device says that all are stored", sh("b compare --site mill kneader-1 kneader-1#stored"));
    expect(3, "can't be compared", sh("b compare --site mill kneader-1 kneading"));
    expect(1, "only left", sh("b compare --site mill --other-model kneader-1 kneading"));
}

/* ---- who is the odd one out: against counting by hand ---- */

static void odd_ones_as_counted(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    uint16_t torque = index_of(d, "limit.torque"), gain = index_of(d, "regulator.gain");
    dice dice_ = {4711};
    for (unsigned round = 0; round < rounds(3000); round++) {
        size_t count = 3 + roll_below(&dice_, SIDES_MOST - 2);
        side *sides = calloc(count, sizeof *sides);
        int value[SIDES_MOST]; /* -1: not there, -2: not readable */
        for (size_t i = 0; i < count; i++) {
            sides[i].kind = SIDE_RUNNING;
            sides[i].image = new_image(d);
            value[i] = (int)roll_below(&dice_, 5) - 2;
            if (value[i] >= 0)
                bil_image_put(&sides[i].image, torque, (uint8_t[]){0, (uint8_t)value[i]});
            else if (value[i] == -2)
                bil_image_fail(&sides[i].image, torque, BIL_E_REFUSED);
            bil_image_put(&sides[i].image, gain, (uint8_t[]){0x3f, 0x80, 0, 0});
        }
        unsigned votes[5] = {0}, most = 0, winners = 0;
        for (size_t i = 0; i < count; i++)
            votes[value[i] + 2]++;
        for (int v = 0; v < 5; v++)
            most = votes[v] > most ? votes[v] : most;
        for (int v = 0; v < 5; v++)
            winners += votes[v] == most;
        findings *f = calloc(1, sizeof *f);
        finding one;
        findings_begin(f, sides, count, &(finding_filter){0}, false);
        bool there = votes[1] < count;
        if (there)
            assert_int_equal(findings_next(f, &one), 1);
        for (size_t i = 0; i < count && there; i++) {
            assert_int_equal(one.items[i] != NULL, value[i] != -1);
            bool odd = most < count && winners == 1 && votes[value[i] + 2] < most;
            assert_int_equal(one.odd >> i & 1, odd);
        }
        assert_int_equal(f->total.differing, there && (votes[0] > 0 || most < count));
        assert_int_equal(findings_next(f, &one), 1);
        assert_string_equal(one.id, "regulator.gain");
        assert_false(one.differs);
        assert_int_equal(findings_next(f, &one), 0);
        for (size_t i = 0; i < count; i++)
            free_image(&sides[i].image);
        free(sides);
        free(f);
    }
}

static void a_rounded_value_is_no_difference(void **state)
{
    (void)state;
    expect(0, "ok", control(1, "set regulator.gain 4.3501"));
    expect(0, "1 within tolerance", sh("b compare --site mill kneader-1#baseline kneader-1"));
    expect(0, "ok", control(1, "set regulator.gain 4.35"));
}

/* ---- reports ---- */

static void pages_work_in_a_browser(void **state)
{
    (void)state;
    expect(0, "ok", control(1, "set limit.torque 95.0"));
    expect(0, "ok", control(1, "set watch.mask 523"));
    expect(0, "ok", control(2, "set drive.direction 1"));
    expect(1, "report", sh("b compare --site mill kneader-1#baseline kneader-1 --report two.html"));
    expect(1, "report", sh("b compare --site mill kneader-1 kneader-2 kneader-1#baseline --report three.html"));
    expect(0, "report", sh("b show --site mill kneading#baseline --report sheet.html"));
    /* texts that somebody chose to do harm; they are shown as they are */
    expect(0, NULL,
           sh("%s/evil evil.bset && b check evil.bset; b show evil.bset --report evil.html && grep -c "
              "'&#60;img' evil.html",
              BILANCIA_EXAMPLES));
    expect(0, " 0 failed",
           sh("node %s/tests/browser/pages.mjs %s/build/browser two.html 2 three.html 3 sheet.html 0 evil.html 0",
              BILANCIA_SOURCE, BILANCIA_SOURCE));
    expect(2, "a report is a", sh("b show evil.bset --report evil.doc"));
    expect(6, NULL, sh("b show evil.bset --report nowhere/evil.html"));
    expect(0, "two-2.html", sh("b show evil.bset --report two.html")); /* never over another */
}

static void tables_are_tables(void **state)
{
    (void)state;
    expect(1, NULL, sh("b compare --site mill factory kneader-1 --report all.csv"));
    expect(0, NULL, sh("b show evil.bset --report evil.csv"));
    /* a reader that isn't ours finds the same rows, and no formula */
    expect(0, "ok",
           sh("/usr/bin/python3 - <<'P'\n"
              "import csv,json,subprocess\n"
              "rows=list(csv.DictReader(open('all.csv',newline=''),strict=True))\n"
              "assert len(rows)>=60 and all(None not in r and None not in r.values() for r in rows)\n"
              "assert sum(r['relation']=='changed' and r['meant_to_differ']=='no' for r in rows)>40\n"
              "assert open('all.csv','rb').read().count(b'\\r\\n')==len(rows)+1\n"
              "rows=list(csv.DictReader(open('evil.csv',newline=''),strict=True))\n"
              "assert any(r['value']==\"'=1+cmd|calc\" for r in rows),rows\n"
              "assert any('quote\"d' in r['name'] for r in rows)\n"
              "print('ok')\nP"));
}

/* ---- terminals ---- */

static size_t widest(void)
{
    size_t most = 0, width = 0;
    for (const char *at = output; *at; at++) {
        if (*at == '\033')
            at += strcspn(at, "m");
        else if (*at == '\n')
            width = 0;
        else if (((unsigned char)*at & 0xc0) != 0x80 && *at != '\r')
            most = ++width > most ? width : most;
    }
    return most;
}

static void terminals_of_any_width(void **state)
{
    (void)state;
    static const unsigned short widths[] = {20, 59, 60, 80, 109, 110, 120, 200};
    for (size_t i = 0; i < sizeof widths / sizeof widths[0]; i++) {
        expect(1, "limit.torque",
               at_terminal(widths[i], 200, "", "b compare --site mill kneader-1#baseline kneader-1 --group limit"));
        assert_non_null(strstr(output, "\033[")); /* colours, and marks beside them */
        assert_non_null(strstr(output, "!"));
        expect(1, "limit.torque",
               at_terminal(widths[i], 200, "",
                           "NO_COLOR=1 b compare --site mill kneader-1 kneader-2 kneader-1#baseline --group limit"));
        assert_null(strstr(output, "\033[33m"));
        /* rows stay within the terminal; whole paths and totals may wrap */
        char *rows = strstr(output, "limit  ");
        assert_non_null(rows);
        memmove(output, rows, strlen(rows) + 1);
        *strstr(output, "\r\n\r\n") = '\0';
        if (widths[i] >= 60)
            assert_true(widest() <= widths[i]);
    }
    /* what is longer than the screen goes through the pager, and only that */
    expect(0, "P:", at_terminal(80, 24, "", "PAGER='sed s/^/P:/' b show --site mill kneading#baseline"));
    expect(0, NULL, at_terminal(80, 300, "", "PAGER='sed s/^/P:/' b show --site mill kneading#baseline"));
    assert_null(strstr(output, "P:"));
    expect(0, NULL, sh("PAGER='sed s/^/P:/' b show --site mill kneading#baseline"));
    assert_null(strstr(output, "P:"));
}

/* Where the person's environment says ASCII, nothing else goes out, with as many characters a line; answers for
 * programs and files stay UTF-8. */
static void plain_characters(void **state)
{
    (void)state;
    static const char *const said[] = {"overview --site mill",
                                       "history kneader-1 --site mill",
                                       "device show kneader-1 --site mill",
                                       "show kneader-1#last --site mill",
                                       "compare kneader-1#last kneading#last --site mill --all",
                                       "read kneader-1 --site mill",
                                       "write kneader-1#last kneader-1 --site mill --yes",
                                       "site check --site mill",
                                       "history nobody --site mill",
                                       "--help"};
    unsigned changed = 0;
    for (size_t i = 0; i < sizeof said / sizeof said[0]; i++) {
        int codes[2];
        codes[0] = sh("b %s >utf8 2>&1", said[i]);
        codes[1] = sh("LC_ALL=C b %s >plain 2>&1", said[i]);
        if (strncmp(said[i], "write", 5) != 0) /* what is there the second time has nothing to do */
            assert_int_equal(codes[0], codes[1]);
        expect(1, NULL, sh("LC_ALL=C grep -P '[^\\x00-\\x7f]' plain"));
        changed += sh("cmp -s utf8 plain") != 0;
        /* the same width: but for ages and what is new */
        if (strncmp(said[i], "read", 4) != 0 && strncmp(said[i], "write", 5) != 0)
            expect(0, NULL,
                   sh("for f in utf8 plain; do sed -E 's/[0-9]+ (second|minute)s? *ago/ago/g' $f | wc -lm; done | uniq "
                      "| wc -l | "
                      "grep -qx 1"));
    }
    assert_true(changed > 4); /* the others have no such characters */
    expect(
        0, NULL,
        sh("b compare kneader-1#last kneading#last --site mill --all --json >a; LC_ALL=C b compare kneader-1#last "
           "kneading#last --site mill --all --json >b; cmp a b && LC_ALL=C b show kneader-1#last --site mill --report "
           "c.txt >/dev/null && grep -q '·' c.txt"));
}

/* ---- damaged copies ---- */

static void what_can_be_read_of_a_damaged_copy(void **state)
{
    (void)state;
    expect(0, NULL, sh("cp mill/devices/kneader-1/copies/*.bset whole.bset && wc -l < whole.bset"));
    unsigned lines = (unsigned)strtoul(output, NULL, 10);
    dice d = {31};
    for (unsigned i = 0; i < rounds(12); i++) {
        unsigned cut = 15 + roll_below(&d, lines - 16); /* behind the lines of what is left out */
        int code = sh("head -n %u whole.bset > cut.bset; b compare --json --all whole.bset cut.bset 2>why", cut);
        assert_int_equal(code, 6);
        json_t *json = answer();
        assert_int_equal(json_array_size(json_object_get(json, "damaged")), 1);
        size_t told = json_array_size(json_object_get(json, "parameters"));
        assert_int_equal(told, cut - 14); /* 13 left out, a header */
        json_decref(json);
        expect(6, "only what stands before the damage", sh("b compare whole.bset cut.bset"));
        expect(6, "damaged", sh("b show cut.bset"));
    }
    expect(6, "digest doesn't fit",
           sh("sed 's/Torque limit/Torque Limit/' whole.bset > other.bset; b compare whole.bset other.bset"));
    expect(6, NULL, sh("echo > empty.bset; b compare whole.bset empty.bset"));
    /* an older description: the same id means something else */
    expect(1, "not comparable",
           sh("%s/evil --other-scale old.bset && b compare whole.bset old.bset --other-model", BILANCIA_EXAMPLES));
}

/* The tables of the site take no more than there is; commands aren't broken. */
static void tables_fit_the_terminal(void **state)
{
    (void)state;
    static const unsigned short widths[] = {60, 80, 110, 200};
    static const char *const commands[] = {"b overview --site mill", "b history kneader-1 --site mill"};
    for (size_t i = 0; i < sizeof widths / sizeof widths[0]; i++)
        for (size_t k = 0; k < 2; k++) {
            assert_true(at_terminal(widths[i], 60, "", "NO_COLOR=1 %s", commands[k]) <= 1);
            size_t heads = 0;
            for (char *line = strtok(output, "\r\n"); line; line = strtok(NULL, "\r\n")) {
                heads += strstr(line, k ? "when (UTC)" : "last copy") != NULL;
                if (shown_width(line) > widths[i] && !strstr(line, "bilancia ") && !strstr(line, folder))
                    fail_msg("%d columns, \"%s\": %s", widths[i], commands[k], line);
            }
            assert_int_equal(heads, 1);
        }
}

/* The cells of a row, with at least two blanks between them. */
static size_t cells_of(char *line, char *cells[24])
{
    size_t count = 0;
    for (char *at = line; *at && count < 24;) {
        at += strspn(at, " ");
        char *end = strstr(at, "  ");
        if (*at)
            cells[count++] = at;
        at = end ? end : at + strlen(at);
        if (*at)
            *at++ = '\0';
    }
    return count;
}

/* Channels as a table: whatever the width, each value of each of them stands there, and no line goes beyond it. */
static void channels_in_any_width(void **state)
{
    (void)state;
    static const unsigned short widths[] = {40, 60, 79, 80, 81, 90, 95, 110, 160};
    static char said[64][2][40];
    size_t count = 0;
    start_unit(6, "ew-4", NULL);
    expect(0, "all 109 values", sh("mkdir -p ew; b read %s --folder ew", unit_at[6]));
    expect(0, NULL,
           sh("grep -o '^{\"id\":\"channel_.*\"value\":[^,]*' ew/*.bset | sed 's/{\"id\":\"//; s/\".*:/ /; s/\"//g'"));
    for (char *line = strtok(output, "\n"); line && count < 64; line = strtok(NULL, "\n"), count++)
        assert_int_equal(sscanf(line, "%39s %39s", said[count][0], said[count][1]), 2);
    assert_int_equal(count, 64);
    for (size_t i = 0; i < sizeof widths / sizeof widths[0]; i++) {
        expect(0, "channel_8", at_terminal(widths[i], 2000, "", "NO_COLOR=1 b show ew/*.bset"));
        assert_int_equal(strstr(output, "channel_1 to channel_8  64 values in 8 groups") != NULL, widths[i] >= 60);
        char heads[24][40] = {""}, *cells[24], id[100];
        size_t columns = 0, seen = 0;
        for (char *line = strtok(output, "\r\n"); line && widths[i] >= 60; line = strtok(NULL, "\r\n")) {
            bool row = strncmp(line, "  channel_", 10) == 0, head = strncmp(line, "    ", 4) == 0;
            assert_true(!(row || head) || shown_width(line) <= widths[i]);
            size_t n = row || head ? cells_of(line, cells) : 0;
            for (size_t k = 0; head && k < n; k++)
                snprintf(heads[k], sizeof heads[k], "%s", cells[k]);
            columns = head ? n : columns;
            if (!row)
                continue;
            assert_int_equal(n, columns + 1);
            for (size_t k = 1; k < n; k++) {
                const char *value = strncmp(cells[k], "· ", 3) == 0 ? cells[k] + 3 : cells[k];
                snprintf(id, sizeof id, "%s.%s", cells[0], heads[k - 1]);
                for (size_t v = 0; v < count; v++)
                    if (strcmp(said[v][0], id) == 0) {
                        assert_int_equal(strncmp(value, said[v][1], strlen(said[v][1])), 0);
                        seen++;
                    }
            }
        }
        assert_int_equal(seen, widths[i] >= 60 ? 64 : 0);
    }
    stop_unit(6);
}

static void time_left(void **state)
{
    (void)state;
    static const struct {
        uint32_t ms, done, total;
        const char *says;
    } cases[] = {{3999, 1, 100, ""},
                 {5000, 0, 10, ""},
                 {5000, 10, 10, ""},
                 {4000, 1, 2, ""},
                 {4000, 2, 8, "about 10 seconds"},
                 {5000, 1, 10, "about 50 seconds"},
                 {10000, 10, 100, "about 2 minutes"},
                 {60000, 1, 4, "about 3 minutes"},
                 {600000, 1, 25, "about 4 hours"}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        char text[40];
        left_text(cases[i].ms, cases[i].done, cases[i].total, text, sizeof text);
        assert_string_equal(text, cases[i].says);
    }
}

static void mistyped_words(void **state)
{
    (void)state;
    expect(2, "did you mean limit.torque?", sh("b compare --site mill kneader-1 kneader-2 --match limit.tourqe"));
    expect(2, "did you mean regulator?", sh("b show --site mill kneader-1#last --group regulatr"));
    expect(2, "did you mean compare?", sh("b comprae"));
    expect(2, "no parameter fits", sh("b show --site mill kneader-1#last --group xyzzy"));
    /* against a plain recursive definition */
    dice d = {12};
    for (unsigned i = 0; i < rounds(300); i++) {
        char a[7] = "", b[7] = "";
        for (uint32_t k = roll_below(&d, 6); k > 0; k--)
            a[k - 1] = (char)('a' + roll_below(&d, 3));
        for (uint32_t k = roll_below(&d, 6); k > 0; k--)
            b[k - 1] = (char)('a' + roll_below(&d, 3));
        size_t m = strlen(a), n = strlen(b), table[8][8];
        for (size_t x = 0; x <= m; x++)
            for (size_t y = 0; y <= n; y++) {
                size_t best = x && y ? table[x - 1][y - 1] + (a[x - 1] != b[y - 1]) : x + y;
                best = x && table[x - 1][y] + 1 < best ? table[x - 1][y] + 1 : best;
                best = y && table[x][y - 1] + 1 < best ? table[x][y - 1] + 1 : best;
                if (x > 1 && y > 1 && a[x - 1] == b[y - 2] && a[x - 2] == b[y - 1] && table[x - 2][y - 2] + 1 < best)
                    best = table[x - 2][y - 2] + 1;
                table[x][y] = best;
            }
        assert_int_equal(nearest_distance(a, b), table[m][n]);
    }
}

/* ---- texts line by line ---- */

typedef struct told {
    char sign[32], letter[32];
    unsigned number[32], count;
} told;

static void note_line(void *ctx, char sign, unsigned number, const char *text, size_t length)
{
    told *t = ctx;
    assert_true(t->count < 32 && length == 1);
    t->sign[t->count] = sign;
    t->number[t->count] = number;
    t->letter[t->count++] = text[0];
}

/* How few lines have to go and to come, by trying all. */
static unsigned fewest(const char *a, const char *b)
{
    if (!*a || !*b)
        return (unsigned)(strlen(a) + strlen(b));
    unsigned without = 1 + fewest(a + 1, b), with = 1 + fewest(a, b + 1);
    unsigned both = *a == *b ? fewest(a + 1, b + 1) : UINT_MAX;
    return both < without && both < with ? both : without < with ? without : with;
}

/* What is told makes the right text of the left one, and is the least that does. */
static void lines_make_one_of_the_other(void **state)
{
    (void)state;
    dice d = {29};
    for (unsigned round = 0; round < rounds(3000); round++) {
        char letters[2][9], texts[2][20], made[20] = "";
        told t = {.count = 0};
        for (int i = 0; i < 2; i++) {
            size_t n = roll_below(&d, 9), used = 0;
            for (size_t k = 0; k < n; k++) {
                letters[i][k] = (char)('a' + roll_below(&d, 3));
                texts[i][used++] = letters[i][k];
                texts[i][used++] = '\n';
            }
            letters[i][n] = '\0';
            texts[i][used - (used && roll_below(&d, 2))] = '\0'; /* with an LF at its end, or none */
        }
        assert_true(lines_compare(texts[0], strlen(texts[0]), texts[1], strlen(texts[1]), note_line, &t));
        assert_int_equal(t.count, fewest(letters[0], letters[1]));
        size_t at = 0, used = 0; /* in the left one, and of what is made of it */
        for (unsigned i = 0; i < t.count; i++) {
            while (t.sign[i] == '-' ? at + 1 < t.number[i] : used + 1 < t.number[i])
                made[used++] = letters[0][at++];
            if (t.sign[i] == '-')
                assert_int_equal(letters[0][at++], t.letter[i]);
            else
                made[used++] = t.letter[i];
        }
        while (letters[0][at])
            made[used++] = letters[0][at++];
        assert_string_equal(made, letters[1]);
    }
    char *many = malloc(4000); /* of more nothing is told */
    for (int i = 0; i < 2000; i++)
        memcpy(many + 2 * i, i % 2 ? "x\n" : "y\n", 2);
    told none = {.count = 0};
    assert_false(lines_compare(many, 4000, "z", 1, note_line, &none));
    assert_true(lines_compare(many, 4000, many, 4000, note_line, &none));
    assert_int_equal(none.count, 0);
    free(many);
    assert_true(lines_are_text("a\tb\n\xc3\xa9\n", 7) && lines_are_text("", 0));
    assert_false(lines_are_text("a\x1b[2J", 5) || lines_are_text("\xc3", 1) || lines_are_text("a\0b", 3));
}

/* ---- memory ---- */

static void memory_stays_small(void **state)
{
    (void)state;
#ifdef __SANITIZE_ADDRESS__
    skip();
#endif
    /* What a process has to itself is limited (RLIMIT_DATA, setrlimit(2)), not what it touches of libraries: of those
     * the kernel maps as much as lies in memory already, and differs from machine to machine. */
    expect(0, NULL, sh("%s/make_sets 200000 100 left.bset right.bset", BILANCIA_EXAMPLES));
    static const char *const ways[] = {"", "--json", "--all", "--report x.html", "--report x.csv"};
    for (size_t i = 0; i < sizeof ways / sizeof ways[0]; i++)
        expect(
            1, NULL,
            sh("ulimit -s 256; ulimit -d 3072; %s compare %s left.bset right.bset >/dev/null", BILANCIA_TOOL, ways[i]));
    expect(6, "close other programs",
           sh("ulimit -s 256; ulimit -d 1000; %s compare left.bset right.bset", BILANCIA_TOOL));
    /* and where there is less and less, it ends so, with no part of a report, or it ends well */
    expect(
        0, NULL,
        sh("ulimit -s 256; for k in $(seq 1000 40 1640); do rm -rf little; mkdir little; (ulimit -d $k; %s compare "
           "left.bset right.bset --report little/x.html >/dev/null 2>little.err); c=$?; [ $c = 127 ] || [ $c = 1 ] || "
           "{ [ $c = 6 ] && [ -z \"$(ls -A little)\" ]; } || { echo $k ends with $c; ls -A little; cat "
           "little.err; exit 1; }; done",
           BILANCIA_TOOL));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(odd_ones_as_counted),
        cmocka_unit_test(a_rounded_value_is_no_difference),
        cmocka_unit_test(pages_work_in_a_browser),
        cmocka_unit_test(tables_are_tables),
        cmocka_unit_test(terminals_of_any_width),
        cmocka_unit_test(channels_in_any_width),

        cmocka_unit_test(what_can_be_read_of_a_damaged_copy),
        cmocka_unit_test(plain_characters),
        cmocka_unit_test(tables_fit_the_terminal),
        cmocka_unit_test(time_left),
        cmocka_unit_test(mistyped_words),
        cmocka_unit_test(lines_make_one_of_the_other),
        cmocka_unit_test(memory_stays_small),
        cmocka_unit_test(each_kind_against_each), /* resets a drive */
    };
    return cmocka_run_group_tests_name("show", tests, begin, end);
}
