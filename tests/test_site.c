/* A site under the tool as a process: history, baselines, sharing by git and by files, two programs at once, being
 * killed at any moment, many devices, serial lines, kits, signatures, and all that can be wrong with a site. */
#include <sys/wait.h>
#include <unistd.h>

#include "tool.h"

/* A fresh site "mill" with the drive as crusher and the controller as kneading. */
static void make_mill(void)
{
    expect(0, NULL, sh("rm -rf mill second other; b site make mill --name 'Poggio Finto' --who anna"));
    expect(0, "added", sh("b device add crusher %s --site mill --group milling", unit_at[0]));
    expect(0, "added", sh("b device add kneading %s --site mill --group milling", unit_at[1]));
}

static json_t *history(const char *site, const char *name)
{
    expect(0, NULL, sh("b history '%s' --site %s --all --json", name, site));
    return answer();
}

static int count_of(const char *site, const char *name)
{
    expect(0, NULL, sh("b history '%s' --site %s --json", name, site)); /* the newest ones; the number is that of all */
    json_t *json = answer();
    int copies = (int)json_integer_value(json_object_get(json, "copies"));
    json_decref(json);
    return copies;
}

static void turn(const char *value)
{
    expect(0, "ok", sh("b simulate --at unit0.ctl set limit.torque %s", value));
}

static void copies_have_a_history(void **state)
{
    (void)state;
    make_mill();
    expect(0, "complete", sh("cd mill && b read crusher --why first --who anna"));
    turn("95.0");
    expect(0, "complete", sh("cd mill/devices && b read crusher --who bruno")); /* from any folder of the site */
    turn("180.0");
    expect(0, "saved", sh("b read --all --site mill"));
    expect(0, "★ baseline", sh("b baseline crusher#first --site mill"));
    expect(0, "noted", sh("b note crusher#2 'the day shift turned it' --who carla --site mill"));
    json_t *json = history("mill", "crusher"), *row;
    static const struct {
        int place, before, baseline;
        const char *who;
    } rows[] = {{3, 1, 0, NULL}, {2, 1, 1, "bruno"}, {1, -1, 0, "anna"}};
    assert_int_equal(json_array_size(json_object_get(json, "history")), 3);
    for (size_t i = 0; i < 3; i++) {
        row = json_array_get(json_object_get(json, "history"), i);
        assert_int_equal(json_integer_value(json_object_get(row, "place")), rows[i].place);
        json_t *before = json_object_get(row, "differs_from_before");
        assert_int_equal(json_is_null(before) ? -1 : json_integer_value(before), rows[i].before);
        assert_int_equal(json_integer_value(json_object_get(row, "differs_from_baseline")), rows[i].baseline);
        if (rows[i].who)
            assert_string_equal(text_of(row, "who"), rows[i].who);
        assert_string_equal(text_of(row, "state"), "whole");
    }
    json_decref(json);
    expect(0, "the day shift turned it", sh("b history crusher --site mill"));
    /* nothing changed: nothing is saved, by the counter of the one and the values of the other */
    expect(0, "0 saved, 2 as before", sh("b read --all --if-changed --site mill"));
    expect(0, "its counter says that nothing changed", 0);
    expect(0, "ok", sh("b simulate --at unit1.ctl set plant.zone 120"));
    expect(0, "1 saved, 1 as before", sh("b read milling --if-changed --site mill"));
    assert_int_equal(count_of("mill", "crusher"), 3);
    /* as a site names them */
    expect(1, "limit.torque", sh("b compare crusher#2 crusher#baseline --site mill"));
    expect(0, "equal: 60 values", sh("cd mill && b compare crusher#last crusher"));
    expect(0, "serial number ED30-0417", sh("b show crusher#1 --site mill"));
    /* what is kept, and what goes */
    expect(3, "kept for good", sh("b delete crusher#1 --yes --site mill"));
    expect(3, "nobody can be asked", sh("b delete crusher#2 --site mill"));
    expect(0, "deleted", sh("b show crusher#3 --site mill | head -n 1 >three; b delete crusher#2 --yes --site mill"));
    assert_int_equal(count_of("mill", "crusher"), 2);
    expect(2, "no such copy", sh("b show crusher#2 --site mill"));
    expect(0, NULL, sh("b show crusher#3 --site mill | head -n 1 | cmp - three"));
    /* the index is never the only place of anything */
    expect(0, NULL,
           sh("b overview --json --site mill > with; b history crusher --json --site mill >> with; rm -r cache; "
              "b overview --json --site mill > without; b history crusher --json --site mill >> without; cmp with "
              "without"));
    for (int i = 0; i < 3; i++) {
        static const char *const harm[] = {"head -c 300 $i > x; mv x $i", "echo nonsense > $i",
                                           "dd if=/dev/zero of=$i bs=4096 seek=1 count=6 conv=notrunc"};
        sh("i=$(ls -t cache/bilancia/sites/*.sqlite | head -n 1); %s", harm[i]);
        sh("b overview --json --site mill");
        expect(
            0, NULL,
            sh("b overview --json --site mill > with; b history crusher --json --site mill >> with; cmp with without"));
    }
    expect(0, "sound", sh("b site check --site mill"));
}

