/* Every error of a description has its place; the generated table is the loaded one. */
#include <sys/time.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "bilancia/rule.h"
#include "help.h"
#include "host/describe/doubt.h"
#include "host/describe/load.h"
#include "host/look/misfit.h"

/* A sound description; tests replace one line of it. */
/* clang-format off */
static const char *const sound[] = {
    "bilancia_description: 0",                                                       /* 1 */
    "vendor: Esempio",                                                               /* 2 */
    "model: T-1",                                                                    /* 3 */
    "revision: 1",                                                                   /* 4 */
    "firmware: [\"1.0\"]",                                                           /* 5 */
    "hardware: [\"A\"]",                                                             /* 6 */
    "link: {largest_read: 20, largest_write: 4, across: [{cells: [2, 3]}]}",         /* 7 */
    "stored_values: by_restart",                                                     /* 8 */
    "identify: {model: id.model}",                                                   /* 9 */
    "state: {parameter: x.state, held: held, idle: [ready]}",                        /* 10 */
    "procedures:",                                                                   /* 11 */
    "  - {does: hold, steps: [{write: x.hold, value: 1}, {until: x.state, value: held}]}", /* 12 */
    "  - {does: release, found: ready, steps: [{wait: 5}]}",                         /* 13 */
    "parameters:",                                                                   /* 14 */
    "  id.model: {name: Model, type: text, size: 4, class: unit, at: 0}",            /* 15 */
    "  x.hold: {name: Hold, type: u16, class: command, at: 10}",                     /* 16 */
    "  x.level: {name: Level, type: i16, class: setup, at: 11, scale: 0.1, limits: [-5.0, 5.0], step: 0.5, unit: mm}", /* 17 */
    "  x.state: {name: State, type: choice8, class: live, at: 12, choices: {0: ready, 2: held}}", /* 18 */
    "  x.mode: {name: Mode, type: choice8, class: setup, at: 13, choices: {0: one, 1: two}, resets: [x.level]}", /* 19 */
};
/* clang-format on */
enum { LINES = sizeof sound / sizeof sound[0] };

static const char *write_yaml(const char *path, int changed, const char *line)
{
    FILE *file = fopen(path, "w");
    assert_non_null(file);
    for (int i = 0; i < LINES; i++)
        fprintf(file, "%s\n", i + 1 == changed ? line : sound[i]);
    fclose(file);
    return path;
}

