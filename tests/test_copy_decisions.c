/* Editing and settling offline, tables, and what the shell completes. */
#include <unistd.h>

#include "host/look/decisions.h"
#include "tool.h"

static char whole[4200]; /* the copy of the drive as set up in the mill */

static int begin(void **state)
{
    (void)state;
    tool_begin();
    start_unit(0, "ed-30 --name crusher --serial ED30-0417", NULL);
    expect(0, NULL, sh("b site make mill --name 'Poggio Finto'"));
    expect(0, NULL,
           sh("b device add crusher %s --site mill && b read crusher --site mill --why first && b baseline crusher "
              "--site mill",
              unit_at[0]));
    expect(0, NULL, sh("cp mill/devices/crusher/copies/*.bset whole.bset; mkdir out"));
    snprintf(whole, sizeof whole, "%s/whole.bset", folder);
    return 0;
}

static int end(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

/* ---- what editing makes is what write takes ---- */

static const catalogue *drives(void)
{
    static catalogue m = {.list = {&bil_description_ed_30}, .count = 1};
    return &m;
}

static void make_text(dice *d, const bil_param *p, char *out, size_t size)
{
    uint8_t raw[BIL_TEXT_MAX];
    switch (roll_below(d, 4)) {
    case 0: /* a value that the type can hold, mostly out of limits */
        for (size_t i = 0; i < p->format->size; i++)
            raw[i] = (uint8_t)roll(d);
        if (bil_value_text(p->format, raw, &host_floats, out, size) != BIL_OK)
            snprintf(out, size, "0");
        break;
    case 1:
        snprintf(out, size, "%d.%u", (int)roll_below(d, 400) - 100, roll_below(d, 10));
        break;
    case 2:
        snprintf(out, size, "%u", roll_below(d, 300));
        break;
    default:
        for (uint32_t i = roll_below(d, 12); i > 0; i--) {
            out[0] = (char)(' ' + roll_below(d, 95));
            out++;
        }
        out[0] = '\0';
    }
}

static int64_t number_of(const bil_image *image, const char *id)
{
    uint16_t index = index_of(image->description, id);
    const uint8_t *raw = bil_image_raw(image, index);
    uint32_t number = 0;
    for (size_t i = 0; i < image->description->params[index].format->size; i++)
        number = number << 8 | raw[i];
    return strncmp(id, "speed.", 6) == 0 ? (int64_t)(int32_t)number : (int64_t)number;
}

/* The rules of the drive, as its manual says them. */
static bool breaks_a_rule(const bil_image *image)
{
    int64_t in[3] = {number_of(image, "terminal.input_1"), number_of(image, "terminal.input_2"),
                     number_of(image, "terminal.input_3")};
    int64_t mode = number_of(image, "drive.mode");
    return (in[0] && (in[0] == in[1] || in[0] == in[2])) || (in[1] && in[1] == in[2]) ||
           number_of(image, "speed.minimum") > number_of(image, "speed.maximum") ||
           (mode == 2 && number_of(image, "watch.enabled") != 1) ||
           (mode != 0 && number_of(image, "terminal.output_1") == 3);
}

static void editing_makes_only_what_write_takes(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    dice dice_ = {161803};
    unsigned taken = 0, refused = 0, ruled_out = 0;
    for (unsigned round = 0; round < rounds(60); round++) {
        edited o;
        assert_int_equal(edit_open(&o, whole, drives()), BIL_OK);
        bil_image before = new_image(d);
        bil_image_copy(&before, &o.from.image);
        for (int i = 0; i < 80; i++) {
            const bil_param *p = &d->params[roll_below(&dice_, d->count)];
            char text[BIL_VALUE_TEXT * 2];
            uint8_t raw[BIL_TEXT_MAX] = {0};
            make_text(&dice_, p, text, sizeof text);
            bool ours = p->flags & BIL_WRITABLE &&
                        (p->cls == BIL_CLASS_SETUP || p->cls == BIL_CLASS_PLACE || p->cls == BIL_CLASS_CALIBRATION);
            int error = edit_set(&o, p->id, text);
            if (error == BIL_OK) {
                assert_true(ours);
                assert_int_equal(bil_value_check(p->format, bil_image_raw(&o.from.image, (uint16_t)(p - d->params))),
                                 BIL_OK);
                taken++;
            } else {
                /* refused for a reason: it isn't ours, or neither type nor limits take it */
                assert_true(!ours || bil_value_parse(p->format, text, strlen(text), &host_floats, raw) != BIL_OK ||
                            bil_value_check(p->format, raw) != BIL_OK);
                assert_true(o.why[0]);
                refused++;
            }
        }
        char path[STORAGE_PATH], to[100];
        snprintf(to, sizeof to, "%s/out", folder);
        keep k = keep_in_folder(to, "");
        int saved = edit_keep(&o, &k, "anna", "test", "edited", path);
        assert_int_equal(saved, breaks_a_rule(&o.from.image) ? BIL_E_RULE : BIL_OK);
        ruled_out += saved == BIL_E_RULE;
        if (saved) {
            assert_true(o.why[0]);
            edit_close(&o);
            free_image(&before);
            continue;
        }
        edited again;
        assert_int_equal(edit_open(&again, path, drives()), BIL_OK); /* each value checked, as write does */
        assert_memory_equal(again.from.image.raw, o.from.image.raw, d->raw_size);
        assert_true(set_is_offline(&again.from.origin));
        char parent[2 * BIL_SHA256 + 1];
        set_digest_hex(o.from.totals.digest, parent);
        assert_string_equal(again.from.origin.parent, parent);
        for (uint16_t i = 0; i < d->count; i++) /* what belongs to the unit stays */
            if (d->params[i].cls == BIL_CLASS_UNIT)
                assert_true(bil_image_same(&before, &again.from.image, i));
        assert_int_equal(unlink(path), 0);
        edit_close(&o);
        edit_close(&again);
        free_image(&before);
    }
    assert_true(taken > 300 && refused > 300 && ruled_out > 5 && ruled_out < rounds(60) - 5);
}

static void edit_by_hand(void **state)
{
    (void)state;
    expect(0, "not sent to a device",
           sh("b edit whole.bset limit.torque='120 %%' ramp.up=3.5s --folder out --why softer"));
    expect(0, "made offline", sh("b show out/*.bset"));
    expect(1, "2 differ", sh("b compare whole.bset out/*.bset"));
    expect(3, "from 0.0 to 250.0 %", sh("b edit whole.bset limit.torque=1200"));
    expect(3, "not a comma", sh("b edit whole.bset limit.torque=12,5"));
    expect(3, "speed, torque, pump", sh("b edit whole.bset drive.mode=fast"));
    expect(3, "in steps of 2", sh("b edit whole.bset motor.poles=3"));
    expect(3, "belongs to the unit", sh("b edit whole.bset hours.run=1"));
    expect(3, "did you mean limit.torque?", sh("b edit whole.bset limit.torqe=1"));
    expect(2, "ID=VALUE is wanted", sh("b edit whole.bset limit.torque"));
    expect(2, "say what changes", sh("b edit whole.bset"));
    expect(2, "--take-from", sh("b edit whole.bset --group limit"));
    expect(0, "Nothing changes", sh("b edit whole.bset limit.torque=180"));
    expect(6, NULL, sh("b edit nothing.bset limit.torque=1"));
    expect(6, "digest", sh("sed s/180.0/181.0/ whole.bset > bad.bset; b edit bad.bset limit.torque=1"));
    /* one group of another copy, and in a site the new copy goes to the device */
    expect(0, "new copy: 1 changed;", sh("b edit whole.bset --take-from out/*.bset --group ramp --folder out"));
    expect(2, "nothing there", sh("b edit whole.bset --take-from out/*.bset --group rmp --folder out"));
    expect(0, NULL, sh("b edit crusher#last limit.torque=150 --site mill --why 'for the season'"));
    expect(0, "made offline · not sent", sh("b history crusher --site mill"));
    /* what was made offline is never the last that was read */
    expect(0, "equal", sh("b compare crusher#last crusher#first --site mill"));
    expect(0, "verified",
           sh("echo mill-30 | b write $(grep -l '\"from\":\"offline\"' mill/devices/crusher/copies/*) crusher --yes "
              "--password-fd 0 --site mill"));
    expect(0, "made offline · sent", sh("b history crusher --site mill"));
    expect(0, "equal",
           sh("b compare $(grep -l '\"from\":\"offline\"' mill/devices/crusher/copies/*) crusher --site mill --class "
              "setup"));
    expect(0, "verified", sh("echo mill-30 | b write crusher#baseline crusher --yes --password-fd 0 --site mill"));
}

static void tables_in(void **state)
{
    (void)state;
    /* out as a table, in again: the same values, whatever else was changed meanwhile */
    expect(0, NULL,
           sh("b show whole.bset --class setup --report sheet.csv && rm -f out/* && b edit whole.bset limit.torque=1 "
              "ramp.up=1 watch.mask=0 bus.name=-x --folder out"));
    expect(0, "new copy: 3 changed;", sh("b edit out/*.bset --values sheet.csv --folder ."));
    expect(0, "equal", sh("b compare whole.bset crusher_*.bset --class setup; e=$?; rm crusher_*.bset; exit $e"));
    /* a text that begins like a formula goes out and comes back */
    expect(0, NULL,
           sh("b show out/*.bset --report place.csv && grep \"'-x\" place.csv && grep -E '^(id|bus.name),' place.csv > "
              "name.csv"));
    expect(0, "new copy: 1 changed;",
           sh("b edit whole.bset --values name.csv --folder .; e=$?; rm crusher_*.bset; exit $e"));
    /* a settings sheet is a way back: as it is nothing changes, with one value changed that one does, and what isn't
     * the copy's to change is named */
    expect(0, "Nothing changes", sh("b show whole.bset --report all.csv && b edit whole.bset --values all.csv"));
    expect(
        0, "new copy: 1 changed;",
        sh("sed 's/^\\(limit.torque,.*,\\)[0-9.]*\\(,[0-9a-f]*\\r\\)$/\\177.0\\2/' all.csv >one.csv; b edit whole.bset "
           "--values one.csv --folder .; e=$?; rm -f crusher_*.bset; exit $e"));
    assert_non_null(strstr(output, "77.0 %"));
    expect(3, "id.serial",
           sh("sed '/^id.serial,/s/ED30-0417/ED30-0418/' all.csv >one.csv; b edit whole.bset --values one.csv"));
    /* and so is the table of a comparison, from either side */
    expect(1, NULL, sh("b compare whole.bset out/*.bset --report two.csv"));
    expect(6, "for each side", sh("b edit whole.bset --values two.csv"));
    expect(0, "Nothing changes", sh("b edit whole.bset --values two.csv --side Left"));
    expect(0, "equal",
           sh("b edit whole.bset --values two.csv --side Right --folder . && b compare out/*.bset crusher_*.bset; "
              "e=$?; rm "
              "crusher_*.bset; exit $e"));
    static const struct {
        const char *table, *says;
        int code;
    } bad[] = {
        {"id,value\\nlimit.torque,\"12,5\"\\n", "bad.csv:2: limit.torque = 12,5", 3},
        {"id;value\\nlimit.torque;12.5\\n", "aren't separated by commas", 6},
        {"id,value\\nlimit.torque,12.5\\nlimit.torque,13\\n", "stands in line 2 already", 6},
        {"id,value\\nlimit.torque,12.5\\nramp.up,\"3\\n", "never closed", 6},
        {"id,value\\nlimit.torque,1\"2\\n", "quotes stand wrong", 6},
        {"id,value\\nbus.name,caff\\350\\n", "isn't UTF-8", 6},
        {"id,value\\nlimit.torque,12.5,x\\n", "more or fewer fields", 6},
        {"name,value\\nlimit.torque,12.5\\n", "must name the columns", 6},
        {"id,value,id\\nx,1,x\\n", "two columns", 6},
        {"", "empty", 6},
        {"id,value\\nlimit.tork,1\\n", "did you mean limit.torque?", 3},
        {"id,value\\nramp.up,3\\nlimit.torque,999\\n", "bad.csv:3", 3},
        {"i\\0d,value\\n", "zero byte", 6},
    };
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        expect(bad[i].code, bad[i].says,
               sh("printf '%s' > bad.csv; b edit whole.bset --values bad.csv --folder .", bad[i].table));
        assert_int_equal(sh("ls crusher_*.bset"), 2); /* nothing was made */
    }
    expect(0, NULL,
           sh("printf '\\357\\273\\277id,note,value\\r\\nlimit.torque,\"a \"\"b\"\"\\r\\nc\",12.5\\r\\n' > good.csv; b "
              "edit whole.bset --values good.csv --folder . && rm crusher_*.bset"));
    expect(6, "No such file", sh("b edit whole.bset --values none.csv"));
}