/* Whatever is done, the index that was brought up to date says the same as one made from the files. */
static void the_index_says_what_the_files_say(void **state)
{
    (void)state;
    make_mill();
    expect(0, NULL, sh("b read --all --site mill && cp -r mill other"));
    static const char *const deeds[] = {
        "b read crusher --site mill",
        "b read kneading --site mill",
        "b read --all --if-changed --site mill",
        "b baseline crusher#last --site mill",
        "b baseline crusher#%u --site mill",
        "b note kneading#last 'round %u' --site mill",
        "b delete crusher#%u --yes --site mill",
        "b device change kneading --group g%u --site mill",
        "b simulate --at unit0.ctl set limit.torque %u.0",
        "b read crusher --site other; b baseline crusher --site other; b share other --site mill",
        "rm -f $(ls mill/devices/kneading/copies/* | tail -n 1)",
        "head -c 500 $(ls mill/devices/crusher/copies/* | tail -n 1) > mill/devices/crusher/copies/cut-%u.bset",
    };
    dice d = {11};
    for (unsigned i = 0; i < rounds(30); i++) {
        char deed[300];
        const char *deed_of = deeds[roll_below(&d, sizeof deeds / sizeof deeds[0])], *number = strstr(deed_of, "%u");
        snprintf(deed, sizeof deed, "%.*s%u%s", (int)(number ? number - deed_of : 0), deed_of, 2 + roll_below(&d, 6),
                 number ? number + 2 : "");
        if (!number)
            snprintf(deed, sizeof deed, "%s", deed_of);
        sh("%s", deed); /* some are refused */
        static const char *const say = "($B overview --json --site mill; $B history crusher --json --all --site mill; "
                                       "$B history kneading --json --all --site mill)";
        if (sh("%s > kept; rm -r cache; %s > made; cmp kept made", say, say) != 0)
            fail_msg("after \"%s\" the index says something else: %s", deed, output);
    }
}

/* Copies follow their parents, whatever the clocks said. */
static void clocks_that_jump_back(void **state)
{
    (void)state;
    make_mill();
    expect(0, NULL,
           sh("cd mill && b read crusher --why one && b read crusher --why two && b read crusher --why three"));
    /* the same with a clock that was years ahead at first: the copies are written anew with other times */
    expect(0, NULL,
           sh("cd mill/devices/crusher/copies && python3 - <<'P'\n"
              "import glob, hashlib, os, re\n"
              "files = {re.search(r'\"why\":\"(\\w+)\"', open(f).read())[1]: f for f in glob.glob('*.bset')}\n"
              "parent = ''\n"
              "for why, when in (('one', '2031-01-01T00:00:00Z'), ('two', '2026-11-02T00:00:00Z'), ('three', "
              "'2026-11-01T00:00:00Z')):\n"
              "    text = open(files[why]).read()\n"
              "    text = re.sub(r'\"when\":\"[^\"]*\"', '\"when\":\"%%s\"' %% when, text, 1)\n"
              "    text = re.sub(r'\"parent\":\"[^\"]*\"', '\"parent\":\"%%s\"' %% parent, text, 1)\n"
              "    body = text[:-68]\n"
              "    parent = hashlib.sha256(body.encode()).hexdigest()\n"
              "    os.unlink(files[why])\n"
              "    open('c-%%s.bset' %% parent[:12], 'w').write(body + parent + '\"}}\\n')\n"
              "P"));
    expect(6, "was there and is gone", sh("b site check --site mill"));
    expect(0, "sound", sh("rm -r cache; b site check --site mill"));
    json_t *json = history("mill", "crusher");
    static const char *const order[] = {"three", "two", "one"};
    for (size_t i = 0; i < 3; i++)
        assert_string_equal(text_of(json_array_get(json_object_get(json, "history"), i), "why"), order[i]);
    json_decref(json);
}