static const struct {
    int line;
    const char *text, *says; /* ^ marks the place; it is no part of the text */
    /* clang-format off */
} wrong[] = {
    {1, "bilancia_description: ^1", "whole number"},
    {2, "^vendr: Esempio", "no key that belongs here"},
    {3, "model: ^[1]", "single value"},
    {4, "revision: ^0", "whole number"},
    {5, "firmware: ^\"1.0\"", "list"},
    {7, "link: {largest_read: ^126, largest_write: 4}", "1 to 125"},
    {7, "link: {largest_read: 20, largest_write: 4, across: [{cells: [3, ^2]}]}", "3 to 65535"},
    {8, "stored_values: ^maybe", "none of"},
    {9, "identify: {model: ^id.modell}", "no parameter"},
    {17, "  x.level: {name: L, type: f32, class: setup, at: 11, scale: ^0.5}", "a power of ten"},
    {17, "  x.level: {name: L, type: f32, class: setup, at: 11, scale: 0.1, offset: ^1}", "no offset"},
    {12, "  - {does: unlock, steps: [{secret: x.hold, slot: ^Code}]}", "a secret has a name"},
    {12, "  - {does: unlock, steps: [{secret: x.hold, slot: a}, {secret: x.hold, slot: b}, {secret: x.hold, slot: c}, {secret: x.hold, slot: a}, {secret: x.hold, slot: d}, {secret: x.hold, slot: ^e}]}", "at most 4 secrets"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, limits: [^x.lowest, 5]}", "no parameter"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, limits: [0, ^x.level]}", "its own limit"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, limits: [0, ^x.hold]}", "another type, scale or unit"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, limits: [x.hold, 5], step: ^2}", "has to be a number"},
    {17, "  x.level: {name: L, type: time, form: ^plain, class: setup, at: 11}", "none of"},
    {17, "  x.level: ^{name: L, type: time, class: setup, at: 11}", "how a time looks"},
    {9, "identify: ^{}", "missing"},
    {9, "identify: {model: ^{}}", "1 to 4"},
    {9, "identify: {model: {x.state: ^hold}}", "choices"},
    {9, "identify: {model: {^x.hold: 3}}", "can't be read"},
    {9, "identify: {model: {id.model: ^3}}", "at most 32 bits"},
    {10, "state: {parameter: x.state, held: ^hold}", "choices"},
    {12, "  - {does: hold, steps: [{write: x.hold, value: ^65536}]}", "outside its limits"},
    {12, "  - {does: hold, steps: [{until: ^x.hold, value: 1}]}", "can't be read"},
    {12, "  - {does: hold, steps: [{^jump: 3}]}", "none of"},
    {13, "  - {does: release, found: ^fast, steps: [{wait: 5}]}", "choices"},
    {13, "  - {does: release, found: ^held, steps: [{wait: 5}]}", "in which the machine stands"},
    {13, "  - {does: start, found: ^ready, steps: [{wait: 5}]}", "at work"},
    {13, "  - ^{does: start, steps: [{wait: 5}]}", "missing"},
    {13, "  - {does: store, found: ^ready, steps: [{wait: 5}]}", "release or a start"},
    {10, "restart_shows: {counter: ^id.model}", "u8, u16 or u32"},
    {10, "restart_shows: {uptime: ^x.hold}", "u8, u16 or u32"},
    {10, "restart_shows: {hold_lost: ^yes}", "only with a state"},
    {10, "restart_shows: {absent_ms: ^5}", "100 to 3600000"},
    {10, "unit_shows: {same: [^x.level]}", "class unit"},
    {10, "unit_shows: {grows: [^id.model]}", "u8, u16 or u32"},
    {10, "unit_shows: {same: ^[id.model, id.model, id.model, id.model, id.model]}", "at most 4"},
    {10, "unit_shows: {^different: [id.model]}", "no key"},
    {13, "  - ^{does: hold, steps: [{wait: 5}]}", "two of this"},
    {13, "  - {does: unlock, steps: [^{write: x.hold}]}", "either"},
    {13, "  - {does: unlock, steps: [^{write: x.hold, value: 3, from: x.level}]}", "either"},
    {13, "  - {does: unlock, steps: [{write: x.hold, from: ^x.level}]}", "another type"},
    {13, "  - {does: unlock, steps: [{write: x.mode, from: ^x.state}]}", "read before"},
    {13, "  - {does: store, lasts_ms: ^5000, steps: [{wait: 5}]}", "lasts a while"},
    {11, "procedures:\n  ^- {does: begin, steps: [{wait: 5}]}", "no \"commit\""},
    {7, "link: {pause_ms: 30, write_pause_ms: ^20}", "30 to 5000"},
    {15, "  ^id.Model: {name: Model, type: text, size: 4, class: unit, at: 0}", "is no id"},
    {7, "groups: ^{repeat: {id: c, count: 2, stride: 9}, parameters: {}}\nlink: {}", "a list"},
    {7, "groups: [^{parameters: {}}]\nlink: {}", "missing"},
    {7, "groups: [{repeat: {id: c, count: ^0, stride: 9}, parameters: {}}]\nlink: {}", "1 to 1000"},
    {7, "groups: [{repeat: {id: c, count: 2, stride: 9}, parameters: {s: ^{name: S, type: u16, class: setup, at: 65530}}}]\nlink: {}", "c_2.s lies behind"},
    {7, "groups: [{repeat: {id: c, count: 2, stride: 1}, parameters: {s: ^{name: S, type: u32, class: setup, at: 100}}}]\nlink: {}", "c_1.s and c_2.s lie on"},
    {7, "groups: [{repeat: {id: c, count: 2, stride: 1}, parameters: {s: {name: S, type: u16, class: setup, at: 100, resets: [^\"c_{n}.t\"]}}}]\nlink: {}", "c_1.t"},
    {7, "groups: [{repeat: {id: C, count: 2, stride: 1}, parameters: {^s: {name: S, type: u16, class: setup, at: 100}}}]\nlink: {}", "C_1.s"},
    {15, "  id.model: {name: Model, type: text, size: ^161, class: unit, at: 0}", "1 to 160"},
    {15, "  id.model: {name: Model, type: text, size: 4, class: unit, at: 0, form: ^bcd}", "without a sign"},
    {7, "spaces: {^coils: {table: holding, unit: 2}}\nlink: {}", "of the device itself"},
    {7, "spaces: {annex: {table: holding, unit: ^256}}\nlink: {}", "0 to 255"},
    {7, "spaces: {annex: {table: holding, above: ^0}}\nlink: {}", "1 to 255"},
    {7, "spaces: {annex: ^{table: holding}}\nlink: {}", "either"},
    {7, "spaces: {box: {mailbox: ^{index: 900}}}\nlink: {}", "missing"},
    {7, "spaces: {box: ^{mailbox: {index: 900, value: 900}}}\nlink: {}", "overlaps itself"},
    {7, "spaces: {box: {mailbox: ^{index: 900, value: 901}, table: input, unit: 3}}\nlink: {}", "in holding cells"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 910, echo: ^yes}}}\nlink: {}", "right behind it"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 901, writes: ^masked}}}\nlink: {}", "whole cell"},
    {7, "spaces: {a: {mailbox: {index: 900, value: 901}}, b: ^{mailbox: {index: 901, value: 902}}}\nlink: {}", "overlap"},
    {7, "spaces: {a: {table: holding, unit: 3}, ^a: {table: input, unit: 3}}\nlink: {}", "stands here twice"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 901}}}\ngroups: [{repeat: {id: c, count: 1, stride: 1}, parameters: {a: {name: A, type: u32, class: setup, at: 3, space: box}, b: ^{name: B, type: u16, class: setup, at: 902}}}]\nlink: {}", "on a cell of the mailbox"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 901}}}\ngroups: [{repeat: {id: c, count: 1, stride: 1}, parameters: {a: {name: A, type: u32, class: setup, at: 3, space: box}, b: ^{name: B, type: u16, class: setup, at: 3, space: box}}}]\nlink: {}", "the same number"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 901}}}\ngroups: [{repeat: {id: c, count: 1, stride: 1}, parameters: {a: {name: A, type: u16, class: setup, at: 3, space: box, bit: ^3}}}]\nlink: {}", "for itself"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 901}}}\ngroups: [{repeat: {id: c, count: 1, stride: 1}, parameters: {a: ^{name: A, type: u32, class: unit, at: 3, space: box}}}]\nlink: {}\nunit_shows: {same: [c_1.a]}", "to tell who answers"},
    {17, "  x.level: ^{name: L, type: i16, class: unit, at: 3, space: identification}", "is a text"},
    {17, "  x.level: {name: L, type: text, size: 9, class: unit, at: ^256, space: identification}", "0 to 255"},
    {17, "  x.level: ^{name: L, type: text, size: 9, class: setup, at: 3, space: identification}", "can't be written"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, only: ^{}}", "which units"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, only: {hardware: ^[Z]}}", "isn't in the list"},
    {15, "  id.model: ^{name: Model, type: text, size: 4, class: unit, at: 0, only: {from: \"2\"}}", "every unit"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, stage: 6, only: {mode: ^{}}}", "one parameter decides"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, stage: 6, only: {mode: {^x.modus: [one]}}}", "no parameter"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, stage: 6, only: {mode: {x.mode: [one, ^three]}}}", "choices"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, stage: 6, only: {mode: {x.mode: ^[]}}}", "which of its values"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, stage: 6, only: {mode: {^x.state: [held]}}}", "in no copy"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, only: {mode: {^x.mode: [one]}}}", "in force before stage 5"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, stage: 6, only: {mode: {x.mode: [one]}}}\n  x.more: {name: L, type: i16, class: setup, at: 14, stage: 7, only: {mode: {^x.level: [1]}}}", "always there itself"},
    {11, "procedures:\n  ^- {does: abort, steps: [{wait: 5}]}", "no \"begin\""},
    {13, "  - {does: unlock_to_read, steps: [^{write: x.mode, value: one}]}", "changes no setting"},
    {13, "  - {does: unlock_to_read, steps: [^{person: \"look\"}]}", "takes no person"},
    {13, "  - {does: unlock, steps: [{until: id.model, value: \"new\", mask: ^3}]}", "at most 32 bits"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 901}}}\ngroups: [{repeat: {id: c, count: 1, stride: 1}, parameters: {a: ^{name: A, type: text, size: 125, form: wide, class: setup, at: 3, space: box, access: read}}}]\nlink: {}", "more than one request"},
    {7, "spaces: {box: {mailbox: {index: 900, value: 910}}}\ngroups: [{repeat: {id: c, count: 1, stride: 1}, parameters: {a: ^{name: A, type: u64, class: setup, at: 3, space: box}}}]\nlink: {largest_write: 3}", "more than one request"},
    {7, "link: {largest_write_bits: ^1969}", "1 to 1968"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, space: ^annex}", "no space"},
    {17, "  x.level: {name: L, type: ^i16, class: setup, at: 11, space: coils}", "is a bool"},
    {17, "  x.level: ^{name: L, type: bool, class: setup, at: 11, space: discrete}", "can't be written"},
    {17, "  x.level: ^{name: L, type: file, size: 8, class: setup, at: 14}", "in the space records"},
    {17, "  x.level: ^{name: L, type: file, class: setup, space: records, at: 1}", "\"size\" is missing"},
    {17, "  x.level: ^{name: L, type: u16, class: setup, space: records, at: 1}", "say type: file"},
    {17, "  x.level: {name: L, type: file, size: ^9, class: setup, space: records, at: 1}", "an even number"},
    {17, "  x.level: {name: L, type: file, size: ^20002, class: setup, space: records, at: 1}", "20000"},
    {17, "  x.level: {name: L, type: file, size: 8, class: setup, space: records, at: ^0}", "1 to 65535"},
    {17, "  x.level: {name: L, type: i32, class: setup, at: 14, writes: ^single}", "takes 2 cells"},
    {17, "  x.level: {name: ^L, type: bool, class: setup, at: 11, space: coils, bit: 0}", "is one bit"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, writes: ^masked}", "some bits"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, bit: [4, ^16]}", "4 to 15"},
    {17, "  x.level: {name: L, type: i8, class: setup, at: 11, bit: ^[0, 8]}", "doesn't go into 9 bits"},
    {17, "  x.level: {name: L, type: i32, class: setup, at: 14, bit: ^3}", "doesn't go into"},
    {17, "  x.level: {name: L, type: u16, class: setup, at: 11, bit: ^[0, 5], form: bcd}", "four bits"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, form: sign_magnitude, limits: ^[-32768, 0]}", "wider"},
    {17, "  x.level: {name: L, type: u16, class: setup, at: 11, form: bcd, limits: ^[0, 10000]}", "wider"},
    {17, "  x.level: {name: L, type: u16, class: setup, at: 11, form: ^sign_magnitude}", "with a sign"},
    {17, "  x.level: {name: L, type: u16, class: setup, at: 11, form: ^loose}", "leaves nothing"},
    {17, "  x.level: {name: L, type: u16, class: setup, at: 11, form: ^length}", "only a text"},
    {17, "  x.level: ^{name: L, type: choice8, class: setup, at: 11, bit: [0, 1], choices: {0: a, 4: b}}", "no room in 2 bits"},
    {17, "  x.level: {name: L, type: u8, class: setup, at: 11, bit: [0, 3]}\n  x.more: ^{name: M, type: bool, class: setup, at: 11, bit: 3}", "same bits"},
    {17, "  x.level: {name: L, type: u8, class: setup, at: 11, bit: [0, 3]}\n  x.more: ^{name: M, type: u8, class: setup, at: 11}", "same cell"},
    {17, "  x.level: {name: L, type: bool, class: setup, at: 11, bit: 0}\n  x.more: ^{name: M, type: bool, class: setup, at: 11, bit: 3, writes: masked}", "the way"},
    {17, "  x.level: {name: L, type: bool, class: setup, at: 11, bit: 0}\n  x.more: ^{name: M, type: bool, class: setup, at: 11, bit: 3, byte_order: low_first}", "order of its bytes"},
    {17, "  x.level: ^{name: L, type: bool, class: command, at: 11, bit: 0}", "masked"},
    {15, "  id.model: {name: Model, type: text, size: 4, class: unit, at: ^65535}", "0 to 65534"},
    {16, "  ^id.model: {name: Hold, type: u16, class: command, at: 10}", "twice"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, scale: ^999999999999999, offset: 0.000000001}", "too large together"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, scale: ^0.000000001, offset: 999999999999999}", "too large together"},
    {17, "  x.level: {name: L, type: i16, class: setup, at: 11, scale: 0.000000001, limits: [0, 0.000001], step: ^999999999999999}", "multiple of the scale"},
    {17, "  x.level: {name: Level, type: ^i17, class: setup, at: 11}", "is no type"},
    {17, "  x.level: {name: Level, type: i16, class: ^seyup, at: 11}", "is no class"},
    {17, "  x.level: {name: Level, type: i16, class: setup, at: 11, scale: ^1/3}", "exact decimal"},
    {17, "  x.level: {name: Level, type: i16, class: setup, at: 11, scale: ^0}", "zero"},
    {17, "  x.level: {name: Level, type: i16, class: setup, at: 11, limits: ^[5, -5]}", "lower limit"},
    {17, "  x.level: {name: Level, type: i16, class: setup, at: 11, limits: [-5, ^40000]}", "outside its limits"},
    {17, "  x.level: {name: Level, type: i16, class: setup, at: 11, step: ^5}", "needs limits"},
    {17, "  x.level: ^{name: Level, type: i16, class: setup, at: 10}", "same cell"},
    {17, "  x.level: ^{name: Level, type: i16, class: setup, at: 11, access: write}", "can't be proved"},
    {17, "  x.level: ^{name: Level, type: i16, class: setup, at: 11, space: input}", "can't be written"},
    {17, "  x.level: {name: Level, type: i16, class: setup, at: 11, unit: ^\"a\\tb\"}", "printed"},
    {17, "  x.level: ^{name: Level, type: text, size: 10, class: setup, at: 14}", "more than one request"},
    {18, "  x.state: {name: State, type: choice8, class: live, at: 12, choices: {0: a, ^0: held}}", "twice"},
    {18, "  x.state: ^{name: State, type: choice8, class: live, at: 12}", "missing"},
    {18, "  x.state: {name: State, type: choice8, class: live, at: 12, choices: {0: ^5}}", "begins with a letter"},
    {19, "  x.mode: {name: Mode, type: choice8, class: setup, at: 13, choices: {0: one, 1: two}, resets: [^y.*]}", "no parameter"},
    {19, "  ^- a list", "did not find expected key"},
};
/* clang-format on */