/* ---- rules between values ---- */

static void rules_are_kept(void **state)
{
    (void)state;
    expect(3, "terminal.input_1 is start, terminal.input_2 is start: two inputs have the same function",
           sh("b edit whole.bset terminal.input_2=start --folder out"));
    expect(3, "the lowest speed lies above", sh("b edit whole.bset speed.minimum=1200 --folder out"));
    expect(3, "a pump runs dry", sh("b edit whole.bset drive.mode=pump watch.enabled=false --folder out"));
    expect(3, "when the speed is reached", sh("b edit whole.bset terminal.output_1=at_speed --folder out"));
    expect(0, "new copy: 1 changed;", sh("b edit whole.bset watch.enabled=false --folder out"));
    expect(0, "rules between them hold", sh("b check whole.bset"));
    /* a device that breaks them already: its copy is a copy, but isn't written without a reason */
    expect(0, "ok", sh("b simulate --at unit0.ctl set terminal.input_3 4"));
    expect(0, NULL, sh("rm -rf broken; mkdir broken; b read %s --folder broken", unit_at[0]));
    expect(3, "input_2 is acknowledge, terminal.input_3 is acknowledge", sh("b check broken/*.bset"));
    expect(3, "No value was written",
           sh("echo mill-30 | b write broken/*.bset %s --yes --password-fd 0 --folder broken", unit_at[0]));
    assert_non_null(strstr(output, "two inputs have the same function"));
    expect(2, "is wanted", sh("b write broken/*.bset %s --yes --despite rules", unit_at[0]));
    expect(2, "is wanted", sh("b write broken/*.bset %s --yes --despite unit=because", unit_at[0]));
    expect(0, "verified",
           sh("echo mill-30 | b write broken/crusher_*[0-9].bset %s --yes --password-fd 0 --folder broken --despite "
              "rules='both buttons acknowledge'",
              unit_at[0]));
    assert_non_null(strstr(output, "set aside: both buttons acknowledge"));
    expect(0, "\"despite\":{\"rules\":\"both buttons acknowledge\"}", sh("cat broken/*.brec"));
    /* the right values heal it, and nothing has to be set aside for that */
    expect(0, "verified", sh("echo mill-30 | b write whole.bset %s --yes --password-fd 0 --folder broken", unit_at[0]));
    /* and undo goes back to what was there, rules or not */
    expect(0, "verified", sh("echo mill-30 | b undo $(ls broken/*.brec | tail -n 1) --yes --password-fd 0"));
    expect(0, "= 4", sh("b simulate --at unit0.ctl get terminal.input_3"));
    expect(0, "verified", sh("echo mill-30 | b write whole.bset %s --yes --password-fd 0 --folder broken", unit_at[0]));
    /* another firmware: said, refused, and done with a reason */
    start_unit(1, "ed-30 --name crusher --serial ED30-0417 --firmware 2.4.3", NULL);
    expect(3, "the copy is from 2.4.1, the unit has 2.4.3",
           sh("echo mill-30 | b write whole.bset %s --yes --password-fd 0 --folder broken", unit_at[1]));
    expect(0, "verified",
           sh("echo mill-30 | b write whole.bset %s --yes --password-fd 0 --folder broken --despite firmware='the "
              "maker says so'",
              unit_at[1]));
    /* the copy isn't the one that one would expect */
    expect(0, NULL, sh("b edit crusher#baseline limit.torque=130 --site mill --why other"));
    expect(0, "isn't the baseline",
           sh("echo mill-30 | b write $(grep -l '\"why\":\"other\"' mill/devices/crusher/copies/*) crusher --yes "
              "--password-fd 0 --site mill"));
    expect(0, "verified", sh("echo mill-30 | b undo crusher --yes --password-fd 0 --site mill"));
}