/* Two places of one site, both worked on without the other; then one again. */
static void merge(const char *by_what)
{
    make_mill();
    expect(0, NULL, sh("b read crusher --why common --site mill && b baseline crusher --site mill"));
    if (strcmp(by_what, "git") == 0)
        expect(0, NULL,
               sh("cd mill && git init -q -b main . && git config user.email a@b.c && git config user.name a && git "
                  "add -A && "
                  "git commit -qm one && cd .. && git clone -q mill other && cd other && git config user.email b@b.c "
                  "&& git config user.name b"));
    else
        expect(0, NULL, sh("cp -r mill other"));
    for (int i = 0; i < 2; i++) {
        const char *at = i ? "other" : "mill";
        expect(0, NULL, sh("b read crusher --why %s --site %s", at, at));
        expect(0, NULL, sh("b read kneading --why %s --site %s", at, at));
        expect(0, NULL, sh("b note crusher#last 'seen in %s' --site %s", at, at));
        expect(0, NULL, sh("b note crusher 'same words' --site %s --who anna", at));
        expect(0, NULL, sh("b baseline crusher#last --site %s", at));
    }
    expect(0, NULL, sh("b device add labeller-%d modbus+tcp://127.0.0.1:1/1 --site mill", 1));
    expect(0, NULL, sh("b device add labeller-%d modbus+tcp://127.0.0.1:1/2 --site other", 2));
    if (strcmp(by_what, "git") == 0)
        expect(0, NULL,
               sh("for at in mill other; do (cd $at && git add -A && git commit -qm $at); done; cd mill && "
                  "git pull -q --no-edit --no-rebase ../other main && cd ../other && git pull -q --no-edit --no-rebase "
                  "../mill main"));
    else if (strcmp(by_what, "cp") == 0)
        expect(0, NULL, sh("cp -rn mill/. other/; cp -rn other/. mill/; true"));
    else
        expect(0, "both have everything", sh("b share other --site mill"));
    for (int i = 0; i < 2; i++) {
        const char *at = i ? "other" : "mill";
        assert_int_equal(count_of(at, "crusher"), 3);
        assert_int_equal(count_of(at, "kneading"), 2);
        expect(0, "seen in mill", sh("b history crusher --site %s", at));
        expect(0, "seen in other", 0);
        expect(0, "two baselines", 0);
        expect(0, "labeller-1", sh("b overview --site %s", at));
        expect(0, "labeller-2", 0);
        expect(3, "two baselines", sh("b show crusher#baseline --site %s", at));
        expect(0, "two baselines", sh("b site check --site %s", at));
    }
    expect(0, NULL,
           sh("for at in mill other; do b history crusher --json --all --site $at | grep -v path | sed \"s# --site "
              "$at##\" > $at.said; done; cmp "
              "mill.said other.said"));
    /* somebody decides: then there is one again, wherever that comes to be known */
    expect(3, "this may be crusher#",
           sh("b show crusher#2 --site mill")); /* each place has made one: neither is meant */
    expect(0, NULL, sh("b baseline crusher#last --site mill && b share other --site mill"));
    expect(0, "Saved copy", sh("b show crusher#baseline --site other"));
    /* a record never goes on elsewhere: where its beginning was brought, the whole one comes beside it, once */
    expect(0, NULL,
           sh("mkdir -p mill/devices/crusher/records; cd mill/devices/crusher/records; seq 1 30000 > grown.brec; cd "
              "../../../..; "
              "b share other --site mill; seq 30001 60000 >> mill/devices/crusher/records/grown.brec; b share other "
              "--site mill; b share mill --site other; b share other --site mill; "
              "seq 1 30000 | cmp other/devices/crusher/records/grown.brec - && "
              "seq 1 60000 | cmp other/devices/crusher/records/grown-2.brec - && "
              "seq 1 60000 | cmp mill/devices/crusher/records/grown.brec - && "
              "[ $(ls mill/devices/crusher/records other/devices/crusher/records | grep -c brec) = 3 ]"));
    /* nor while it is being written */
    expect(0, NULL,
           sh("cd mill/devices/crusher/records; echo begun >busy.brec; flock busy.brec $B share ../../../../other; "
              "cd ../../../..; [ ! -e other/devices/crusher/records/busy.brec ] && b share other --site mill && "
              "[ -e other/devices/crusher/records/busy.brec ]"));
    /* deleted here, deleted there */
    expect(
        0, NULL,
        sh("b delete crusher#$(b history crusher --json --all --site mill | python3 -c 'import json, sys; print([c for "
           "c in json.load(sys.stdin)[\"history\"] if c[\"place\"] == 2][0][\"digest\"][:7])') --yes --site mill && "
           "b share other --site mill"));
    assert_int_equal(count_of("other", "crusher"), 2);
    assert_int_equal(count_of("mill", "crusher"), 2);
}

/* A number means one copy for good: whatever is read, deleted, taken in, thinned or brought together at two places, it
 * is that copy, or gone, or (where both gave it) refused with what it may be. */