static void every_error_has_its_place(void **state)
{
    (void)state;
    char path[] = "/tmp/bilancia-test-XXXXXX", why[400];
    close(mkstemp(path));
    loaded_description loaded;
    assert_int_equal(description_load(&loaded, write_yaml(path, 0, NULL), why, sizeof why), BIL_OK);
    assert_int_equal(loaded.table.count, 5);
    const bil_param *level = &loaded.table.params[2];
    assert_string_equal(level->id, "x.level");
    assert_int_equal(level->format->decimals, 1);
    assert_int_equal(level->format->step, 5);
    assert_int_equal(bil_value_check(level->format, (const uint8_t[]){0xff, 0xce}), BIL_OK);      /* -5.0 */
    assert_int_equal(bil_value_check(level->format, (const uint8_t[]){0xff, 0xcd}), BIL_E_RANGE); /* -5.1 */
    assert_int_equal(bil_value_check(level->format, (const uint8_t[]){0, 7}), BIL_E_STEP);        /* 0.7 */
    description_free(&loaded);
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        char line[400], place[100];
        size_t column = strcspn(wrong[i].text, "^");
        snprintf(line, sizeof line, "%.*s%s", (int)column, wrong[i].text,
                 wrong[i].text + column + (wrong[i].text[column] == '^'));
        write_yaml(path, wrong[i].line, line);
        const char *begin = wrong[i].text, *row = wrong[i].text;
        int rows = 0;
        while ((row = memchr(row, '\n', (size_t)(wrong[i].text + column - row))) != NULL) {
            begin = ++row;
            rows++;
        }
        snprintf(place, sizeof place, "%s:%d:%zu: ", path, wrong[i].line + rows,
                 (size_t)(wrong[i].text + column - begin) + 1);
        int error = description_load(&loaded, path, why, sizeof why);
        if (error != BIL_E_YAML || strncmp(why, place, strlen(place)) != 0 || !strstr(why, wrong[i].says))
            fail_msg("\"%s\" gives \"%s\" and not \"%s...%s\"", wrong[i].text, error ? why : "no error", place,
                     wrong[i].says);
    }
    assert_int_equal(description_load(&loaded, "/nowhere/x.yaml", why, sizeof why), BIL_E_FILE_OPEN);
    unlink(path);
}