/* ---- several sets for one device ---- */

static void copies_go_by_names(void **state)
{
    (void)state;
    expect(0, NULL,
           sh("b edit crusher#baseline limit.torque=140 --site mill --why summer && b edit crusher#baseline "
              "limit.torque=90 --site mill --why winter"));
    expect(0, "is crusher#summer",
           sh("b name $(grep -l '\"why\":\"summer\"' mill/devices/crusher/copies/* | sed "
              "'s/.*-\\(.*\\).bset/crusher#\\1/') summer --site mill"));
    expect(0, "is crusher#winter",
           sh("b name $(grep -l '\"why\":\"winter\"' mill/devices/crusher/copies/* | sed "
              "'s/.*-\\(.*\\).bset/crusher#\\1/') winter --site mill"));
    expect(1, "140.0 %", sh("b compare crusher#summer crusher#winter --site mill"));
    expect(0, "#summer · made offline", sh("b history crusher --site mill"));
    expect(0, "verified", sh("echo mill-30 | b write crusher#winter crusher --yes --password-fd 0 --site mill"));
    expect(0, "equal", sh("b compare crusher#winter crusher --site mill --class setup"));
    expect(0, "is crusher#summer", sh("b name crusher#winter summer --site mill")); /* it goes over */
    expect(0, "equal", sh("b compare crusher#summer crusher#winter --site mill"));
    expect(2, "are taken", sh("b name crusher#winter last --site mill"));
    /* mistakes are taken back: a name, and a baseline */
    expect(0, "is crusher#mistake", sh("b name crusher#winter mistake --site mill"));
    expect(0, "taken back", sh("b name crusher mistake --take-back --site mill"));
    expect(2, "no such copy", sh("b show crusher#mistake --site mill"));
    expect(2, "goes by this name", sh("b name crusher mistake --take-back --site mill"));
    sh("b history crusher --site mill");
    assert_null(strstr(output, "#mistake"));
    expect(0, NULL, sh("cp -r mill other"));
    expect(0, "taken back", sh("b baseline crusher --take-back --site other"));
    expect(2, "no such copy", sh("b show crusher#baseline --site other"));
    expect(2, "counts as right", sh("b baseline crusher --take-back --site other"));
    expect(0, "0 findings", sh("b site check --site other; rm -r other"));
    expect(2, "are taken", sh("b name crusher#winter abcdef --site mill"));
    expect(2, "no such copy", sh("b compare crusher#spring crusher#winter --site mill"));
    expect(0, "verified", sh("echo mill-30 | b write crusher#baseline crusher --yes --password-fd 0 --site mill"));
}