static void numbers_stay(void **state)
{
    (void)state;
    make_mill();
    expect(0, NULL, sh("rm -rf other early; b read crusher --site mill && b share other --site mill"));
    dice d = {41};
    static char meant[2][100][65]; /* by place and number; "": not given yet */
    memset(meant, 0, sizeof meant);
    unsigned refused = 0, gone = 0, same = 0;
    /* each number: how the tool ends that is asked for it, the digest that the history has, and what it says */
    expect(0, NULL,
           sh("cat >numbers.py <<'P'\n"
              "import json, os, subprocess, sys\n"
              "def b(*words):\n"
              "    return subprocess.run([os.environ['B'], *words, '--site', sys.argv[1]], capture_output=True, "
              "text=True)\n"
              "has = {c['number']: c['digest'] for c in json.loads(b('history', 'crusher', '--json', "
              "'--all').stdout)['history']}\n"
              "for n in range(1, max(has) + 2):\n"
              "    said = b('show', f'crusher#{n}', '--group', 'limit')\n"
              "    print(n, said.returncode, has.get(n, '') if said.returncode == 0 else '-', ' "
              "'.join(said.stderr.split()))\n"
              "P"));
    for (unsigned step = 0; step < rounds(24); step++) {
        const char *at = roll_below(&d, 2) ? "mill" : "other";
        switch (roll_below(&d, 5)) {
        case 0:
            expect(0, NULL, sh("b share other --site mill"));
            break;
        case 1: /* the newest goes, so that its number is the next one to be given, if it were forgotten */
            sh("b delete crusher#last --yes --site %s", at);
            break;
        case 2:
            expect(0, NULL,
                   sh("b edit crusher#last ramp.up=%u --folder early --site %s; b take-in $(ls -t early/*.bset | head "
                      "-n 1) crusher --from elsewhere --site %s; mkdir -p early; true",
                      1 + step, at, at));
            break;
        default:
            expect(0, NULL,
                   sh("b simulate --at unit0.ctl set ramp.down %u; b read crusher --site %s", 1000 + step, at));
        }
        for (int place = 0; place < 2; place++) {
            expect(0, NULL, sh("B=$B python3 numbers.py %s >numbers.said; cat numbers.said", place ? "other" : "mill"));
            static char said[OUTPUT];
            strcpy(said, output);
            char *rest;
            for (char *line = strtok_r(said, "\n", &rest); line; line = strtok_r(NULL, "\n", &rest)) {
                int number, code;
                char digest[65] = "", *was, begin[12];
                assert_true(sscanf(line, "%d %d %64[0-9a-f]", &number, &code, digest) >= 2 && number < 100);
                was = meant[place][number];
                snprintf(begin, sizeof begin, "#%.8s", was);
                if (code == 3 && was[0]) /* what it may be has what it meant */
                    assert_non_null(strstr(line, begin));
                if (code == 0 && was[0])
                    assert_string_equal(digest, was);
                refused += code == 3 && was[0];
                gone += code == 2 && was[0];
                same += code == 0 && was[0];
                if (code == 0)
                    strcpy(was, digest);
            }
        }
    }
    /* a file that has the highest number leaves none: then a copy goes by its digest, and nothing else changes */
    expect(0, "complete",
           sh("mkdir -p mill/devices/kneading/copies; touch mill/devices/kneading/copies/x-n99999-000000000000.bset; b "
              "read "
              "kneading --site mill"));
    expect(0, "Saved copy",
           sh("cd mill; last=$(ls -t devices/kneading/copies | grep -v n99999 | head -n 1); case $last in *-n[0-9]*) "
              "exit 9;; "
              "esac; last=${last##*-}; b show kneading#${last%%%%??????.bset}"));
    expect(0, NULL, sh("rm mill/devices/kneading/copies/x-n99999*"));
    print_message("numbers: %u times the same copy, %u times gone, %u times refused\n", same, gone, refused);
    assert_true(same > 20 && gone && refused);
}

static void two_places_become_one(void **state)
{
    (void)state;
    merge("git");
    merge("cp");
    merge("share");
    expect(6, "another site", sh("b site make second && b share second --site mill"));
    expect(6, "other things", sh("mkdir -p third && touch third/x && b share third --site mill"));
}

/* Many programs at work in one site at once. */
static void nothing_is_lost(void **state)
{
    (void)state;
    make_mill();
    enum { HANDS = 6, TIMES = 8 };
    expect(0, NULL, sh("$B overview --site mill"));
    expect(0, NULL,
           sh("for hand in 1 2 3 4 5 6; do (for i in 1 2 3 4 5 6 7 8; do $B read crusher --site mill --why $hand.$i "
              ">/dev/null || echo bad; "
              "$B note crusher \"$hand.$i\" --site mill >/dev/null || echo bad; done) & done; wait"));
    if (strstr(output, "bad"))
        fail_msg("%s", output);
    assert_int_equal(count_of("mill", "crusher"), HANDS * TIMES);
    expect(0, NULL, sh("b history crusher --site mill --all"));
    for (int hand = 1; hand <= HANDS; hand++)
        for (int i = 1; i <= TIMES; i++) {
            char words[20];
            snprintf(words, sizeof words, ": %d.%d\n", hand, i);
            if (!strstr(output, words))
                fail_msg("the note %s is lost", words);
        }
    expect(0, "sound", sh("b site check --site mill"));
}

/* A read that is killed at each system call that touches the disk, in turn. */
static void killed_at_any_moment(void **state)
{
    (void)state;
    if (sh("export ASAN_OPTIONS=detect_leaks=0; strace -o /dev/null true") != 0) {
        print_message("strace isn't allowed to look at programs here\n");
        skip();
    }
    make_mill();
    expect(0, NULL, sh("b read crusher --site mill"));
    int copies = 1, at = 1, broken = 0;
    for (bool killed = true; killed; at++) {
        int code = sh(
            "export ASAN_OPTIONS=detect_leaks=0; exec strace -f -o /dev/null -e trace=%%file,%%desc "
            "-e inject=openat,creat,write,pwrite64,writev,fsync,fdatasync,link,linkat,rename,renameat,renameat2,unlink,"
            "unlinkat,mkdir,mkdirat,ftruncate:signal=KILL:when=%d %s read crusher --site mill",
            at, BILANCIA_TOOL);
        killed = code != 0;
        broken += killed;
        int now = count_of("mill", "crusher"); /* whole ones or none */
        if (now != copies && now != copies + 1)
            fail_msg("killed at call %d: %d copies where %d were", at, now, copies);
        if (!killed)
            assert_int_equal(now, copies + 1);
        copies = now;
        expect(0, "sound", sh("b site check --site mill"));
        assert_true(at < 2000);
    }
    print_message("killed at %d system calls, one after the other\n", broken);
    assert_true(broken > 20);
}

/* ---- many devices, and lines ---- */