static void same_text(const char *a, const char *b)
{
    if (a != b)
        assert_string_equal(a, b);
}

static void same_params(const bil_description *a, const bil_description *b)
{
    for (uint16_t i = 0; i < a->count; i++) {
        bil_param x = a->params[i], y = b->params[i];
        same_text(x.id, y.id);
        same_text(x.name, y.name);
        same_text(x.unit, y.unit);
        assert_int_equal(x.format->choice_count, y.format->choice_count);
        for (uint16_t k = 0; k < x.format->choice_count; k++) {
            assert_int_equal(x.format->choices[k].value, y.format->choices[k].value);
            same_text(x.format->choices[k].name, y.format->choices[k].name);
        }
        assert_int_equal(x.reset_count, y.reset_count);
        if (x.reset_count)
            assert_memory_equal(x.resets, y.resets, x.reset_count * sizeof x.resets[0]);
        assert_int_equal(x.format->type | x.format->size << 8 | x.format->decimals << 16,
                         y.format->type | y.format->size << 8 | y.format->decimals << 16);
        assert_int_equal(x.format->order | x.format->rounding << 8 | x.format->limited << 16,
                         y.format->order | y.format->rounding << 8 | y.format->limited << 16);
        assert_true(x.format->mul == y.format->mul && x.format->offset == y.format->offset &&
                    x.format->round_to == y.format->round_to);
        assert_true(x.format->step == y.format->step && x.format->low == y.format->low &&
                    x.format->high == y.format->high);
        assert_true(x.at.number == y.at.number && x.raw_at == y.raw_at && x.cells == y.cells && x.space == y.space);
        assert_true(x.cls == y.cls && x.flags == y.flags && x.stage == y.stage);
        if (i > 0)
            assert_true(strcmp(a->params[i - 1].id, x.id) < 0);
    }
}

