/* The tool as a process, on simulated units served over Modbus TCP: the job, every bad input, and the password's
 * absence. */
#include <dirent.h>
#include <fcntl.h>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "host/copy/load.h"
#include "show/advice.h"
#include "tool.h"

static const char password[] = "Qx7vK2pZ"; /* nowhere else in this house */

/* Files that a person would find (no temporary ones, none of the test's own). */
static unsigned files(const char *ending)
{
    unsigned count = 0;
    DIR *dir = opendir(folder);
    struct dirent *entry;
    while ((entry = readdir(dir))) {
        const char *at = strstr(entry->d_name, ending);
        count += at && strlen(at) == strlen(ending);
    }
    closedir(dir);
    return count;
}

/* ---- words ---- */

/* The options of a command, as names ended by NULL; `text` keeps them. */
static size_t options_of(const char *command, char *text, size_t size, const char *names[80])
{
    size_t count = 0;
    assert_int_equal(sh("b %s --list-options", command), 0);
    snprintf(text, size, "%s", output);
    for (char *line = strtok(text, "\n"); line && count < 79; line = strtok(NULL, "\n")) {
        line[strcspn(line, "=")] = '\0';
        names[count++] = line + 2;
    }
    names[count] = NULL;
    return count;
}

/* No advice names an option that the command doesn't have, whatever goes wrong in it; and those that have it hear it.
 */
static void advice_fits_the_command(void **state)
{
    (void)state;
    static char commands[4000], own[4000], others[4000];
    const char *list[80], *names[80], *theirs[80];
    size_t count = 0;
    unsigned named = 0, left_out = 0;
    assert_int_equal(sh("b complete -- ''"), 0);
    snprintf(commands, sizeof commands, "%s", output);
    char *keep;
    for (char *line = strtok_r(commands, "\n", &keep); line && count < 79; line = strtok_r(NULL, "\n", &keep))
        list[count++] = line;
    assert_true(count > 30);
    for (size_t i = 0; i < count; i++) {
        options_of(list[i], own, sizeof own, names);
        for (int error = 0; error < 300; error++) {
            char advice[ADVICE_TEXT], all[ADVICE_TEXT];
            advice_for(error, "crusher", names, advice, sizeof advice);
            advice_for(error, "crusher", NULL, all, sizeof all);
            left_out += strlen(advice) < strlen(all);
            assert_null(strpbrk(advice, "[]"));
            for (const char *at = advice; (at = strstr(at, "--")); at += 2) {
                char option[60], other[60] = "";
                snprintf(option, sizeof option, "%.*s", (int)strcspn(at + 2, " =,;`)."), at + 2);
                const char *begin = at; /* what stands behind "bilancia COMMAND" is that one's */
                while (begin > advice && !strchr(",;`", begin[-1]) && strncmp(begin, "bilancia ", 9) != 0)
                    begin--;
                if (strncmp(begin, "bilancia ", 9) == 0)
                    snprintf(other, sizeof other, "%.*s", (int)strcspn(begin + 9, " "), begin + 9);
                if (other[0])
                    options_of(other, others, sizeof others, theirs);
                bool has = false;
                for (const char **name = other[0] ? theirs : names; *name; name++)
                    has = has || strcmp(*name, option) == 0;
                if (!has)
                    fail_msg("%s, error %d: --%s isn't there: %s", list[i], error, option, advice);
                named++;
            }
        }
    }
    print_message("advice: %u options named, %u times left out\n", named, left_out);
    assert_true(named > 100 && left_out > 100);
}

static int set_up(void **state)
{
    (void)state;
    tool_begin();
    start_unit(0, "ed-30", password);
    start_unit(1, "ec-8", NULL);
    start_unit(2, "ed-30 --firmware 2.4.3", NULL);
    start_unit(3, "ed-30 --serial ED30-0555 --name decanter", NULL);
    char path[100];
    snprintf(path, sizeof path, "%s/pipe", folder); /* hands the password over without a file */
    return mkfifo(path, 0600);
}