/* ---- settling ---- */

static json_t *differences(const char *left, const char *right)
{
    int code = sh("b compare --json --class setup %s %s", left, right);
    assert_true(code == 0 || code == 1);
    return answer();
}

static void settle_for_all_or_by_filter(void **state)
{
    (void)state;
    static const char *const turned[] = {"limit.torque 95.0", "ramp.up 3.5", "ramp.down 2.5", "watch.action 2"};
    for (size_t i = 0; i < 4; i++)
        expect(0, "ok", sh("b simulate --at unit0.ctl set %s", turned[i]));
    static const struct {
        const char *options;
        unsigned from_device, from_saved, new_values, differs_from_saved, differs_from_device;
    } ways[] = {
        {"--device-wins", 4, 0, 0, 4, 0},
        {"--saved-wins", 0, 4, 0, 0, 4},
        {"--group ramp --device-wins", 2, 0, 0, 2, 2},
        {"--safety --device-wins", 1, 0, 0, 1, 3},
        {"--saved-wins --decide 'ramp.*=device' --decide limit.torque=120", 2, 1, 1, 3, 2},
        {"--saved-wins --decide ramp.up=device --decide 'ramp.*=saved'", 1, 3, 0, 1, 3},
    };
    for (size_t i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        char says[100];
        snprintf(says, sizeof says, "Settled: device wins %u, saved wins %u, new value %u", ways[i].from_device,
                 ways[i].from_saved, ways[i].new_values);
        expect(0, says,
               sh("rm -rf new; mkdir new; b settle whole.bset %s %s --folder new --record new/d.json --list new/w.csv",
                  unit_at[0], ways[i].options));
        bool made = ways[i].differs_from_saved > 0;
        expect(0, NULL, sh(made ? "mv new/*.bset new.bset" : "cp whole.bset new.bset"));
        json_t *json = differences("whole.bset", "new.bset");
        assert_int_equal(json_integer_value(json_object_get(json, "differing")), ways[i].differs_from_saved);
        json_decref(json);
        json = differences("new.bset", unit_at[0]);
        assert_int_equal(json_integer_value(json_object_get(json, "differing")), ways[i].differs_from_device);
        json_decref(json);
        assert_int_equal(sh("exit $(($(grep -c . new/w.csv) - 1))"), ways[i].differs_from_device);
        /* the record decides the same again, without a question */
        expect(0, says,
               sh("rm -rf again; mkdir again; b settle whole.bset %s --decisions new/d.json %s --folder again",
                  unit_at[0],
                  strstr(ways[i].options, "--group")    ? "--group ramp"
                  : strstr(ways[i].options, "--safety") ? "--safety"
                                                        : ""));
        if (made)
            expect(0, "equal", sh("b compare new.bset again/*.bset --class setup"));
        /* and the list, written into the copy that the device would give, is the settled one */
        expect(0, NULL, sh("rm -rf now; b read %s --folder $(mkdir now; echo now)", unit_at[0]));
        if (ways[i].differs_from_device) {
            expect(0, NULL, sh("b edit now/*.bset --values new/w.csv --folder again --why list"));
            expect(0, "equal", sh("b compare new.bset $(grep -l '\"why\":\"list\"' again/*.bset) --class setup"));
        }
    }
    expect(3, "nobody can be asked", sh("b settle whole.bset %s --folder new", unit_at[0]));
    expect(2, "not both", sh("b settle whole.bset %s --device-wins --saved-wins", unit_at[0]));
    expect(3, "outside its limits", sh("b settle whole.bset %s --saved-wins --decide limit.torque=999", unit_at[0]));
    expect(2, "is wanted", sh("b settle whole.bset %s --decide limit.torque", unit_at[0]));
    static const char *const bad[] = {"",
                                      "[]",
                                      "{\"bilancia_decisions\":1,\"decisions\":[]}",
                                      "{\"bilancia_decisions\":0,\"decisions\":[{\"id\":\"*\",\"wins\":\"value\"}]}",
                                      "{\"bilancia_decisions\":0,\"decisions\":[{\"id\":\"*\",\"wins\":\"nobody\"}]}",
                                      "{\"bilancia_decisions\":0,\"decisions\":[{\"wins\":\"saved\"}]}"};
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++)
        expect(6, "bad.json",
               sh("echo '%s' > bad.json; b settle whole.bset %s --decisions bad.json", bad[i], unit_at[0]));
}