static void same_procedures(const bil_description *a, const bil_description *b)
{
    assert_int_equal(a->procedure_count, b->procedure_count);
    for (uint16_t i = 0; i < a->procedure_count; i++) {
        const bil_procedure *x = &a->procedures[i], *y = &b->procedures[i];
        assert_true(x->kind == y->kind && x->for_state == y->for_state && x->found == y->found &&
                    x->step_count == y->step_count);
        for (uint16_t k = 0; k < x->step_count; k++) {
            const bil_proc_step *s = &x->steps[k], *t = &y->steps[k];
            assert_true(s->kind == t->kind && s->repeatable == t->repeatable && s->param == t->param &&
                        s->value == t->value);
            assert_true(s->mask == t->mask && s->within_ms == t->within_ms && s->every_ms == t->every_ms);
            same_text(s->text, t->text);
        }
    }
}

static void the_generated_tables_are_the_loaded_ones(void **state)
{
    (void)state;
    static const struct {
        const char *path;
        const bil_description *table;
    } models[] = {{BILANCIA_SOURCE "/descriptions/ed-30.yaml", &bil_description_ed_30},
                  {BILANCIA_SOURCE "/descriptions/ec-8.yaml", &bil_description_ec_8}};
    for (size_t m = 0; m < 2; m++) {
        loaded_description loaded;
        char why[400];
        assert_int_equal(description_load(&loaded, models[m].path, why, sizeof why), BIL_OK);
        const bil_description *a = &loaded.table, *b = models[m].table;
        same_text(a->vendor, b->vendor);
        same_text(a->model, b->model);
        same_text(a->layout, b->layout);
        assert_int_equal(strlen(a->layout), BIL_LAYOUT_HEX);
        assert_true(a->count == b->count && a->raw_size == b->raw_size && a->revision == b->revision);
        assert_true(a->state == b->state && a->state_held == b->state_held && a->state_idle == b->state_idle &&
                    a->restart_after == b->restart_after && a->link_unit == b->link_unit &&
                    a->stored_values == b->stored_values && a->restart_keeps_hold == b->restart_keeps_hold &&
                    a->store_needs_hold == b->store_needs_hold && a->across_count == b->across_count);
        assert_true(a->starts == b->starts && a->uptime == b->uptime && a->restart_ends_hold == b->restart_ends_hold &&
                    a->restart_absent_ms == b->restart_absent_ms && a->unit_same_count == b->unit_same_count &&
                    a->unit_grows_count == b->unit_grows_count && a->no_serial_count == b->no_serial_count);
        assert_true(m == 0 ? a->starts != BIL_NONE : a->uptime != BIL_NONE);
        assert_memory_equal(a->by_place, b->by_place, a->count * sizeof a->by_place[0]);
        assert_memory_equal(a->identity, b->identity, sizeof a->identity);
        assert_memory_equal(&a->link, &b->link, sizeof a->link);
        for (uint8_t i = 0; i < a->firmware_count; i++)
            same_text(a->firmwares[i], b->firmwares[i]);
        same_params(a, b);
        same_procedures(a, b);
        description_free(&loaded);
    }
}

/* What can't be proved is said, one by one, and only that. */
static void doubts_are_said(void **state)
{
    (void)state;
    char text[300];
    static const bil_proc_step last[] = {{.kind = BIL_STEP_UNTIL}, {.kind = BIL_STEP_WRITE}, {.kind = BIL_STEP_WAIT}};
    assert_false(description_doubt(&bil_description_ed_30, 0, text, sizeof text));
    assert_false(description_doubt(&bil_description_ec_8, 0, text, sizeof text));
    bil_description d = bil_description_ec_8;
    bil_procedure procedures[20];
    memcpy(procedures, d.procedures, d.procedure_count * sizeof procedures[0]);
    d.procedures = procedures;
    d.uptime = BIL_NONE;
    assert_true(description_doubt(&d, 0, text, sizeof text));
    assert_non_null(strstr(text, "nothing shows that it happened"));
    assert_false(description_doubt(&d, 1, text, sizeof text));
    d.identity[BIL_ID_SERIAL] = BIL_NONE;
    assert_true(description_doubt(&d, 1, text, sizeof text));
    assert_non_null(strstr(text, "one unit from another"));
    procedures[0].steps = last;
    procedures[0].step_count = 3;
    assert_true(description_doubt(&d, 0, text, sizeof text));
    assert_non_null(strstr(text, "hold: nothing is read"));
    assert_true(description_doubt(&d, 2, text, sizeof text));
    assert_false(description_doubt(&d, 3, text, sizeof text));
}