static void sixteen_units_on_one_line(void **state)
{
    (void)state;
    start_unit(7, "ec-8 --count 16 --line --speed 115200", NULL);
    expect(0, NULL,
           sh("rm -rf line; b site make line; n=0; cat unit7.said | while read a; do n=$((n+1)); "
              "b device add kneader-$n \"$a\" --site line >/dev/null; done"));
    expect(0, "16 devices: 16 saved", sh("b read --all --site line"));
    expect(0, "16 known", sh("b find site --site line"));
    /* one owner a line: two programs take turns, and both get what they came for */
    expect(0, NULL,
           sh("line=$(head -n 1 unit7.said); ($B read --all --site line | tail -n 1) & sleep 0.3; $B read \"$line\" "
              "--folder . ; "
              "echo code $?; wait"));
    expect(0, "code 0", 0);
    expect(0, "16 saved", 0);
    expect(4, "doesn't answer in time", sh("b read \"$(head -n 1 unit7.said | sed s/unit=1/unit=99/)\" --folder ."));
    stop_unit(7);
    expect(4, "there is no such port", sh("b find 'modbus+rtu:/dev/nowhere?unit=1'"));
}

static void a_crowd_is_read_at_once(void **state)
{
    (void)state;
    start_unit(7, "ed-30 --count 40 --reply-ms 5", NULL);
    expect(0, NULL,
           sh("rm -rf crowd; b site make crowd; n=0; cat unit7.said | while read a; do n=$((n+1)); "
              "b device add \"drive $n\" $a --group crowd --site crowd >/dev/null; done"));
    expect(0, "40 saved", sh("b read --all --site crowd"));
    expect(0, "40 as before", sh("b read crowd --if-changed --site crowd"));
    stop_unit(7);
    expect(4, "40 failed", sh("b read --all --site crowd --at-once 40"));
    expect(0, "doesn't answer: 40", sh("b overview --site crowd"));
    expect(0, "\"no_answer\": 40", sh("b overview --json --site crowd"));
    expect(0, NULL, sh("b overview --html over.html --site crowd; grep -c '<svg' over.html"));
    expect(0, "40", 0);
}

static void watching(void **state)
{
    (void)state;
    make_mill();
    expect(0, NULL, sh("b read --all --site mill"));
    sh("$B watch --every 1 --rounds 3 --site mill >watched 2>&1 & sleep 0.5; b simulate --at unit1.ctl set plant.zone "
       "90; wait");
    expect(0, NULL, sh("cat watched; grep -c saved, watched"));
    assert_int_equal(count_of("mill", "kneading"), 2);
    assert_int_equal(count_of("mill", "crusher"), 1);
}

/* ---- kits, signatures ---- */

static void a_kit_is_whole_or_refused(void **state)
{
    (void)state;
    make_mill();
    expect(0, NULL,
           sh("b read crusher --site mill && b baseline crusher --site mill && echo 1234 > licence.txt && echo fw > "
              "fw.bin && rm -f kit*.zip"));
    expect(0, "read back and whole",
           sh("b kit make crusher#baseline kit.zip licence.txt --firmware fw.bin --with-tool --site mill"));
    expect(0, "texts/licence.txt", sh("b kit check kit.zip"));
    expect(0, "1234",
           sh("rm -rf out; mkdir out; cd out; python3 -m zipfile -e ../kit.zip . && cat texts/licence.txt && cmp "
              "copy.bset "
              "../mill/devices/crusher/copies/*.bset && grep 'Torque limit' sheet.txt && grep -q access.password "
              "sheet.txt"));
    expect(0, NULL, sh("b kit make crusher#baseline small.zip licence.txt --site mill"));
    char path[100];
    snprintf(path, sizeof path, "%s/small.zip", folder);
    FILE *file = fopen(path, "rb");
    static uint8_t bytes[100000];
    size_t size = fread(bytes, 1, sizeof bytes, file);
    fclose(file);
    /* a kit with one byte changed is refused, or is the same to everybody who unpacks it */
    dice d = {5};
    unsigned refused = 0, tried = rounds(60);
    for (unsigned i = 0; i < tried; i++) {
        size_t at = roll_below(&d, (uint32_t)size);
        uint8_t was = bytes[at];
        bytes[at] ^= (uint8_t)(1 + roll_below(&d, 255));
        snprintf(path, sizeof path, "%s/bad.zip", folder);
        file = fopen(path, "wb");
        fwrite(bytes, 1, size, file);
        fclose(file);
        bytes[at] = was;
        if (sh("b kit check bad.zip") == 0)
            expect(0, NULL,
                   sh("rm -rf out; mkdir out; cd out; python3 -m zipfile -e ../bad.zip . || exit 0; cmp copy.bset "
                      "../mill/devices/crusher/copies/*.bset && cmp texts/licence.txt ../licence.txt"));
        else
            refused++;
    }
    assert_true(refused > tried / 2);
    for (size_t cut = 0; cut < size; cut += size / 25)
        assert_int_equal(sh("head -c %zu small.zip > bad.zip; b kit check bad.zip", cut), 6);
    expect(0, NULL, sh("b device change crusher --storage . --site mill"));
    expect(3, "device's own disk", sh("b kit make crusher#baseline wiped.zip --site mill"));
}