static int tear_down(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

/* A write with the password over a pipe, while the process list is watched. */
static int write_copy(const char *copy, int unit, const char *secret, const char *options)
{
    char pipe_path[100];
    snprintf(pipe_path, sizeof pipe_path, "%s/pipe", folder);
    pid_t hand = fork();
    if (hand == 0) {
        int fd = open(pipe_path, O_WRONLY);
        dprintf(fd, "%s\n", secret);
        _exit(0);
    }
    int code = sh("b write %s %s --password-fd 3 %s 3<pipe", copy, unit_at[unit], options);
    kill(hand, SIGTERM);
    waitpid(hand, NULL, 0);
    return code;
}

/* ---- the job ---- */

static char copy[100]; /* the first one, of unit 0 */

static void read_show_compare(void **state)
{
    (void)state;
    expect(0, NULL, sh("b read %s --json --why 'before the season'", unit_at[0]));
    json_t *json = answer();
    assert_int_equal(json_integer_value(json_object_get(json, "value_requests")), 5);
    assert_int_equal(json_integer_value(json_object_get(json, "values")), 60);
    assert_string_equal(text_of(json, "verdict"), "complete");
    const char *path = text_of(json, "path");
    assert_int_equal(path[0], '/');
    assert_int_equal(access(path, R_OK), 0);
    snprintf(copy, sizeof copy, "%s", strrchr(path, '/') + 1);
    assert_memory_equal(copy, "crusher_ED30-0417_", 18);
    json_decref(json);
    expect(0, "✓ complete", sh("b read %s", unit_at[0]));
    expect(0, "✓ complete", sh("b read %s", unit_at[0])); /* never over another, even in the same second */
    assert_int_equal(files(".bset"), 3);
    expect(0, "✓ complete", sh("b read %s", unit_at[1]));
    expect(0, " 0 failed", sh("/usr/bin/python3 %s/tests/schema.py %s *.bset", BILANCIA_SOURCE, BILANCIA_SOURCE));
    expect(0, "access.password", sh("b show %s", copy));
    expect(0, "before the season", sh("b show %s --json", copy));
    json = answer();
    assert_int_equal(json_array_size(json_object_get(json, "values")), 60);
    assert_int_equal(json_array_size(json_object_get(json, "left_out")), 13);
    json_decref(json);
    expect(0, "each within its limits", sh("b check %s", copy));
    expect(0, "✓ equal", sh("b compare %s %s", copy, unit_at[0]));
    expect(0, "ok", control(0, "set limit.torque 95.0"));
    expect(0, "ok", control(0, "set ramp.up 3.500"));
    expect(1, "2 differ", sh("b compare %s %s", copy, unit_at[0]));
    expect(1, "2 differ", sh("b compare %s %s", unit_at[0], copy));
    expect(0, "✓ equal", sh("b compare %s %s", unit_at[0], unit_at[0]));
    expect(1, NULL, sh("b compare --json %s %s", copy, unit_at[0]));
    json = answer();
    assert_int_equal(json_integer_value(json_object_get(json, "differing")), 2);
    json_t *row = json_array_get(json_object_get(json, "parameters"), 0);
    assert_string_equal(text_of(row, "id"), "limit.torque");
    json_t *values = json_object_get(row, "values");
    assert_string_equal(text_of(json_array_get(values, 0), "value"), "180.0");
    assert_string_equal(text_of(json_array_get(values, 1), "value"), "95.0");
    assert_true(json_is_true(json_object_get(row, "safety")));
    json_decref(json);
    /* what matters, and what is looked at alone */
    expect(1, "1 safety-relevant", sh("b compare %s %s", copy, unit_at[0]));
    expect(1, "1 differs (1 changed), 0 equal", sh("b compare --match 'ramp.u?' %s %s", copy, unit_at[0]));
    expect(1, "1 differs", sh("b compare --group limit %s %s", copy, unit_at[0]));
    expect(0, "equal: 1 value", sh("b compare --match 'ramp.down' %s %s", copy, unit_at[0]));
    expect(2, "did you mean limit?", sh("b compare --group lim %s %s", copy, unit_at[0]));
    expect(1, "! limit.torque", sh("b compare --safety %s %s", copy, unit_at[0]));
    expect(0, "equal", sh("b compare --class place %s %s", copy, unit_at[0]));
    expect(2, "a class is", sh("b compare --class colour %s %s", copy, unit_at[0]));
    expect(0, NULL,
           sh("b compare --json %s %s > 1.json; b compare --all --json %s %s > 2.json; b compare --json %s %s > 3.json",
              copy, unit_at[0], copy, unit_at[0], unit_at[2], unit_at[3]));
    expect(0, " 0 failed",
           sh("/usr/bin/python3 %s/tests/schema.py %s %s 1.json 2.json 3.json; rm ?.json", BILANCIA_SOURCE,
              BILANCIA_SOURCE, copy));
}

static void write_back_with_proof(void **state)
{
    (void)state;
    char digest[65];
    set_origin origin;
    bil_set_totals totals;
    char path[200], why[300];
    snprintf(path, sizeof path, "%s/%s", folder, copy);
    assert_int_equal(set_file_check(path, &origin, &totals, why, sizeof why), BIL_OK);
    for (int i = 0; i < BIL_SHA256; i++)
        snprintf(digest + 2 * i, 3, "%02x", totals.values_digest[i]);
    expect(0, "ok", control(0, "factory-reset"));
    usleep(300000);
    /* the reset brought the factory password back; the technician sets his own at the device */
    char set[60];
    snprintf(set, sizeof set, "set access.password %s", "mill-31x");
    expect(0, "another one", control(0, set));
    expect(0, "✓ verified", write_copy(copy, 0, "mill-31x", "--yes"));
    assert_non_null(strstr(output, "Safety copy"));
    assert_int_equal(files("_before-write.bset"), 1);
    assert_int_equal(files(".brec"), 1);
    unsigned written = counter(0, "values written ");
    assert_true(written >= 40);
    expect(0, "ok", control(0, "power-cut"));
    usleep(300000);
    expect(0, NULL, sh("b read %s --json", unit_at[0]));
    json_t *json = answer();
    assert_string_equal(text_of(json, "values_digest"), digest);
    json_decref(json);
    expect(0, "Nothing differs", write_copy(copy, 0, "mill-31x", "--yes"));
    assert_int_equal(counter(0, "values written "), written);
    expect(0, "✓ already so", write_copy(copy, 0, "mill-31x", "--yes"));
    expect(0, NULL, write_copy(copy, 0, "mill-31x", "--yes --json --prove"));
    json = answer();
    assert_string_equal(text_of(json, "verdict"), "verified");
    assert_int_equal(json_integer_value(json_object_get(json, "write_requests")), 0);
    json_decref(json);
}

/* ---- the password ---- */

/* Looks for it in the arguments of every process, and in what they show of their environment. */
static bool in_process_list(const char *secret, bool environment_too)
{
    DIR *dir = opendir("/proc");
    struct dirent *entry;
    bool found = false;
    while ((entry = readdir(dir))) {
        static const char *const names[] = {"cmdline", "environ"};
        for (int i = 0; i <= environment_too && entry->d_name[0] >= '1' && entry->d_name[0] <= '9'; i++) {
            char path[300];
            static char text[1 << 17];
            snprintf(path, sizeof path, "/proc/%s/%s", entry->d_name, names[i]);
            int fd = open(path, O_RDONLY);
            ssize_t got = fd < 0 ? 0 : read(fd, text, sizeof text);
            if (fd >= 0)
                close(fd);
            found = found || (got > 0 && memmem(text, (size_t)got, secret, strlen(secret)));
        }
    }
    closedir(dir);
    return found;
}

static void the_password_is_nowhere(void **state)
{
    (void)state;
    stop_unit(0); /* a new one, with the password that it began with */
    start_unit(0, "ed-30", password);
    usleep(100000);
    assert_false(in_process_list(password, true)); /* the simulator has wiped its environment */
    expect(0, "ok", control(0, "set limit.torque 77.0"));
    pid_t writer = fork();
    if (writer == 0)
        _exit(write_copy(copy, 0, password, "--yes"));
    int status;
    unsigned looked = 0;
    while (waitpid(writer, &status, WNOHANG) == 0) {
        assert_false(in_process_list(password, false));
        looked++;
        usleep(5000);
    }
    assert_int_equal(WEXITSTATUS(status), 0);
    assert_true(looked > 20);
    expect(0, "ok", control(0, "set limit.torque 78.0"));
    setenv("BILANCIA_PASSWORD", password, 1); /* the other way: the tool takes it out of its own environment */
    expect(0, "✓ verified", sh("b write %s %s --yes", copy, unit_at[0]));
    unsetenv("BILANCIA_PASSWORD");
    expect(3, "password",
           write_copy(copy, 0, "wrong", "--yes --prove")); /* messages about a wrong one show nothing either */
    char hex[40] = "";
    for (size_t i = 0; password[i]; i++)
        snprintf(hex + 2 * i, 3, "%02x", (unsigned)password[i]);
    expect(1, NULL, sh("grep -rlaiE '%s|%s|UXg3dksycF' . --exclude=pipe", password, hex)); /* plain, hex, base64 */
    char core[100];
    snprintf(core, sizeof core, "%s/said", folder);
    assert_int_equal(access(core, R_OK), 0); /* what was said was searched, too */
}

/* ---- examples ---- */

static void examples_work(void **state)
{
    (void)state;
    int port = 0;
    assert_int_equal(sscanf(unit_at[3], "modbus+tcp://127.0.0.1:%d/", &port), 1);
    /* an hour of its time may be over meanwhile, which its counters say */
    expect(0, "press Enter.\nlimit.energy\n1 changed\n",
           sh("( sleep 1; b simulate --at unit3.ctl set limit.energy 71999 >&2; echo ) | "
              "%s/what_changed modbus+tcp://127.0.0.1:%d/1 | sed '/^hours/d; s/^[23] changed/1 changed/'",
              BILANCIA_EXAMPLES, port));
    assert_non_null(strstr(output, "limit.energy\n"));
    expect(0, "ok", control(3, "set limit.energy 72000"));
    /* a card of 1200 cells: "Esempio", "ED-30" where the drive has them, and a torque limit of 0x0708 = 180.0 */
    expect(0, NULL,
           sh("head -c 1400 /dev/zero >card; printf 'Esempio\\0ED-30\\0' | dd of=card conv=notrunc status=none; "
              "printf '\\007\\010' | dd of=card bs=1 seek=268 conv=notrunc status=none"));
    expect(0, "limit.torque                 180.0 %", sh("%s/own_port card", BILANCIA_EXAMPLES));
    expect(4, "no description matches", sh("head -c 100 /dev/zero >card; %s/own_port card", BILANCIA_EXAMPLES));
    expect(4, "nothing accepts", sh("rm card; %s/own_port card", BILANCIA_EXAMPLES));
}

/* ---- bad input ---- */

/* ---- simulated units ---- */

/* Minutes of the unit's time: the next restart is seen by the time since the last one. */
static void let_time_pass(int unit)
{
    expect(0, "ok", control(unit, "time-factor 1000"));
    usleep(600000);
    expect(0, "ok", control(unit, "time-factor 20"));
}

/* A model that nobody wrote a unit for is played by its description: the whole job, and it is named as that. */
static void a_model_is_played_by_its_description(void **state)
{
    (void)state;
    static const char *const models[] = {"ed-30", "ec-8"};
    expect(0, NULL, sh("b site make described >/dev/null; mkdir -p described/descriptions"));
    for (int i = 0; i < 2; i++) {
        char options[100];
        expect(0, NULL,
               sh("sed 's/^model: .*/model: PX-%d/' %s/descriptions/%s.yaml > described/descriptions/px.yaml", i,
                  BILANCIA_SOURCE, models[i]));
        snprintf(options, sizeof options, "PX-%d --site described --serial 77000%d --name pump", i, i);
        start_unit(6, options, NULL);
        expect(0, "✓ added", sh("cd described; b device add pump-%d %s", i, unit_at[6]));
        expect(0, "✓ complete", sh("cd described; b read pump-%d && b baseline pump-%d", i, i));
        expect(0, NULL,
               sh("cd described; b edit pump-%d#last %s --why other", i,
                  i ? "kneader_1.time=1900 plant.alarm_delay=20" : "limit.torque=120 motor.cos_phi=0.8"));
        expect(0, "played by its description",
               sh("cd described; echo x | b rehearse pump-%d#2 pump-%d --yes --password-fd 0", i, i));
        expect(0, "✓ verified: 2 values",
               sh("cd described; echo x | b write pump-%d#2 pump-%d --yes --password-fd 0", i, i));
        expect(0, "ok", control(6, "power-cut"));
        let_time_pass(6);
        expect(0, "✓ equal", sh("cd described; b compare pump-%d#2 pump-%d --class setup", i, i));
        expect(0, "✓ verified", sh("cd described; echo x | b undo pump-%d --yes --password-fd 0", i));
        expect(0, "✓ equal", sh("cd described; b compare pump-%d#baseline pump-%d", i, i));
        let_time_pass(6);
        expect(0, "✓ verified", sh("cd described; echo x | b reset pump-%d --yes --password-fd 0", i));
        stop_unit(6);
        /* with the values of a copy, and with any that the description allows */
        snprintf(options, sizeof options, "PX-%d --site described --values pump-%d#2", i, i);
        start_unit(6, options, NULL);
        expect(0, "✓ equal", sh("cd described; b compare pump-%d#2 %s --class setup", i, unit_at[6]));
        stop_unit(6);
        snprintf(options, sizeof options, "described/descriptions/px.yaml --values random");
        start_unit(6, options, NULL);
        expect(0, "✓ complete", sh("cd described; b read %s --folder .", unit_at[6]));
        expect(0, "✓ equal", sh("cd described; b compare $(ls *.bset) %s", unit_at[6]));
        expect(0, NULL, sh("cd described; rm -f *.bset"));
        stop_unit(6);
    }
    expect(2, "there is no description of this model here", sh("b simulate PX-7"));
    expect(6, NULL, sh("b simulate described/descriptions/none.yaml"));
    expect(0, NULL, sh("rm -r described"));
}

/* Each unit of a line has a control channel, a name and a serial number of its own. */
/* Coils, parts of cells, digits, texts of all kinds, channels, a type code: through the tool, to the bits of the unit.
 */
static void one_of_each_is_written(void **state)
{
    (void)state;
    expect(0, NULL,
           sh("b site make odd >/dev/null; mkdir -p odd/descriptions; cp %s/tests/one-of-each.yaml odd/descriptions",
              BILANCIA_SOURCE));
    setenv("BILANCIA_PASSWORD", "1234", 1);
    start_unit(6, "OE-1 --site odd --serial 7701", NULL);
    expect(0, "✓ added", sh("cd odd; b device add station %s", unit_at[6]));
    expect(0, "all 52 values", sh("cd odd; b read station"));
    expect(0, "differ",
           sh("cd odd; b edit station#1 channel_8.sensor=hot channel_8.on=true channel_8.dose=123.4 flag.a=true "
              "flag.b=9 text.blanks=zz text.length=four text.wide=wide trim.zero=-1.25 trim.span=-70000 "
              "valve.two=true net.address=192.0.2.7 channel_8.total=281474976710655"));
    expect(0, "✓ verified: 1", sh("cd odd; b write station#2 station --yes --with-calibration"));
    static const struct {
        const char *entry, *cells;
    } says[] = {{"channel_8.sensor", "0012"}, /* 2, and bit 4 */
                {"channel_8.on", "0012"},     /* the same cell */
                {"channel_8.dose", "1234"},   /* digits */
                {"channel_8.total", "ffff ffff ffff"},
                {"flag.b", "0049"}, /* 9 from bit 3 on, and bit 0 */
                {"text.blanks", "7a7a 2020 2020 2020 2020"},
                {"text.length", "0004 666f 7572 0000 0000 0000"},
                {"text.wide", "0077 0069 0064 0065 0000 0000"},
                {"trim.zero", "807d"},      /* 125, and the sign */
                {"trim.span", "ee90 fffe"}, /* the low cell first */
                {"net.address", "c000 0207"},
                {"valve.two", "1"}};
    for (size_t i = 0; i < sizeof says / sizeof says[0]; i++)
        expect(0, says[i].cells, sh("b simulate --at unit6.ctl get %s", says[i].entry));
    expect(0, "✓ equal", sh("cd odd; b compare station#2 station"));
    /* what can't be locked again is told, and undoes nothing of the proof */
    expect(0, "ok", sh("b simulate --at unit6.ctl fault refuse x.lock"));
    expect(0, "x.lock: the device doesn't go back", sh("cd odd; b write station#1 station --yes 2>&1"));
    expect(3, "outside its limits", sh("cd odd; b edit station#2 net.address=192.0.2.256"));
    /* one that shows less of its model is no rival, wherever it stands; one that shows the same is */
    expect(0, "OE-1, firmware",
           sh("cd odd; sed -e 's/^model: OE-1/model: AA-1/' -e 's/{id.code: 304, id.board: 7}/{id.code: 304}/' "
              "%s/tests/one-of-each.yaml >descriptions/aa.yaml; b read station",
              BILANCIA_SOURCE));
    expect(
        3, "may be a ",
        sh("cd odd; sed 's/^model: OE-1/model: ZZ-1/' %s/tests/one-of-each.yaml >descriptions/zz.yaml; b read station",
           BILANCIA_SOURCE));
    expect(0, "OE-1, firmware", sh("cd odd; b read station --description descriptions/one-of-each.yaml"));
    stop_unit(6);
    unsetenv("BILANCIA_PASSWORD");
    expect(0, NULL, sh("rm -r odd"));
}

/* A text of which one line is another and one is gone, in every way of showing it. */
static void lines_of_texts(void)
{
    expect(0, NULL,
           sh("c=$(ls -tr lg/*.bset | head -1); rm -rf li; mkdir li; printf 'total = c1 + c2 + c3\\nwarm = max(c5, c6) "
              "> <b>\\n' >li/new; $B edit $c --file calc.script=li/new --folder li && cp $c li/old.bset && mv "
              "li/*_*.bset li/new.bset"));
    expect(1,
           "       2 - full = total > 30 ? 1 : 0\n       3 - warm = max(c5, c6) > 34.25 ? 1 : 0\n"
           "       2 + warm = max(c5, c6) > <b>\n",
           sh("b compare li/old.bset li/new.bset"));
    expect(1,
           "\"lines\":[{\"only\": \"left\", \"line\": 2, \"text\": \"full = total > 30 ? 1 : 0\"},{\"only\": "
           "\"left\", \"line\": 3, \"text\": \"warm = max(c5, c6) > 34.25 ? 1 : 0\"},{\"only\": \"right\", "
           "\"line\": 2, \"text\": \"warm = max(c5, c6) > <b>\"}]}",
           sh("b compare li/old.bset li/new.bset --json | tee li/lines.json; exit 1"));
    expect(0, NULL, sh("/usr/bin/python3 %s/tests/schema.py %s li/lines.json", BILANCIA_SOURCE, BILANCIA_SOURCE));
    expect(1, "report", sh("b compare li/old.bset li/new.bset --report li/lines.html"));
    expect(0,
           "<ol><li value=\"2\">full = total &#62; 30 ? 1 : 0</li><li value=\"3\">warm = max(c5, c6) &#62; 34.25 ? 1 "
           ": 0</li></ol></td><td class=\"v\">46 bytes c4ed66bf<ol><li value=\"2\">warm = max(c5, c6) &#62; "
           "&#60;b&#62;</li></ol></td>",
           sh("cat li/lines.html"));
}

/* The logger, asked in words over TCP and on a line: the same commands, with the same output. */
static void a_logger_with_a_console(void **state)
{
    (void)state;
    static const char *const ways[] = {"el-16", "el-16 --line"};
    static const char *const delivered[] = {"el-16 --as-delivered --serial EL16-2300",
                                            "el-16 --as-delivered --serial EL16-2300 --line"};
    setenv("BILANCIA_PASSWORD", "olive", 1);
    for (int i = 0; i < 2; i++) {
        start_unit(6, ways[i], NULL);
        start_unit(7, delivered[i], NULL);
        const char *from = unit_at[6], *to = unit_at[7];
        expect(0, "all 150 values read with 19 requests and 1 for who answers",
               sh("rm -rf lg; mkdir lg; b read '%s' --folder lg", from));
        expect(0, "  channel_10  15.500  10 s    16.000     Press       0.000    voltage   · 0.0107\n",
               sh("b show lg/*.bset"));
        expect(0, "a simulated EL-16 with the values of the device: verified, 60 values",
               sh("b rehearse lg/*.bset '%s' --yes --as clone", to));
        expect(0, "✓ verified: 60", sh("b write lg/*.bset '%s' --yes --as clone --folder lg", to));
        static const struct {
            const char *entry, *value;
        } says[] = {{"channel_3.high", "8.250"}, {"channel_4.low", "-10.000"}, {"channel_16.label", "Energy in"},
                    {"channel_10.sensor", "2"},  {"channel_8.sensor", "0"},    {"calc.script", "82 bytes"},
                    {"alarm.relay", "2"},        {"channel_3.trim", "0.0000"}, {"plant.name", "logger"}};
        for (size_t k = 0; k < sizeof says / sizeof says[0]; k++) {
            char line[100];
            snprintf(line, sizeof line, "%s = %s\n", says[k].entry, says[k].value);
            expect(0, line, sh("b simulate --at unit7.ctl get %s", says[k].entry));
        }
        expect(0, "✓ verified: 1", sh("b set '%s' channel_3.high=9.5 --yes --prove --folder lg", to));
        assert_non_null(strstr(output, "would be lost, and is in no copy: the stored samples, which a new table clears "
                                       "(samples.stored; --collect saves it first)"));
        assert_null(strstr(output, "Would be lost: nothing"));
        assert_non_null(strstr(output, "It is at work. Safe to disconnect."));
        expect(0, "= 9.500\n", sh("b simulate --at unit7.ctl get channel_3.high"));
        expect(0, "→ channel_3.high  9.500", sh("b undo $(ls -t lg/*.brec | head -1) --yes"));
        expect(0, "= 8.250\n", sh("b simulate --at unit7.ctl get channel_3.high"));
        expect(0, "total = c1 + c2 + c3\nfull = total > 30 ? 1 : 0\nwarm = max(c5, c6) > 34.25 ? 1 : 0\n",
               sh("b show $(ls -tr lg/*.bset | head -1) --file calc.script"));
        lines_of_texts();
        expect(0, "\"samples.stored\": \"", sh("b read '%s' --folder lg --collect --json", from));
        expect(0, "whole lines, 240 or more", /* it goes on measuring */
               sh("wc -lc lg/*_samples.stored.dat | awk '$1 >= 240 && $2 == 32 * $1 {print \"whole lines, 240 or "
                  "more\"}'"));
        expect(0, "samples.count = 2", sh("$B simulate --at unit6.ctl get samples.count"));
        expect(0, "collected first, then lost: the stored samples",
               sh("b set '%s' channel_3.high=8.25 channel_3.low=1 --yes --folder lg --collect", from));
        assert_non_null(strstr(output, "Collected    "));
        expect(0, "samples.count = 0", sh("$B simulate --at unit6.ctl get samples.count"));
        expect(2, "no files of what it measured", sh("b read '%s' --folder lg --collect", unit_at[0]));
        expect(3, "password", sh("BILANCIA_PASSWORD=olives $B set '%s' alarm.delay=7 --yes --folder lg 2>&1", to));
        expect(5, "restarted in the middle",
               sh("$B simulate --at unit7.ctl fault power-cut 86 >/dev/null; $B set '%s' alarm.delay=7 alarm.gap=2.5 "
                  "--yes --prove --folder lg 2>&1",
                  to));
        expect(0, "✓ in force: 2 values", sh("$B resume $(ls -t lg/*.brec | head -1) --yes"));
        expect(0, "= 7\n", sh("b simulate --at unit7.ctl get alarm.delay"));
        stop_unit(6);
        stop_unit(7);
    }
    /* what its site says of it, and who is out there */
    start_unit(6, "el-16", NULL);
    expect(0, "EL-16, firmware 2.0, serial number EL16-2209, tank-room", sh("b find '%s' 2>/dev/null", unit_at[6]));
    expect(0, "✓ added", sh("b site make lg/site >/dev/null; cd lg/site; b device add logger %s", unit_at[6]));
    expect(0, "150 values", sh("cd lg/site; b read logger --collect"));
    expect(0, "_samples.stored.dat", sh("cd lg/site; b site check; ls devices/logger/collected"));
    assert_null(strstr(output, "foreign_file"));
    expect(2, "one device at a time", sh("cd lg/site; b read --all --collect"));
    expect(0, "✓ equal", sh("cd lg/site; b compare logger#1 logger"));
    expect(0, "logger", sh("cd lg/site; b overview"));
    expect(0, "✓ fits", sh("b check %s/descriptions/el-16.yaml --against %s", BILANCIA_SOURCE, unit_at[6]));
    stop_unit(6);
    /* somebody else is there, with a prompt that nobody knows: what came is shown */
    expect(3, "no description matches what answers there; it says \"BOX login: \"",
           sh("echo 'printf \"BOX login: \"; sleep 20' >lg/box; p=$(echo %s | sed 's/.*://'); "
              "socat TCP-LISTEN:$p,bind=127.0.0.1,reuseaddr,fork EXEC:'sh lg/box' & s=$!; sleep 0.5; "
              "$B read %s --folder lg 2>&1; e=$?; kill $s; exit $e",
              unit_at[6], unit_at[6]));
    expect(0, NULL,
           sh("cp %s/descriptions/el-16.yaml lg/other.yaml; sed -i 's/^model: EL-16/model: EL-17/' lg/other.yaml",
              BILANCIA_SOURCE));
    expect(4, "nothing accepts a connection", sh("$B read %s --folder lg 2>&1", unit_at[6]));
    expect(2, "the port is missing", sh("b read console+tcp://127.0.0.1 2>&1"));
    expect(2, "speed, parity and stop only", sh("b read 'console+serial:/dev/ttyS0?unit=3' 2>&1"));
    expect(2, "isn't played", sh("b simulate lg/other.yaml 2>&1"));
    unsetenv("BILANCIA_PASSWORD");
    expect(0, NULL, sh("rm -r lg"));
}

/* The station over TCP and on a line: read, its channels as a table, written from the values as delivered. */
static void a_station_with_a_panel_and_a_mailbox(void **state)
{
    (void)state;
    static const char *const ways[] = {"ew-4", "ew-4 --line --speed 115200 --count 2"};
    static const char *const delivered[] = {
        "ew-4 --as-delivered --serial 440119",
        "ew-4 --as-delivered --serial 440119 --control unit7.ctl --line --speed 115200 --count 2"};
    static const char *const controls[] = {"unit7.ctl", "unit7.ctl-1"};
    setenv("BILANCIA_PASSWORD", "2604", 1);
    for (int i = 0; i < 2; i++) {
        start_unit(6, ways[i], NULL);
        start_unit(7, delivered[i], NULL);
        const char *from = unit_at[6], *to = unit_at[7];
        const char *tool = i ? "$B" : "b"; /* of a line nothing is followed up: its units can't be put back */
        expect(0, "all 109 values read with 45 requests and 2 for who answers",
               sh("rm -rf st; mkdir st; %s read '%s' --folder st", tool, from));
        expect(0, "  channel_6  150.0 ml  600 s  · 1.0310  by_conductivity  2.40 bar  6\n",
               sh("%s show st/*.bset", tool));
        assert_non_null(strstr(output, "  channel_6  true   needle\n"));
        assert_non_null(strstr(output, "  product_6  1.310 kg/l  80.0 ml/l\n"));
        assert_non_null(strstr(output, "hours.serviced    2026-03-12 09:15:00"));
        expect(0, "a simulated EW-4 with the values of the device: verified, 66 values",
               sh("%s rehearse st/*.bset '%s' --yes --as clone", tool, to));
        expect(0, "✓ verified: 66", sh("%s write st/*.bset '%s' --yes --as clone --folder st", tool, to));
        static const struct {
            const char *entry, *value;
        } says[] = {{"tank.target", "32.5"},       {"rinse.start", "1830"},    {"rinse.ways", "023e"},
                    {"channel_6.amount", "150.0"}, {"channel_6.ways", "0021"}, {"channel_6.used", "1"},
                    {"channel_6.gain", "1.0000"},  {"pump.pressure", "3.15"},  {"product_6.density", "1.310"},
                    {"panel.brightness", "65"},    {"plant.address", "1"},     {"tank.heater", "1"}};
        for (size_t k = 0; k < sizeof says / sizeof says[0]; k++) {
            char line[100];
            snprintf(line, sizeof line, "%s = %s\n", says[k].entry, says[k].value);
            expect(0, line, sh("b simulate --at %s get %s", controls[i], says[k].entry));
        }
        expect(3, "password",
               sh("BILANCIA_PASSWORD=2605 %s set '%s' tank.target=30.0 --yes --folder st 2>&1", tool, to));
        stop_unit(6);
        stop_unit(7);
    }
    /* played by its description alone, it has them, too */
    expect(0, NULL,
           sh("sed 's/^model: EW-4/model: EW-9/; s/\"1\", \"2\"/\"2\"/' %s/descriptions/ew-4.yaml >st/ew-9.yaml",
              BILANCIA_SOURCE));
    start_unit(6, "st/ew-9.yaml", NULL);
    expect(0, "all 108 values read with 45 requests and 2 for who answers",
           sh("b read '%s' --folder st --description st/ew-9.yaml", unit_at[6]));
    expect(0, "✓ verified: 3",
           sh("b set '%s' channel_4.amount=9.5 product_8.density=2.222 panel.brightness=44 --yes --prove --folder st "
              "--description st/ew-9.yaml",
              unit_at[6]));
    expect(0, "= 9.5\n", sh("b simulate --at unit6.ctl get channel_4.amount"));
    expect(0, "2.222", sh("b simulate --at unit6.ctl get product_8.density"));
    expect(0, "44", sh("b simulate --at unit6.ctl get panel.brightness"));
    /* a value that is there only in a mode goes with it, and comes with it */
    expect(0, "✓ verified: 1 value",
           sh("b set '%s' tank.heater=true --yes --prove --folder st -d st/ew-9.yaml", unit_at[6]));
    expect(0, "all 109 values", sh("mkdir st/hot; b read '%s' --folder st/hot -d st/ew-9.yaml", unit_at[6]));
    expect(0, "tank.target", sh("b show st/hot/*.bset -d st/ew-9.yaml"));
    expect(0, "✓ verified: 1 value",
           sh("b set '%s' tank.heater=false --yes --prove --folder st -d st/ew-9.yaml", unit_at[6]));
    expect(0, "all 108 values", sh("mkdir st/cold; b read '%s' --folder st/cold -d st/ew-9.yaml", unit_at[6]));
    expect(3, "tank.target is there only with another value of tank.heater",
           sh("b set '%s' tank.target=41.5 --yes --folder st -d st/ew-9.yaml 2>&1", unit_at[6]));
    expect(1, "only", sh("b compare st/hot/*.bset st/cold/*.bset -d st/ew-9.yaml"));
    assert_non_null(strstr(output, "‹ tank.target"));
    expect(0, "→ tank.target  (unknown)",
           sh("b write st/hot/*.bset '%s' --yes --folder st -d st/ew-9.yaml", unit_at[6]));
    expect(0, "= 1\n", sh("b simulate --at unit6.ctl get tank.heater"));
    stop_unit(6);
    unsetenv("BILANCIA_PASSWORD");
    /* a mode may have many values: this one is in force with the last of them */
    expect(0, NULL,
           sh("sed 's/{tank.heater: .true.}/{rinse.time: [%s, 60]}/; s/^  rinse.time: .*factory: 60/&, stage: 4/' "
              "st/ew-9.yaml >st/ew-6.yaml && mkdir st/many",
              "10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29"));
    start_unit(6, "st/ew-6.yaml", NULL);
    expect(0, "all 109 values", sh("b read '%s' --folder st/many -d st/ew-6.yaml", unit_at[6]));
    stop_unit(6);
    /* one that shows nothing without its code */
    expect(0, NULL,
           sh("sed 's/^model: EW-4/model: EW-8/; s/^  - does: hold/  - does: unlock_to_read\\n    steps:\\n"
              "      - {secret: access.enter, slot: password}\\n      - {until: access.open, value: true}\\n&/' "
              "%s/descriptions/ew-4.yaml >st/ew-8.yaml && mkdir st/shut",
              BILANCIA_SOURCE));
    expect(0, "Asks    for \"password\" before values are read", sh("b check st/ew-8.yaml"));
    start_unit(6, "st/ew-8.yaml", NULL);
    expect(3, "the device wants a password",
           sh("b read '%s' --folder st/shut -d st/ew-8.yaml 2>&1 </dev/null", unit_at[6]));
    assert_non_null(strstr(output, "Nothing was saved."));
    expect(0, "complete: all", sh("BILANCIA_PASSWORD=2604 b read '%s' --folder st/shut -d st/ew-8.yaml", unit_at[6]));
    expect(0, "✓ equal", sh("BILANCIA_PASSWORD=2604 b compare '%s' st/shut/*.bset -d st/ew-8.yaml", unit_at[6]));
    expect(3, "the device wants a password",
           sh("b compare '%s' st/shut/*.bset -d st/ew-8.yaml 2>&1 </dev/null", unit_at[6]));
    expect(0, "✓ verified: 1",
           sh("echo 2604 | b set '%s' rinse.time=77 --yes --prove --folder st -d st/ew-8.yaml --password-fd 0",
              unit_at[6]));
    expect(3, "the device wants a password",
           sh("b set '%s' rinse.time=78 --yes --prove --folder st -d st/ew-8.yaml 2>&1 </dev/null", unit_at[6]));
    expect(0, "= 0077", sh("b simulate --at unit6.ctl get rinse.time"));
    stop_unit(6);
    /* two codes, in their order or by their names: the first one alone opens nothing here */
    start_unit(6, "ew-4", NULL);
    expect(0, NULL,
           sh("sed 's/^\\( *- {secret: access.enter, slot: \\)password\\(.*\\)/\\1operator\\2\\n\\1service\\2/' "
              "%s/descriptions/ew-4.yaml >st/two.yaml",
              BILANCIA_SOURCE));
    static const struct {
        int code;
        const char *says, *with, *options;
    } secrets[] = {{0, "✓ verified", "printf '1111\\n2604\\n' |", "--password-fd 0"},
                   {3, "doesn't accept the password", "printf '2604\\n1111\\n' |", "--password-fd 0"},
                   {3, "the device wants a password", "printf '2604\\n' |", "--password-fd 0"},
                   {0, "✓ verified", "BILANCIA_PASSWORD_SERVICE=2604 BILANCIA_PASSWORD=1111", ""},
                   {3, "the device wants a password", "BILANCIA_PASSWORD_SERVISE=2604 BILANCIA_PASSWORD=2604", ""}};
    for (size_t i = 0; i < sizeof secrets / sizeof secrets[0]; i++)
        expect(secrets[i].code, secrets[i].says,
               sh("%s b set '%s' tank.target=%zu.5 --yes --prove --folder st -d st/two.yaml %s 2>&1", secrets[i].with,
                  unit_at[6], 21 + i, secrets[i].options));
    stop_unit(6);
}

static void units_of_a_line_are_told_apart(void **state)
{
    (void)state;
    start_unit(6, "ed-30 --count 3 --line --speed 115200 --control three.ctl --name a,,c --serial X-1,X-2", NULL);
    static const char *const serials[] = {"X-1", "X-2", "700002"};
    for (int i = 0; i < 3; i++) {
        char at[100];
        expect(0, NULL, sh("sed -n %dp unit6.said", i + 1));
        snprintf(at, sizeof at, "%.*s", (int)strcspn(output, "\n"), output);
        expect(0, "ok", sh("b simulate --at three.ctl-%d set limit.torque %d.0", i + 1, 71 + i));
        expect(0, serials[i], sh("b find '%s'", at));
        assert_non_null(strstr(output, i == 0 ? ", a" : i == 1 ? ", unit-2" : ", c"));
        char value[40];
        snprintf(value, sizeof value, "%d.0 %%", 71 + i);
        expect(1, value, sh("b compare factory '%s' --match limit.torque", at));
    }
    expect(0, "ok", sh("b simulate --at three.ctl-2 remember && b simulate --at three.ctl-2 set limit.torque 11"));
    expect(0, "= 71", sh("b simulate --at three.ctl-2 recall && b simulate --at three.ctl-1 get limit.torque"));
    expect(0, "= 72", sh("b simulate --at three.ctl-2 get limit.torque"));
    stop_unit(6);
    expect(2, NULL, sh("test -e three.ctl-1 || exit 2"));
}

static void wrong_calls(void **state)
{
    (void)state;
    expect(2, "Usage", sh("b"));
    expect(2, "there is no command", sh("b frobnicate"));
    expect(2, "one argument too many", sh("b show %s %s", unit_at[0], unit_at[1])); /* two where one is wanted */
    expect(6, "there is no site.json", sh("b read %s %s", unit_at[0], unit_at[1]));
    expect(2, "then one device address", sh("b write %s %s --yes", unit_at[0], unit_at[1]));
    expect(2, "then one device address", sh("b write %s %s --yes", copy, copy));
    expect(2, "2 arguments are wanted", sh("b compare %s", copy));
    expect(2, "unknown option", sh("b read --nonsense %s", unit_at[0]));
    expect(2, "names and passwords don't belong", sh("b read modbus+tcp://a:b@127.0.0.1/1"));
    expect(2, "a purpose is", sh("b write %s %s --as gift", copy, unit_at[0]));
    expect(2, "no description of this model here", sh("b simulate ed-99"));
    expect(2, "printable text", sh("b read %s --why \"$(printf 'a\\nb')\"", unit_at[0]));
    expect(6, NULL, sh("$B check %s >/dev/full", copy));
    const char *commands[] = {"read", "show", "compare", "write", "check", "simulate", "demo"};
    for (size_t i = 0; i < sizeof commands / sizeof commands[0]; i++)
        for (int asked = 0; asked < 2; asked++) {
            expect(0, "Example", sh(asked ? "b help %s" : "b %s --help", commands[i]));
            assert_null(strstr(strstr(output, "Usage") + 1, "Usage")); /* said once */
        }
    expect(0, "Exit codes", sh("b --help"));
}

static void links_that_fail(void **state)
{
    (void)state;
    unsigned before = files(".bset");
    expect(4, "nothing accepts a connection", sh("b read modbus+tcp://127.0.0.1:9/1"));
    expect(0, "ok", control(2, "silent"));
    expect(4, "doesn't answer in time", sh("b read %s", unit_at[2]));
    expect(0, "ok", control(2, "plug-in"));
    expect(0, "ok", control(2, "fault cable 6"));
    expect(5, "Nothing was saved", sh("b read %s", unit_at[2]));
    assert_int_equal(files(".bset"), before);
    expect(0, "ok", control(2, "plug-in"));
}

/* The cable is pulled in the middle of a write: the device stays held, the message says how to go on, and that works.
 */
static void a_write_that_breaks_off(void **state)
{
    (void)state;
    expect(0, "✓ complete", sh("b read %s -f .", unit_at[3]));
    expect(0, NULL, sh("ls decanter_*.bset"));
    char own[100];
    assert_int_equal(sscanf(output, "%99s", own), 1);
    expect(0, "ok", control(3, "factory-reset"));
    usleep(300000);
    expect(0, "ok", control(3, "set command.run 1"));
    expect(0, "ok", control(3, "fault cable 26"));
    expect(7, "still held", write_copy(own, 3, "mill-30", "--yes"));
    assert_non_null(strstr(output, "To finish:"));
    assert_non_null(strstr(output, "To go back:"));
    char record[300] = "";
    assert_int_equal(sscanf(strstr(output, "To go back:"), "To go back: bilancia undo %299s", record), 1);
    expect(0, "ok", control(3, "plug-in"));
    expect(0, "= 2", control(3, "get drive.state"));
    expect(0, "✓ verified", sh("echo mill-30 | b resume %s --yes --password-fd 0", record));
    assert_non_null(strstr(output, "first begun it was running; it isn't started by itself"));
    expect(0, "= 0", control(3, "get drive.state")); /* it stands: a record sets nothing to work */
    expect(0, "✓ equal", sh("b compare %s %s", own, unit_at[3]));
    expect(0, "Nothing is left to finish", sh("b resume %s", record));
    expect(0, "✓ verified",
           sh("echo mill-30 | b undo %s --yes --password-fd 0", record)); /* the way back is open, too */
    expect(1, "differ", sh("b compare %s %s", own, unit_at[3]));
}

/* ---- sets ---- */

static void sets_that_dont_fit(void **state)
{
    (void)state;
    unsigned written[UNITS];
    for (int i = 0; i < 4; i++)
        written[i] = counter(i, "write requests ");
    unsigned records = files(".brec");
    expect(3, "the copy is from model ED-30, this is model EC-8", write_copy(copy, 1, password, "--yes"));
    expect(3, "can't be compared", sh("b compare %s %s", copy, unit_at[1]));
    expect(3, "the copy is from 2.4.1, the unit has 2.4.3", write_copy(copy, 2, "mill-30", "--yes"));
    expect(3, "the copy is from serial number ED30-0417", write_copy(copy, 3, "mill-30", "--yes"));
    expect(3, "another unit", write_copy(copy, 3, "mill-30", "--yes --as restore"));
    expect(3, "the device wants a password", sh("b write %s %s --yes", copy, unit_at[0]));
    expect(3, "nobody can be asked", write_copy(copy, 0, password, ""));
    expect(0, NULL, sh("head -c 3000 %s >cut.bset; sed 's/ED30-0417/ED30-0418/' %s >altered.bset", copy, copy));
    expect(6, "cut.bset:", write_copy("cut.bset", 0, password, "--yes"));
    expect(6, "altered.bset:75: the digest", write_copy("altered.bset", 0, password, "--yes"));
    expect(6, "No such file", write_copy("nowhere.bset", 0, password, "--yes"));
    expect(6, "altered.bset:75: the digest", sh("b show altered.bset"));
    expect(6, "altered.bset:75: the digest", sh("b compare altered.bset %s", copy));
    expect(6, "cut.bset:", sh("b check %s cut.bset", copy));
    expect(6, "folder", write_copy(copy, 0, password, "--yes --folder /nowhere"));
    for (int i = 0; i < 4; i++)
        assert_int_equal(counter(i, "write requests "), written[i]);
    assert_int_equal(files(".brec"), records);
}

/* Sound files with a parameter that nobody knows, or a value that nobody may set. */
/* A description that was written from a manual, held against the device: what doesn't fit is named, with what may be
 * meant. The numbers of cells and requests are counted by hand. */
static void a_description_against_a_device(void **state)
{
    (void)state;
    expect(0, "Reads   60 values with 5 requests; who answers is asked with 1",
           sh("b check %s/descriptions/ed-30.yaml", BILANCIA_SOURCE));
    expect(0, "Across  holding 115 to 116, 132, 148 to 149\n  Unused  holding 22 to 99, 165 to 199,",
           sh("b check %s/descriptions/ed-30.yaml", BILANCIA_SOURCE));
    start_unit(7, "ed-30", NULL);
    expect(0, "✓ fits", sh("b check %s/descriptions/ed-30.yaml --against %s", BILANCIA_SOURCE, unit_at[7]));
    expect(0, NULL,
           sh("sed -e 's/at: 108, unit: kg m², limits: \\[0, 10\\]/at: 108, unit: kg m², cell_order: high_first/' "
              "-e 's/needs: \\[hold\\], factory: 0.01}/needs: [hold]}/' "
              "-e 's/{0: linear, 1: s_curve}, factory: linear/{2: linear, 3: s_curve}/' "
              "-e 's/at: 140, limits: \\[0, 1000\\], tolerance: \"0.01%%\", factory: 1}/at: 140, limits: [5, 1000]}/' "
              "-e '/^  motor.inertia/a\\  motor.nowhere: {name: Not there, type: u16, class: setup, at: 700}' "
              "%s/descriptions/ed-30.yaml >mine.yaml",
              BILANCIA_SOURCE));
    static const char *const says[] = {
        "! motor.inertia (Moment of inertia): 2.2062e-41\n      no usual number, but one with its cells in the other",
        "! motor.nowhere (Not there)\n      the device refuses",
        "! ramp.shape (Shape of the ramps): 1\n      a choice that isn't named",
        "! regulator.gain (Proportional gain): 4.35\n      the value lies outside its limits", "≠ 4 don't fit"};
    for (size_t i = 0; i < sizeof says / sizeof says[0]; i++)
        expect(1, says[i], sh("b check mine.yaml --against %s", unit_at[7]));
    expect(
        1, "another model: Esempio ED-30",
        sh("sed 's/^model: ED-30/model: ED-31/' %s/descriptions/ed-30.yaml >mine.yaml; b check mine.yaml --against %s",
           BILANCIA_SOURCE, unit_at[7]));
    stop_unit(7);
    expect(4, "What to do",
           sh("rm mine.yaml; b check %s/descriptions/ed-30.yaml --against %s", BILANCIA_SOURCE, unit_at[7]));
}

static void sets_with_wrong_values(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    char path[200], saved[STORAGE_PATH];
    snprintf(path, sizeof path, "%s/%s", folder, copy);
    loaded_copy sound;
    catalogue m = {.list = {d}, .count = 1};
    assert_int_equal(copy_load(&sound, path, &m, false), BIL_OK);
    bil_image image = sound.image;
    set_origin origin = sound.origin;
    bil_set_totals totals;
    uint16_t index = index_of(d, "motor.current");
    bil_image_put(&image, index, (const uint8_t[]){0xff, 0xff});
    assert_int_equal(set_file_save(&image, NULL, &origin, folder, "limits.bset", saved, &totals), BIL_OK);
    bil_param *params = malloc(d->count * sizeof *params);
    memcpy(params, d->params, d->count * sizeof *params);
    params[index].id = "motor.currentx";
    bil_description other = *d;
    other.params = params;
    bil_image_put(&image, index, (const uint8_t[]){0x04, 0x74});
    image.description = &other;
    assert_int_equal(set_file_save(&image, NULL, &origin, folder, "unknown.bset", saved, &totals), BIL_OK);
    free(params);
    copy_unload(&sound);
    unsigned before = counter(0, "write requests ");
    expect(3, "motor.current: the value lies outside its limits", write_copy("limits.bset", 0, password, "--yes"));
    expect(3, "motor.currentx: the description doesn't know this parameter",
           write_copy("unknown.bset", 0, password, "--yes"));
    expect(3, "limits.bset", sh("b check limits.bset"));
    assert_int_equal(counter(0, "write requests "), before);
}

static void folders_and_disks(void **state)
{
    (void)state;
    unsigned before = files("");
    unsigned written = counter(0, "write requests ");
    expect(6, "can't be written", sh("b read %s --folder /nowhere", unit_at[0]));
    expect(6, "can't be written", sh("b read %s --folder %s", unit_at[0], copy));
    expect(6, "can't be written", sh("b read %s --folder /proc", unit_at[0]));
    sh("mkdir full; (ulimit -f 0; $B read %s --folder full 2>&1; echo code $?) | cat", unit_at[0]);
    expect(0, "the disk is full", 0);
    expect(0, "code 6", 0);
    expect(0, NULL, sh("test -z \"$(ls -A full)\"")); /* nothing half-written stays behind */
    sh("(ulimit -f 0; BILANCIA_PASSWORD=%s $B write %s %s --yes --folder full 2>&1; echo code $?) | cat", "mill-30",
       copy, unit_at[0]);
    expect(0, "the disk is full", 0);
    expect(0, "code 6", 0);
    expect(0, NULL, sh("test -z \"$(ls -A full)\" && rmdir full"));
    assert_int_equal(counter(0, "write requests "), written);
    assert_int_equal(files(""), before);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(read_show_compare),
        cmocka_unit_test(write_back_with_proof),
        cmocka_unit_test(the_password_is_nowhere),
        cmocka_unit_test(examples_work),
        cmocka_unit_test(advice_fits_the_command),
        cmocka_unit_test(wrong_calls),
        cmocka_unit_test(a_model_is_played_by_its_description),
        cmocka_unit_test(one_of_each_is_written),
        cmocka_unit_test(a_station_with_a_panel_and_a_mailbox),
        cmocka_unit_test(a_logger_with_a_console),
        cmocka_unit_test(units_of_a_line_are_told_apart),
        cmocka_unit_test(links_that_fail),
        cmocka_unit_test(a_write_that_breaks_off),
        cmocka_unit_test(sets_that_dont_fit),
        cmocka_unit_test(a_description_against_a_device),
        cmocka_unit_test(sets_with_wrong_values),
        cmocka_unit_test(folders_and_disks),
    };
    return cmocka_run_group_tests_name("cli", tests, set_up, tear_down);
}