static void settle_one_by_one(void **state)
{
    (void)state;
    expect(0, "device wins 1, saved wins 2, new value 1",
           at_terminal(100, 50, "s\nx\nv 99999\nv 4.5\nd\ns\n",
                       "rm -rf new; mkdir new; b settle whole.bset %s --folder new", unit_at[0]));
    assert_non_null(strstr(output, "outside its limits"));
    json_t *json = differences("whole.bset", "new/*.bset");
    json_t *rows = json_object_get(json, "parameters");
    assert_int_equal(json_array_size(rows), 2);
    assert_string_equal(text_of(json_array_get(json_object_get(json_array_get(rows, 0), "values"), 1), "value"),
                        "4.500");
    assert_string_equal(text_of(json_array_get(rows, 1), "id"), "ramp.up");
    json_decref(json);
    expect(3, "stopped before",
           at_terminal(100, 50, "d\nq\n", "rm -rf new; mkdir new; b settle whole.bset %s --folder new", unit_at[0]));
    expect(2, NULL, sh("ls new/*.bset")); /* nothing was made */
    expect(0, "device wins 4", at_terminal(100, 50, "D\n", "b settle whole.bset %s --folder new", unit_at[0]));
    /* in a site the decisions are kept with the device, and another copy may stand for it */
    expect(0, NULL,
           sh("b read crusher --site mill && b settle crusher#baseline crusher#last --device-wins --site mill --who "
              "bruno"));
    expect(0, "\"wins\":\"device\"", sh("cat mill/devices/crusher/notes/* | grep -A30 settled | tr '{' '\\n'"));
    expect(0, "no problem", sh("b site check --site mill; echo no problem"));
}