static void signatures_count(void **state)
{
    (void)state;
    make_mill();
    turn("180.0");
    expect(
        0, NULL,
        sh("rm -f *.pem; b read crusher --site mill; b sign make-key anna --key anna.pem --site mill; "
           "b sign make-key bruno --key bruno.pem --site mill; b device change crusher --signed-by anna --site mill"));
    static const char write[] = "BILANCIA_PASSWORD=mill-30 b write crusher#1 crusher --yes --site mill";
    expect(3, "isn't signed by it", sh("%s", write));
    expect(0, "signed", sh("b sign crusher#1 --key bruno.pem --site mill"));
    expect(3, "isn't signed by it", sh("%s", write)); /* by somebody else */
    expect(0, "signed", sh("b sign crusher#1 --key anna.pem --site mill"));
    expect(0, "verified", sh("%s", write));
    expect(3, "another key under this name", sh("b sign make-key anna --key again.pem --site mill"));
    /* somebody slips in a key of the same name, dated before all others: then neither counts, until it is taken away */
    expect(0, NULL,
           sh("cd mill/notes && python3 - <<'P'\n"
              "import hashlib, json\n"
              "note = {'bilancia_note': 0, 'kind': 'key', 'name': 'anna', 'public': '00' * 32, 'when': "
              "'2001-01-01T00:00:00Z', 'who': 'x'}\n"
              "text = json.dumps(note, sort_keys=True, separators=(',', ':'))\n"
              "open('20010101T000000Z-%%s.json' %% hashlib.sha256(text.encode()).hexdigest()[:12], 'w').write(text)\n"
              "P"));
    expect(3, "doesn't fit", sh("%s", write));
    expect(0, NULL, sh("rm -r cache mill/notes/2001*"));
    expect(0, "already so", sh("%s", write));
    expect(3, "doesn't know this key",
           sh("openssl genpkey -algorithm ed25519 -out own.pem; b sign crusher#1 --key own.pem --site mill"));
    /* openssl itself finds the signature right */
    expect(0, "Signature Verified Successfully",
           sh("cd mill/devices/crusher && python3 - <<'P'\n"
              "import glob, json\n"
              "for f in glob.glob('notes/*.json'):\n"
              "    n = json.load(open(f))\n"
              "    if n['kind'] == 'signature' and n['key'] == 'anna':\n"
              "        open('/tmp/m.%d', 'wb').write(b'bilancia set 1\\n%%s\\nfor crusher\\nafter "
              "%%s\\n' %% (n['about'].encode(), (n['follows'] or 'none').encode()))\n"
              "        open('/tmp/s.%d', 'wb').write(bytes.fromhex(n['signature']))\n"
              "P\n"
              "openssl pkeyutl -verify -inkey ../../../anna.pem -rawin -in /tmp/m.%d -sigfile /tmp/s.%d; rm /tmp/m.%d "
              "/tmp/s.%d",
              (int)getpid(), (int)getpid(), (int)getpid(), (int)getpid(), (int)getpid(), (int)getpid()));
    /* altered, with all digests made to fit again, and the signature taken along */
    expect(0, NULL,
           sh("cd mill/devices/crusher && python3 - <<'P'\n"
              "import glob, hashlib, json, re\n"
              "f = [f for f in glob.glob('copies/*') if '\"parent\":\"\"' in open(f).read()][0]\n"
              "text = open(f).read()\n"
              "text = text.replace('\"raw\":\"0708\",\"value\":180.0', '\"raw\":\"09c4\",\"value\":250.0')\n"
              "values = hashlib.sha256(''.join('%%s %%s %%s\\n' %% m[:2] + () if 0 else '%%s %%s %%s\\n' %% (m[0], "
              "m[1], m[3]) for m in\n"
              "    "
              "re.findall(r'\"id\":\"([^\"]*)\",\"type\":\"(\\w+)\",\"class\":\"(setup|place|calibration)\",\"raw\":\"("
              "\\w+)\"', text)).encode()).hexdigest()\n"
              "text = re.sub(r'\"values_digest\":\"\\w+\"', '\"values_digest\":\"%%s\"' %% values, text)\n"
              "body = text[:-68]\n"
              "digest = hashlib.sha256(body.encode()).hexdigest()\n"
              "open('copies/altered-%%s.bset' %% digest[:12], 'w').write(body + digest + '\"}}\\n')\n"
              "for n in glob.glob('notes/*.json'):\n"
              "    note = json.load(open(n))\n"
              "    if note['kind'] == 'signature' and note['key'] == 'anna':\n"
              "        note['about'] = digest\n"
              "        text = json.dumps(note, sort_keys=True, separators=(',', ':'))\n"
              "        open('notes/20261123T000000Z-%%s.json' %% hashlib.sha256(text.encode()).hexdigest()[:12], "
              "'w').write(text)\n"
              "open('../../../altered', 'w').write(digest[:12])\n"
              "open('../../../orig', 'w').write(f[-17:-5])\n"
              "P"));
    expect(0, "sound", sh("b site check --site mill")); /* as far as digests can tell */
    expect(3, "doesn't fit", sh("BILANCIA_PASSWORD=mill-30 b write crusher#$(cat altered) crusher --yes --site mill"));
    /* who may write */
    expect(0, NULL, sh("b device change crusher --writers anna,carla --site mill"));
    expect(3, "crusher: bruno may not write to it",
           sh("BILANCIA_PASSWORD=mill-30 b write crusher#$(cat orig) crusher --yes --who bruno --site mill"));
    /* nor does he by calling himself somebody else: whom the computer knows has to be among them, too */
    expect(3, "is logged in here",
           sh("BILANCIA_PASSWORD=mill-30 b write crusher#$(cat orig) crusher --yes --who carla --site mill"));
    expect(0, NULL, sh("b device change crusher --writers $(id -un),carla --site mill"));
    expect(0, "already so",
           sh("BILANCIA_PASSWORD=mill-30 b write crusher#$(cat orig) crusher --yes --who carla --site mill"));
    /* a card says nothing that would lock everybody out, or that means two things */
    expect(2, "knows no key", sh("b device change crusher --signed-by dora --site mill"));
    expect(2, "a device is called so", sh("b device change crusher --group kneading --site mill"));
    expect(2, "a group is called so", sh("b device add milling modbus+tcp://127.0.0.1:9/1 --site mill"));
    expect(2, "means something else", sh("b device add factory modbus+tcp://127.0.0.1:9/1 --site mill"));
}