/* Texts and floats as a device has them that its description tells otherwise. */
static void what_doesnt_fit_is_told(void **state)
{
    (void)state;
    static const char text[] =
        "bilancia_description: 0\nvendor: Esempio\nmodel: M\nrevision: 1\nfirmware: [\"\"]\nhardware: [\"\"]\n"
        "stored_values: by_restart\nlink: {}\nidentify: {model: id.model}\nparameters:\n"
        "  id.model: {name: M, type: text, size: 2, class: unit, at: 0}\n"
        "  a: {name: A, type: text, size: 8, class: setup, at: 10}\n"
        "  b: {name: B, type: f32, class: setup, at: 20}\n"
        "  c: {name: C, type: u16, class: setup, at: 30, limits: [3, 7], step: 2}\n";
    static const struct {
        const char *id, *raw; /* its bytes */
        const char *why;      /* NULL: it fits */
    } seen[] = {{"a", "olive   ", "form: blanks"},
                {"a", "olive\0\0x", "behind its end"},
                {"a", "\xc3l \xb2\0\0\0\0", "turned round"},
                {"a", "\1\2\3\4\5\6\7\b", "is its place right"},
                {"a", "olive\0\0\0", NULL},
                {"a", "\0\0\0\0\0\0\0\0", NULL},
                {"b", "\x3f\x80\0\0", NULL},
                {"b", "\0\0\x3f\x80", "other order"},
                {"b", "\x7f\xc0\x7f\xc0", "are its type"},
                {"b", "\0\0\0\0", NULL},
                {"c", "\0\5", NULL},
                {"c", "\0\4", "step"},
                {"c", "\0\x9", "outside"}};
    char why[300];
    loaded_description loaded;
    assert_int_equal(description_load_text(&loaded, "m", text, strlen(text), why, sizeof why), BIL_OK);
    for (size_t i = 0; i < sizeof seen / sizeof seen[0]; i++) {
        bil_image image = new_image(&loaded.table);
        bil_misfit one = {.struct_size = sizeof one};
        bil_image_put(&image, index_of(&loaded.table, seen[i].id), (const uint8_t *)seen[i].raw);
        bool found = misfit_next(&image, &one);
        if (found != (seen[i].why != NULL) || (found && !strstr(one.why, seen[i].why)))
            fail_msg("value %zu, %s: \"%s\" and not \"%s\"", i, seen[i].id, found ? one.why : "it fits",
                     seen[i].why ? seen[i].why : "it fits");
        assert_false(found && (strcmp(one.id, seen[i].id) != 0 || misfit_next(&image, &one)));
        free_image(&image);
    }
    description_free(&loaded);
}

/* ---- large ones ---- */

static int load_large(const char *text, size_t size, char *why, size_t why_size)
{
    loaded_description loaded;
    /* what grows faster than the file takes minutes of the processor here */
    struct itimerval limit = {.it_value = {.tv_sec = 60}}, none = {0};
    setitimer(ITIMER_PROF, &limit, NULL);
    int error = description_load_text(&loaded, "large.yaml", text, size, why, why_size);
    setitimer(ITIMER_PROF, &none, NULL);
    if (!error)
        description_free(&loaded);
    return error;
}

/* Files up to the limits that the manual names, made so that whatever looks at each thing once for each other thing
 * takes for ever; and products that are larger than any number. */
static void large_ones_take_their_time_and_no_more(void **state)
{
    (void)state;
    static char text[9 << 20];
    char why[400];
    enum { ROOM = sizeof text - 100 };
    size_t used;
    memset(text, '[', 4 << 20);
    assert_int_equal(load_large(text, 4 << 20, why, sizeof why), BIL_E_YAML);
    assert_non_null(strstr(why, "deeper"));
    for (used = 0; used < 3000; used++) /* the same by indents */
        memset(text + used * (used + 3) / 2, ' ', used), memcpy(text + used * (used + 3) / 2 + used, "-\n", 2);
    assert_int_equal(load_large(text, used * (used + 3) / 2, why, sizeof why), BIL_E_YAML);
    assert_non_null(strstr(why, "deeper"));
    for (used = 0; used < (8 << 20) - 40;) /* keys */
        used += (size_t)snprintf(text + used, ROOM - used, "k%zu: 1\n", used);
    assert_int_equal(load_large(text, used, why, sizeof why), BIL_E_YAML);
    used = (size_t)snprintf(text, ROOM, "a: &a 1\nb: [");
    while (used < (1 << 20))
        used += (size_t)snprintf(text + used, ROOM - used, "*a, ");
    assert_int_equal(load_large(text, used, why, sizeof why), BIL_E_YAML);
    assert_non_null(strstr(why, "stand for others"));
    used = 0; /* twenty thousand of one text */
    for (int i = 0; i < LINES; i++)
        used += (size_t)snprintf(text + used, ROOM - used, "%s\n", sound[i]);
    used += (size_t)snprintf(text + used, ROOM - used,
                             "groups:\n  - repeat: {id: y, count: 999, stride: 20}\n    parameters:\n");
    for (int i = 0; i < 20; i++)
        used += (size_t)snprintf(text + used, ROOM - used,
                                 "      p%d: {name: P, type: u16, class: setup, at: %d, resets: [\"y_{n}.p%d\"]}\n", i,
                                 100 + i, (i + 7) % 20);
    assert_int_equal(load_large(text, used, why, sizeof why), BIL_OK);
    for (int kind = 0; kind < 3; kind++) {
        used = 0;
        for (int i = 0; i < LINES - 1; i++)
            used += (size_t)snprintf(text + used, ROOM - used, "%s\n",
                                     i == 6 ? "link: {largest_read: 20, largest_write: 4}" : sound[i]);
        if (kind == 0) { /* twenty thousand parameters, each of which resets another one */
            used += (size_t)snprintf(text + used, ROOM - used, "%s\n", sound[LINES - 1]);
            for (int i = 0; i < 20000 - 5; i++)
                used += (size_t)snprintf(text + used, ROOM - used,
                                         "  y.p%d: {name: P, type: u16, class: setup, at: %d, resets: [y.p%d]}\n", i,
                                         100 + i, (i + 7919) % (20000 - 5));
            assert_int_equal(load_large(text, used, why, sizeof why), BIL_OK);
        } else if (kind == 1) { /* one too many */
            for (int i = 0; i < 20000; i++)
                used += (size_t)snprintf(text + used, ROOM - used,
                                         "  y.p%d: {name: P, type: u16, class: setup, at: 1}\n", i);
            assert_int_equal(load_large(text, used, why, sizeof why), BIL_E_YAML);
            assert_non_null(strstr(why, "1 to 20000 parameters"));
        } else { /* choices */
            used += (size_t)snprintf(text + used, ROOM - used,
                                     "  y.c: {name: C, type: choice16, class: setup, at: 50, choices: {");
            for (int i = 0; i < 300000; i++)
                used += (size_t)snprintf(text + used, ROOM - used, "%d: c%d, ", i, i);
            used += (size_t)snprintf(text + used, ROOM - used, "}}\n");
            assert_int_equal(load_large(text, used, why, sizeof why), BIL_E_YAML);
            assert_non_null(strstr(why, "1 to 256"));
        }
    }
}

