/* Scenes as a person in a hurry types them, each with what comes back: docs/scenes is made by this test (UPDATE=1), and
 * the test fails where the tool says something else. They build on each other: one site, two drives, one day. */
#include "tool.h"

#include <unistd.h>

typedef struct scene {
    const char *title; /* NULL: only something that happens between two scenes */
    const char *types; /* @0 and @1 are the addresses of the two drives */
} scene;

static const scene first_day[] = {
    {"A command is mistyped", "bilancia raed crusher"},
    {"A name is used where there is no site", "cd ..; bilancia read crusher"},
    {"An address is mistyped", "bilancia device add crusher modbus+tcp:127.0.0.1/1"},
    {"Who answers there?", "bilancia find @0 @1"},
    {"The first device", "bilancia device add crusher @0"},
    {"The same once more", "bilancia device add crusher @0"},
    {"A name with a blank", "bilancia device add 'press 2' @1 --group pressing"},
    {"A name that a group has", "bilancia device add pressing modbus+tcp://127.0.0.1:9/9"},
    {"A name that means something else", "bilancia device add factory modbus+tcp://127.0.0.1:9/9"},
    {"Its name is mistyped", "bilancia read crushr"},
    {"The first copy", "bilancia read crusher"},
    {"A group is read", "bilancia read pressing"},
    {"All of them, and nothing has changed", "bilancia read --all --if-changed | sort"},
    {"Where does the plant stand?", "bilancia overview"},
    {"This is how it should be", "bilancia baseline crusher"},
    {"This is how it should be, said fully", "bilancia baseline crusher#last"},
    {"What has happened to it?", "bilancia history crusher"},
};

static const scene looking[] = {
    {NULL, "b simulate --at ../unit0.ctl set limit.torque 95.0 && b simulate --at ../unit0.ctl set ramp.up 3.5"},
    {"What did somebody change?", "bilancia compare crusher#baseline crusher"},
    {"Only some of it, mistyped", "bilancia compare crusher#baseline crusher --group limits"},
    {"Only some of it", "bilancia compare crusher#baseline crusher --group limit --all"},
    {"The values of a copy", "bilancia show crusher#last --group limit"},
    {"A device instead of a copy", "bilancia show crusher"},
    {"A copy that there isn't", "bilancia show crusher#9"},
    {"What differs from delivery?", "bilancia compare factory crusher#last --group limit"},
    {"Two drives beside each other", "bilancia compare crusher#last 'press 2#last' --safety"},
    {"A class that there isn't", "bilancia compare crusher#last crusher --class set-up"},
    {"A report with a wrong ending", "bilancia compare crusher#last crusher --report crusher.pdf"},
};

static const scene changing[] = {
    {"A value outside its limits", "bilancia edit crusher#last limit.torque=1200"},
    {"A name is mistyped", "bilancia edit crusher#last limit.tork=120"},
    {"A comma for a point", "bilancia edit crusher#last limit.torque=12,5"},
    {"A choice that there isn't", "bilancia edit crusher#last ramp.shape=s-curve"},
    {"What belongs to the unit", "bilancia edit crusher#last id.serial=ED30-0001"},
    {"A change with no device there", "bilancia edit crusher#last limit.torque=120 --why 'softer start'"},
    {"A settings sheet goes out and comes back", "bilancia show crusher#1 --report sheet.csv >/dev/null; sed -i "
                                                 "'s/^\\(limit.torque,.*,\\)[0-9.]*\\(,[0-9a-f]*\\r\\)$/\\1130.0\\2/' "
                                                 "sheet.csv; bilancia edit crusher#1 --values sheet.csv"},
    {"What counts? Nobody says", "bilancia settle crusher#baseline crusher </dev/null"},
    {"What counts? The device", "bilancia settle crusher#baseline crusher --device-wins"},
};