/* ---- what can be wrong ---- */

static void sites_that_are_wrong(void **state)
{
    (void)state;
    make_mill();
    expect(0, NULL, sh("b read --all --site mill"));
    expect(6, "there is no site.json", sh("b overview"));
    expect(6, "there is no site.json", sh("mkdir -p empty; b overview --site empty"));
    expect(6, "site.json", sh("mkdir -p half; head -c 20 mill/site.json > half/site.json; b overview --site half"));
    expect(2, "no such device", sh("b read nobody --site mill"));
    expect(2, "no such device", sh("b history nobody --site mill"));
    expect(2, "already", sh("b device add crusher modbus+tcp://10.0.0.1/1 --site mill"));
    expect(2, "host name", sh("b device add x modbus+tcp:///1 --site mill"));
    expect(2, "without /", sh("b device add a/b modbus+tcp://10.0.0.1/1 --site mill"));
    expect(0, "another device at this address: crusher", sh("b device add twin %s --site mill", unit_at[0]));
    expect(0, "it was moved", sh("b read twin --site mill"));
    /* names as people have them */
    expect(0, "Gramola № 2 è",
           sh("b device add 'Gramola № 2 è' %s --site mill && b read 'Gramola № 2 è' --site mill && b overview --site "
              "mill",
              unit_at[2]));
    assert_int_equal(count_of("mill", "Gramola № 2 è"), 1);
    expect(0, NULL, sh("test -d 'mill/devices/gramola-2-+'*"));
    /* another unit at the same place */
    stop_unit(2);
    start_unit(2, "ed-30 --serial ED30-0999", NULL);
    expect(0, "another unit than at the last copy",
           sh("b device change 'Gramola № 2 è' --address %s --site mill && b read 'Gramola № 2 è' --site mill",
              unit_at[2]));
    expect(0, "other unit: ED30-0999", sh("b history 'Gramola № 2 è' --site mill"));
    /* foreign files, damaged copies and notes, folders without a card */
    expect(0, NULL,
           sh("cd mill/devices && mkdir -p stray/copies && echo hello > crusher/copies/readme.txt && "
              "sed -i 's/180.0/181.0/' crusher/copies/*.bset && head -c 999 kneading/copies/*.bset > x && cat x > "
              "kneading/copies/cut.bset && rm x && "
              "for f in crusher/notes/*.json; do sed -i 's/milling/drying/' $f; done"));
    expect(0, NULL,
           sh("cd mill/devices/kneading/notes && python3 - <<'P'\n"
              "import hashlib, json\n"
              "note = {'bilancia_note': 0, 'kind': 'note', 'text': '\\033[2Jgone', 'when': '2026-01-01T00:00:00Z', "
              "'who': 'x'}\n"
              "text = json.dumps(note, sort_keys=True, separators=(',', ':'))\n"
              "open('20260101T000000Z-%%s.json' %% hashlib.sha256(text.encode()).hexdigest()[:12], 'w').write(text)\n"
              "P\n"
              "cd ../../../..; b history kneading --site mill | grep -c gone | grep -x 0"));
    expect(0, "the last copy is damaged", sh("b overview --site mill")); /* before anybody looked at it whole */
    expect(6, "readme.txt", sh("b site check --site mill"));
    expect(0, "cut or altered", sh("b site check --site mill; true"));
    expect(0, "isn't what its name says", 0);
    expect(0, "cut.bset", 0);
    expect(0, "damaged", sh("b history crusher --site mill"));
    expect(6, "altered", sh("b show crusher#1 --site mill; exit $?"));
    expect(6, "altered", sh("b baseline crusher#1 --site mill"));
    expect(6, "altered", sh("b hand-out crusher#1 . --site mill"));
    expect(0, NULL, sh("b overview --site mill"));
    /* read-only, and on a full disk */
    expect(0, "limit.torque",
           sh("b read kneading --site mill >/dev/null; cp -r mill ro; rm ro/.index*; chmod -R a-w ro; "
              "b history kneading --site ro; b show twin#1 --site ro"));
    sh("chmod -R u+w ro; rm -rf ro; before=$(find mill -type f | sort); (ulimit -f 0; $B read kneading --site mill "
       "2>&1; echo code $?; "
       "b note kneading x --site mill 2>&1; echo code $?) | cat; test \"$before\" = \"$(find mill -type f | sort)\" && "
       "echo same");
    expect(0, "the disk is full", 0);
    expect(0, "code 6", 0);
    expect(0, "same", 0);
    /* two devices of one name, added apart */
    make_mill();
    expect(0, NULL,
           sh("cp -r mill other; b device add press modbus+tcp://10.0.0.1/1 --site mill; b device add press "
              "modbus+tcp://10.0.0.2/1 --site other; "
              "b share other --site mill"));
    expect(0, "two places of the site disagree", sh("b overview --site mill"));
    expect(0, "changed", sh("b device change press --address modbus+tcp://10.0.0.1/1 --site mill"));
    expect(0, "no copy yet", sh("b overview --site mill"));
    /* a copy from elsewhere, and out again, byte for byte */
    expect(0, "taken in",
           sh("b read %s --folder . >/dev/null; mv crusher_*.bset from.bset; b take-in from.bset crusher --from 'the "
              "supplier' --site mill",
              unit_at[0]));
    expect(0, "there already", sh("b take-in from.bset crusher --site mill"));
    expect(2, "for another device: crusher", sh("b take-in from.bset press --site mill"));
    expect(0, "taken in", sh("b history crusher --site mill"));
    expect(0, NULL,
           sh("mkdir -p out; rm -f out/*; b hand-out crusher#last out --site mill && cmp from.bset out/*.bset"));
    expect(0, NULL, sh("b read kneading --site mill"));
    expect(3, "the copy is from a ED-30",
           sh("b take-in out/*.bset kneading --site mill; code=$?; sed -i s/60/61/ out/*; exit $code"));
}