/* A group that repeats is what one gets by writing each of them down. */
static void repeated_is_written_out(void **state)
{
    (void)state;
    static const char *const lines[] = {
        "{name: \"Sensor {n} kind\", type: choice8, class: setup, at: %u, choices: {0: none, 3: hot}, factory: hot}",
        "{name: \"Gain%s\", type: i24, class: calibration, at: %u, scale: 0.01, limits: [-5.00, 5.00], unit: mV}",
        "{name: \"On%s\", type: bool, class: setup, at: %u, bit: 3, resets: [\"%s.kind\", \"%s.gain\"]}"};
    static const char *const ids[] = {"kind", "gain", "on"};
    enum { TIMES = 13, STRIDE = 5, AT = 1000 };
    char text[2][12000], why[400], line[400], id[20], name[60];
    size_t used[2] = {0};
    loaded_description loaded[2];
    for (int way = 0; way < 2; way++)
        for (int i = 0; i < LINES; i++)
            used[way] += (size_t)snprintf(text[way] + used[way], sizeof text[way] - used[way], "%s\n", sound[i]);
    used[0] += (size_t)snprintf(text[0] + used[0], sizeof text[0] - used[0],
                                "groups: [{repeat: {id: channel, count: %d, stride: %d}, parameters: {", TIMES, STRIDE);
    for (unsigned n = 0; n <= TIMES; n++) /* 0: the pattern */
        for (unsigned i = 0; i < 3; i++) {
            unsigned at = AT + i + (i == 2) + (n ? (n - 1) * STRIDE : 0);
            snprintf(id, sizeof id, n ? "channel_%u" : "channel_{n}", n);
            snprintf(name, sizeof name, " %u", n);
            name[n ? strlen(name) : 0] = '\0';
            if (i == 0)
                snprintf(line, sizeof line, lines[0], at);
            else if (i == 1)
                snprintf(line, sizeof line, lines[1], name, at);
            else
                snprintf(line, sizeof line, lines[2], name, at, id, id);
            char *number = strstr(line, "{n} kind");
            if (number && n) {
                char rest[400];
                snprintf(rest, sizeof rest, "%s", number + 3);
                snprintf(number, (size_t)(line + sizeof line - number), "%u%s", n, rest);
            }
            if (n)
                used[1] +=
                    (size_t)snprintf(text[1] + used[1], sizeof text[1] - used[1], "  %s.%s: %s\n", id, ids[i], line);
            else
                used[0] += (size_t)snprintf(text[0] + used[0], sizeof text[0] - used[0], "%s: %s, ", ids[i], line);
        }
    used[0] += (size_t)snprintf(text[0] + used[0], sizeof text[0] - used[0], "}}]\n");
    for (int way = 0; way < 2; way++)
        if (description_load_text(&loaded[way], "text", text[way], used[way], why, sizeof why) != BIL_OK)
            fail_msg("%s in\n%s", why, text[way]);
    const bil_description *a = &loaded[0].table, *b = &loaded[1].table;
    assert_int_equal(a->count, LINES - 14 + 3 * TIMES);
    assert_true(a->count == b->count && a->raw_size == b->raw_size);
    same_text(a->layout, b->layout);
    assert_memory_equal(a->by_place, b->by_place, a->count * sizeof a->by_place[0]);
    assert_memory_equal(a->factory, b->factory, a->raw_size);
    assert_memory_equal(a->factory_known, b->factory_known, a->count);
    for (uint16_t i = 0; i < a->count; i++) {
        const bil_param *p = &a->params[i], *q = &b->params[i];
        same_text(p->id, q->id);
        same_text(p->name, q->name);
        same_text(p->unit, q->unit);
        assert_true(p->at.number == q->at.number && p->raw_at == q->raw_at && p->space == q->space &&
                    p->cells == q->cells && p->cls == q->cls && p->flags == q->flags && p->way == q->way &&
                    p->stage == q->stage && p->reset_count == q->reset_count);
        assert_memory_equal(p->resets, q->resets, p->reset_count * sizeof p->resets[0]);
        bil_format f = *p->format, g = *q->format;
        for (uint16_t k = 0; k < f.choice_count; k++) {
            assert_int_equal(f.choices[k].value, g.choices[k].value);
            same_text(f.choices[k].name, g.choices[k].name);
        }
        f.choices = g.choices = NULL;
        assert_memory_equal(&f, &g, sizeof f);
    }
    description_free(&loaded[0]);
    description_free(&loaded[1]);
}

/* Limits that others give, by chance: a circle is refused, and anything else holds values against each other as it is
 * written there. The order of parameters is a matrix here, and its way to go in circles is to multiply it. */