/* ---- the shell ---- */

static void shells_complete(void **state)
{
    (void)state;
    expect(0, NULL, sh("mkdir -p bin; ln -sf %s bin/bilancia", BILANCIA_TOOL));
    static const struct {
        const char *line, *found;
    } lines[] = {{"comp", "compare"},
                 {"compare --gr", "--group"},
                 {"compare --group ramp", "ramp"},
                 {"edit crusher#last limit.tor", "limit.torque="},
                 {"show cru", "crusher"},
                 {"show whol", "whole.bset"},
                 {"simulate ed", "ed-30"}};
    for (size_t i = 0; i < sizeof lines / sizeof lines[0]; i++) {
        const char *line = lines[i].line, *word = strrchr(line, ' ');
        word = word ? word + 1 : line;
        bool file = strstr(lines[i].found, ".bset") != NULL;
        expect(0, lines[i].found,
               sh("cp -f whole.bset mill/; cd mill; PATH=$PWD/../bin:$PATH bash -c 'source <(bilancia complete bash); "
                  "COMP_LINE=\"bilancia %s\"; COMP_WORDS=($COMP_LINE); COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); "
                  "COMP_POINT=${#COMP_LINE}; compopt() { :; }; _bilancia; printf \"%%s\\n\" \"${COMPREPLY[@]}\"'",
                  line));
        expect(0, lines[i].found,
               sh("cd mill; PATH=$PWD/../bin:$PATH fish --no-config -c 'bilancia complete fish | source; complete -C "
                  "\"bilancia %s\"'",
                  line));
        if (!file) /* files are zsh's own part */
            expect(0, lines[i].found,
                   sh("cd mill; PATH=$PWD/../bin:$PATH zsh -fc 'compdef() { :; }; compadd() { local a=${@[-1]}; for w "
                      "in \"${(@P)a}\"; do [[ "
                      "$w == \"%s\"* ]] && print -r -- $w; done; }; "
                      "_files() { :; }; source <(bilancia complete zsh); words=(bilancia %s); CURRENT=$#words; "
                      "_bilancia; true'",
                      word, line));
    }
    expect(0, NULL,
           sh("b complete bash | bash -n && b complete zsh > z && zsh -n z && b complete fish > f && fish --no-config "
              "-n f"));
    expect(2, "for bash, zsh or fish", sh("b complete csh"));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(editing_makes_only_what_write_takes),
        cmocka_unit_test(edit_by_hand),
        cmocka_unit_test(tables_in),
        cmocka_unit_test(rules_are_kept),
        cmocka_unit_test(copies_go_by_names),
        cmocka_unit_test(settle_for_all_or_by_filter),
        cmocka_unit_test(settle_one_by_one),
        cmocka_unit_test(shells_complete),
    };
    return cmocka_run_group_tests_name("copy_decisions", tests, begin, end);
}