static const scene writing[] = {
    {"Nobody can be asked", "bilancia write crusher#baseline crusher </dev/null"},
    {"No password", "bilancia write crusher#baseline crusher --yes </dev/null"},
    {"An option is mistyped", "bilancia write crusher#baseline crusher --yess"},
    {"The other way round", "bilancia write crusher crusher#baseline"},
    {"The wrong unit", "bilancia write crusher#baseline 'press 2' --yes"},
    {"Nobody answers there", "bilancia write crusher#baseline modbus+tcp://127.0.0.1:9/1 --yes"},
    {"As it should be", "echo mill-30 | bilancia write crusher#baseline crusher --yes --password-fd 0"},
    {"As it should be, once more", "echo mill-30 | bilancia write crusher#baseline crusher --yes --password-fd 0"},
    {"One value, at once",
     "echo mill-30 | bilancia set crusher limit.torque=140 --yes --why 'less noise' --password-fd 0"},
    {"And back", "echo mill-30 | bilancia undo crusher --yes --password-fd 0"},
    {"Something is tried", "echo mill-30 | bilancia set crusher ramp.up=4 --trial --yes --password-fd 0"},
    {"The next shift looks", "bilancia overview"},
    {"It stays", "echo mill-30 | bilancia keep crusher --yes --password-fd 0"},
    {NULL,
     "b simulate --at ../unit0.ctl set motor.cos_phi 0.7 && b simulate --at ../unit0.ctl fault refuse motor.cos_phi"},
    {"It breaks off", "echo mill-30 | bilancia write crusher#baseline crusher --yes --password-fd 0"},
    {"The next shift looks again", "bilancia overview"},
    {NULL, "b simulate --at ../unit0.ctl plug-in"},
    {"It is finished", "echo mill-30 | bilancia resume crusher --yes --password-fd 0"},
    {"Who has tried the machine?", "bilancia tried crusher </dev/null"},
    {"Another copy, not written yet", "bilancia write crusher#2 crusher </dev/null"},
    {"A reset, and nobody to be asked", "bilancia reset crusher </dev/null"},
};

static const scene keeping[] = {
    {"Is the site sound?", "bilancia site check"},
    {"The first copy stays", "bilancia delete crusher#1 --yes"},
    {"A note", "bilancia note crusher 'bearing changed'"},
    {"A name for a copy", "bilancia name crusher#1 as-accepted"},
    {"All that a rebuild needs", "bilancia kit make crusher#baseline crusher.zip"},
    {"Is it whole?", "bilancia kit check crusher.zip"},
    {"A key that nobody knows", "bilancia device change crusher --signed-by carla"},
    {"To the stick", "bilancia share ../stick"},
    {"What would go?", "bilancia thin --days 30 --weeks 10 --months 12"},
    {"The whole story", "bilancia history crusher"},
};

static const struct {
    const char *file, *title;
    const scene *scenes;
    size_t count;
} acts[] = {
#define ACT(file, title, list)                                                                                         \
    {                                                                                                                  \
        file, title, list, sizeof list / sizeof list[0]                                                                \
    }
    ACT("1-first-day", "The first day", first_day), ACT("2-looking", "Looking", looking),
    ACT("3-changing", "Changing with no device there", changing), ACT("4-writing", "Writing", writing),
    ACT("5-keeping", "Keeping", keeping)};

/* What is another one each time: folders, ports, moments, digests, and who runs the test. */
static const char normal[] =
    "s#/tmp/bilancia-[A-Za-z-]*[A-Za-z0-9]\\{6\\}#~#g; s#127.0.0.1:[0-9]\\{4,5\\}#127.0.0.1:5020#g; "
    "s/[0-9]\\{8\\}-[0-9]\\{6\\}/20261123-071500/g; s/20[0-9-]\\{8\\}T[0-9:]\\{5,8\\}Z*/2026-11-23T07:15:00Z/g; "
    "s/20[0-9][0-9]-[0-9][0-9]-[0-9][0-9] [0-9:]\\{5\\}/2026-11-23 07:15/g; "
    "s/20[0-9][0-9]-[0-9][0-9]-[0-9][0-9]/2026-11-23/g; "
    "s/[0-9][0-9] \\(second\\|minute\\)s ago/a moment ago@@/g; s/[02-9] \\(second\\|minute\\)s ago/a moment ago@/g; "
    "s/1 \\(second\\|minute\\) ago/a moment ago/g; :a; s/@\\(@*  \\)/ \\1/; ta; s/@//g; " /* in a column: as wide */
    "s/[0-9a-f]\\{64\\}/4be0a1.../g; "
    "s/-[0-9a-f]\\{12\\}\\./-4be0a1c2d3f4./g; s/#[0-9a-f]\\{8\\}\\b/#4be0a1c2/g; s/^ *[0-9]\\{4,\\}  "
    "\\(copy\\|sheet\\)\\./          8192  \\1./";