static void thinning_follows_the_rule(void **state)
{
    (void)state;
    make_mill();
    /* a copy for each of the last 400 days */
    expect(0, NULL,
           sh("b read crusher --site mill >/dev/null; cd mill/devices/crusher/copies && python3 - <<'P'\n"
              "import glob, hashlib, re, datetime\n"
              "text = open(glob.glob('*.bset')[0]).read()\n"
              "now = datetime.datetime.utcnow()\n"
              "parent = ''\n"
              "for day in range(400, 0, -1):\n"
              "    when = (now - datetime.timedelta(days=day, minutes=5)).strftime('%%Y-%%m-%%dT%%H:%%M:%%SZ')\n"
              "    t = re.sub(r'\"when\":\"[^\"]*\"', '\"when\":\"%%s\"' %% when, text, 1)\n"
              "    t = re.sub(r'\"parent\":\"[^\"]*\"', '\"parent\":\"%%s\"' %% parent, t, 1)\n"
              "    body = t[:-68]\n"
              "    parent = hashlib.sha256(body.encode()).hexdigest()\n"
              "    open('c-n%%d-%%s.bset' %% (402 - day, parent[:12]), 'w').write(body + parent + '\"}}\\n')\n"
              "P"));
    assert_int_equal(count_of("mill", "crusher"), 401);
    expect(0, NULL, sh("b note crusher#201 'keep this' --site mill; b baseline crusher#151 --site mill"));
    expect(0, "would go", sh("b thin --days 30 --weeks 10 --months 5 --site mill"));
    assert_int_equal(count_of("mill", "crusher"), 401);
    expect(0, NULL, sh("b thin --days 30 --weeks 10 --months 5 --yes --site mill | tail -n 1"));
    int left = count_of("mill", "crusher");
    /* 30 days (today's counts as one more), 10 or 11 weeks, 5 or 6 months, the first, the baseline and the noted one */
    if (left < 30 + 10 + 5 + 2 || left > 31 + 11 + 6 + 3)
        fail_msg("%d copies are left", left);
    expect(0, "keep this", sh("b history crusher --all --site mill"));
    expect(0, "★", 0);
    expect(0, "0 deleted", sh("b thin --days 30 --weeks 10 --months 5 --yes --site mill"));
}

static int set_up(void **state)
{
    (void)state;
    tool_begin();
    start_unit(0, "ed-30", NULL);
    start_unit(1, "ec-8", NULL);
    start_unit(2, "ed-30 --serial ED30-0533 --name decanter", NULL);
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
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(copies_have_a_history),     cmocka_unit_test(the_index_says_what_the_files_say),
        cmocka_unit_test(clocks_that_jump_back),     cmocka_unit_test(numbers_stay),
        cmocka_unit_test(two_places_become_one),     cmocka_unit_test(nothing_is_lost),
        cmocka_unit_test(killed_at_any_moment),      cmocka_unit_test(sixteen_units_on_one_line),
        cmocka_unit_test(a_crowd_is_read_at_once),   cmocka_unit_test(watching),
        cmocka_unit_test(a_kit_is_whole_or_refused), cmocka_unit_test(signatures_count),
        cmocka_unit_test(sites_that_are_wrong),      cmocka_unit_test(thinning_follows_the_rule),
    };
    return cmocka_run_group_tests_name("site", tests, set_up, tear_down);
}