static void limits_of_others(void **state)
{
    (void)state;
    enum { MOST = 7 };
    static const char *const types[] = {"u8", "u16", "u32", "u24"};
    static const unsigned mosts[] = {0xff, 0xffff, 0xffffffff, 0xffffff};
    dice d = {2718};
    unsigned circles = 0, broken = 0, whole = 0;
    for (unsigned round = 0; round < rounds(3000); round++) {
        unsigned n = 2 + roll_below(&d, MOST - 1);
        unsigned lows[MOST], highs[MOST];
        bool most[MOST][MOST] = {{false}}, way[MOST][MOST], circle = false;
        char text[4000], why[400];
        size_t used =
            (size_t)snprintf(text, sizeof text,
                             "bilancia_description: 0\nvendor: V\nmodel: M\nrevision: 1\nfirmware: [a]\nhardware: [a]\n"
                             "stored_values: by_restart\nlink: {}\nidentify: {model: z.m}\nparameters:\n"
                             "  z.m: {name: M, type: text, size: 2, class: unit, at: 100}\n");
        for (unsigned i = 0; i < n; i++) {
            unsigned low = roll_below(&d, 3 * n), high = roll_below(&d, 3 * n);
            unsigned type = roll_below(&d, 4);
            lows[i] = roll_below(&d, 50);
            highs[i] = 200 + roll_below(&d, 50);
            char a[20], b[20];
            snprintf(a, sizeof a, "%u", lows[i]);
            snprintf(b, sizeof b, "%u", highs[i]);
            if (low < n && low != i)
                snprintf(a, sizeof a, "p.v%u", low), most[low][i] = true, lows[i] = 0;
            if (high < n && high != i)
                snprintf(b, sizeof b, "p.v%u", high), most[i][high] = true, highs[i] = mosts[type];
            used += (size_t)snprintf(text + used, sizeof text - used,
                                     "  p.v%u: {name: N, type: %s, class: setup, at: %u, limits: [%s, %s]}\n", i,
                                     types[type], 2 * i, a, b);
        }
        memcpy(way, most, sizeof way);
        for (unsigned k = 0; k < n; k++)
            for (unsigned i = 0; i < n; i++)
                for (unsigned j = 0; j < n; j++)
                    way[i][j] = way[i][j] || (way[i][k] && way[k][j]);
        for (unsigned i = 0; i < n; i++)
            circle = circle || way[i][i];
        loaded_description loaded;
        int error = description_load_text(&loaded, "m.yaml", text, used, why, sizeof why);
        if ((error == BIL_E_YAML) != circle || (error && !strstr(why, "in a circle")))
            fail_msg("%s\n%s", text, error ? why : "loaded");
        circles += circle;
        if (error)
            continue;
        for (unsigned i = 0; i < n; i++) {
            uint64_t low = lows[i], high = highs[i];
            for (unsigned j = 0; j < n; j++) {
                low = way[j][i] && lows[j] > low ? lows[j] : low;
                high = way[i][j] && highs[j] < high ? highs[j] : high;
            }
            assert_int_equal(loaded.table.params[i].format->low, low);
            assert_int_equal(loaded.table.params[i].format->high, high);
        }
        for (int k = 0; k < 8; k++) {
            bil_image image = new_image(&loaded.table);
            unsigned values[MOST];
            bool good = true;
            uint16_t params[2];
            for (uint16_t i = 0; i < n; i++) {
                uint8_t raw[4] = {0};
                values[i] = roll_below(&d, 4) ? 60 : roll_below(&d, 200);
                bil_value_put_number(raw, loaded.table.params[i].format->size, values[i]);
                bil_image_put(&image, i, raw);
            }
            for (unsigned i = 0; i < n; i++)
                for (unsigned j = 0; j < n; j++)
                    good = good && !(most[i][j] && values[i] > values[j]);
            assert_int_equal(bil_rule_broken(&loaded.table, bil_image_values(&image), 0, params) < 0, good);
            broken += !good;
            whole += good;
            free_image(&image);
        }
        description_free(&loaded);
    }
    print_message("%u of %u have circles; %u times values are as they may be, %u times not\n", circles, rounds(3000),
                  whole, broken);
    assert_true(circles && broken && whole);
}

/* In the tables in C, values that are alike have one format: sixteen channels don't take sixteen times its bytes. */
static void alike_is_told_once(void **state)
{
    (void)state;
    static const bil_description *const all[] = {&bil_description_ed_30, &bil_description_ec_8, &bil_description_ew_4};
    for (size_t n = 0; n < sizeof all / sizeof all[0]; n++) {
        const bil_description *d = all[n];
        unsigned formats = 0;
        for (uint16_t i = 0; i < d->count; i++) {
            bool first = true;
            for (uint16_t k = 0; k < i; k++) {
                bil_format a = *d->params[i].format, b = *d->params[k].format;
                bool same = a.choice_count == b.choice_count;
                for (uint16_t c = 0; c < a.choice_count && same; c++)
                    same =
                        a.choices[c].value == b.choices[c].value && strcmp(a.choices[c].name, b.choices[c].name) == 0;
                a.choices = b.choices = NULL;
                same = same && memcmp(&a, &b, sizeof a) == 0;
                assert_int_equal(same, d->params[i].format == d->params[k].format);
                first = first && !same;
            }
            formats += first;
        }
        print_message("%s: %u values have %u formats\n", d->model, d->count, formats);
    }
    const bil_description *d = &bil_description_ew_4;
    assert_ptr_equal(d->params[index_of(d, "channel_1.mode")].format, d->params[index_of(d, "channel_8.mode")].format);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(limits_of_others),          cmocka_unit_test(alike_is_told_once),
        cmocka_unit_test(every_error_has_its_place), cmocka_unit_test(the_generated_tables_are_the_loaded_ones),
        cmocka_unit_test(doubts_are_said),           cmocka_unit_test(what_doesnt_fit_is_told),
        cmocka_unit_test(repeated_is_written_out),   cmocka_unit_test(large_ones_take_their_time_and_no_more)};
    return cmocka_run_group_tests_name("description", tests, NULL, NULL);
}