static void play(FILE *file, const scene *s, unsigned number)
{
    char typed[1000], line[300];
    snprintf(typed, sizeof typed, "%s", s->types);
    for (int unit = 0; unit < 2; unit++)
        for (char *at; (at = strstr(typed, unit ? "@1" : "@0"));) {
            char rest[1000];
            snprintf(rest, sizeof rest, "%s", at + 2);
            snprintf(at, sizeof typed - (size_t)(at - typed), "%s%s", unit_at[unit], rest);
        }
    int code = sh("bilancia() { b \"$@\"; }; cd mill; %s", typed);
    if (!s->title) {
        assert_int_equal(code, 0);
        return;
    }
    snprintf(line, sizeof line, "%s/raw", folder);
    FILE *raw = fopen(line, "w");
    assert_non_null(raw);
    fprintf(raw, "%u. %s\n\n    $ %s\n", number, s->title, typed);
    for (const char *at = output; *at;) {
        size_t length = strcspn(at, "\n");
        fprintf(raw, "%s%.*s\n", length ? "    " : "", (int)length, at);
        at += length + (at[length] == '\n');
    }
    if (code)
        fprintf(raw, "    [exit %d]\n", code);
    fputc('\n', raw);
    fclose(raw);
    assert_int_equal(sh("sed \"%s; s/\\b$(id -un)\\b/anna/g\" raw", normal), 0);
    fputs(output, file);
}

static void as_they_are_written_down(void **state)
{
    (void)state;
    unsigned number = 0;
    for (size_t i = 0; i < sizeof acts / sizeof acts[0]; i++) {
        char path[300];
        if (getenv("UPDATE"))
            snprintf(path, sizeof path, BILANCIA_SOURCE "/docs/scenes/%s.txt", acts[i].file);
        else
            snprintf(path, sizeof path, "%s/unit-%s.txt", folder, acts[i].file); /* stays where hints are followed */
        FILE *file = fopen(path, "w");
        assert_non_null(file);
        fprintf(file, "%s\n\n", acts[i].title);
        for (size_t k = 0; k < acts[i].count; k++) {
            number += acts[i].scenes[k].title != NULL;
            play(file, &acts[i].scenes[k], number);
        }
        fclose(file);
        if (!getenv("UPDATE") &&
            sh("diff -u " BILANCIA_SOURCE "/docs/scenes/%s.txt unit-%s.txt", acts[i].file, acts[i].file) != 0)
            fail_msg("docs/scenes says otherwise (UPDATE=1 makes it anew):\n%s", output);
    }
    print_message("%u scenes\n", number);
    assert_true(number >= 50);
}

static int set_up(void **state)
{
    (void)state;
    tool_begin();
    /* slow enough that no tenth of an hour passes, however busy the computer is */
    start_unit(0, "ed-30 --name crusher --serial ED30-0417 --time-factor 10", NULL);
    start_unit(1, "ed-30 --name press --serial ED30-0002 --time-factor 10", NULL);
    unsetenv("BILANCIA_PASSWORD");
    expect(0, NULL, sh("b site make mill --name 'Poggio Finto'"));
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(as_they_are_written_down)};
    return cmocka_run_group_tests_name("scenes", tests, set_up, tear_down);
}
