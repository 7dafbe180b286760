/* What comes from outside is data: records, cards, links, kits, texts and clocks of other people, other users of this
 * computer, devices that answer as they like. docs/threats.md says which promise each of these keeps. */
#include <fcntl.h>
#include <pty.h>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include "host/copy/record.h"
#include "host/run/address.h"
#include "host/site/card.h"
#include "show/terminal.h"
#include "tool.h"

/* All in one build, samples in the others. */
enum { STRIDE = SAMPLING > 1 ? 4 : 1 };

static void fresh(void)
{
    expect(0, "ok", control(0, "plug-in"));
    expect(0, "ok", control(0, "set limit.torque 180.0"));
    expect(0, NULL,
           sh("rm -rf mill cache state out; mkdir out; b site make mill --name 'Poggio Finto' && "
              "b device add crusher %s --site mill && b read crusher --site mill && b baseline crusher --site mill",
              unit_at[0]));
    expect(0, "ok", control(0, "set limit.torque 95.0"));
}

static int write_baseline(const char *how)
{
    return sh("b write crusher#baseline crusher --yes --site mill %s", how);
}

/* A note as somebody else's computer would write it: `fields` is Python. */
static void plant_note(const char *at, const char *kind, const char *fields)
{
    expect(0, NULL,
           sh("python3 - <<'P'\n"
              "import glob, hashlib, json, os\n"
              "at = 'mill/%s'\n"
              "os.makedirs(at, exist_ok=True)\n"
              "note = {'bilancia_note': 0, 'kind': '%s', 'when': '2026-11-23T07:00:00Z', 'who': 'x'}\n"
              "heads = [hashlib.sha256(open(f, 'rb').read()).hexdigest() for f in glob.glob(at + '/*.json')]\n"
              "note.update(%s)\n"
              "text = json.dumps(note, sort_keys=True, separators=(',', ':'), ensure_ascii=False)\n"
              "name = '20261123T070000Z-%%s.json' %% hashlib.sha256(text.encode()).hexdigest()[:12]\n"
              "open(os.path.join(at, name), 'w').write(text)\nP",
              at, kind, fields));
}

/* ---- records ---- */

static void a_record_has_one_beginning_and_one_end(void **state)
{
    (void)state;
    fresh();
    expect(0, "verified", write_baseline(""));
    static char bytes[60000], path[200];
    expect(0, NULL, sh("cat mill/devices/crusher/records/*.brec"));
    strcpy(bytes, output);
    snprintf(path, sizeof path, "%s/x.brec", folder);
    record_story s;
    /* each of its lines once more, at each place: only a tool that never ended one would write such a thing */
    char *lines[60];
    size_t count = 0;
    for (char *at = bytes; *at; at = strchr(at, '\n') + 1)
        lines[count++] = at;
    assert_true(count > 10 && strstr(lines[count - 1], "\"event\":\"end\""));
    unsigned refused = 0;
    for (size_t which = 0; which < count; which++)
        for (size_t place = 0; place <= count; place++) {
            FILE *file = fopen(path, "w");
            for (size_t i = 0; i <= count; i++) {
                if (i == place)
                    fwrite(lines[which], 1, (size_t)(strchr(lines[which], '\n') + 1 - lines[which]), file);
                if (i < count)
                    fwrite(lines[i], 1, (size_t)(strchr(lines[i], '\n') + 1 - lines[i]), file);
            }
            fclose(file);
            int error = record_read(path, &s);
            bool intent = which == 0, end = which == count - 1, behind = place == count;
            if (intent || end || behind)
                assert_int_equal(error, BIL_E_RECORD_FORM);
            refused += error != BIL_OK;
        }
    assert_true(refused > 3 * count);
}

/* Another computer's record asks for what it likes: nothing of it happens before a person has typed who it is about. */
static void a_record_is_evidence(void **state)
{
    (void)state;
    fresh();
    expect(0, NULL, sh("b edit crusher#baseline limit.torque=250.0 --site mill --folder out; cp out/*.bset evil.bset"));
    expect(0, "ok", control(0, "fault cable 36"));
    expect(7, "still held", write_baseline(""));
    expect(0, "ok", control(0, "plug-in"));
    /* planted: it follows ours, wants another copy, sets checks aside, and says that a running machine was found */
    expect(0, NULL,
           sh("python3 - <<'P'\n"
              "import glob, hashlib, json\n"
              "ours = glob.glob('mill/devices/crusher/records/*.brec')[0]\n"
              "first = open(ours).readline()\n"
              "line = json.loads(first)\n"
              "end = open('evil.bset').read()[-68:-4]\n"
              "line.update(copy='evil.bset', copy_digest=end, found=1, who='anna', after=[hashlib.sha256(first[:-1]"
              ".encode()).hexdigest()], despite={'firmware': 'x', 'rules': 'x', 'hardware': 'x'})\n"
              "open('mill/devices/crusher/records/zz.brec', 'w').write(json.dumps(line) + '\\n' + "
              "json.dumps({'event': 'holding', 'found': 1}) + '\\n' + json.dumps({'event': 'writing'}) + '\\n')\nP"));
    unsigned before = counter(0, "values written");
    /* what this computer left unfinished goes before, and is finished by what it wanted */
    expect(0, "verified", sh("b resume crusher --yes --site mill"));
    expect(0, NULL, sh("b compare crusher#baseline crusher --class setup --site mill"));
    /* then the stranger's is the one that is open: shown, and refused */
    before = counter(0, "values written");
    expect(0, "Nothing is left to finish", sh("b resume crusher --yes --site mill")); /* ours came after it */
    static const char stranger[] = "b resume mill/devices/crusher/records/zz.brec --yes --site mill";
    expect(3, "isn't of this computer", sh("%s", stranger));
    static const char *const shown[] = {"evil.bset",         "by anna",  "serial number ED30-0417", "firmware", "rules",
                                        "Found in state  1", "left held"};
    for (size_t i = 0; i < sizeof shown / sizeof shown[0]; i++)
        if (!strstr(output, shown[i]))
            fail_msg("\"%s\" isn't shown: %s", shown[i], output);
    expect(3, "about the serial number ED30-0417", sh("%s --serial ED30-0000", stranger));
    expect(3, "about the serial number", at_terminal(100, 40, "ED30-9\n", "%s", stranger));
    assert_int_equal(counter(0, "values written"), before);
    expect(0, "ED30-0417", control(0, "get id.serial"));
    /* a new write names it, and doesn't go on with it */
    expect(0, "ok", control(0, "set limit.torque 95.0"));
    expect(
        0, NULL,
        sh("cd mill/devices/crusher/records; sed 's/\"after\":.*\\]/\"after\":[]/; s/anna/bruno/' zz.brec >yy.brec"));
    expect(3, "isn't of this computer", sh("b resume crusher --yes --site mill"));
    assert_null(strstr(output, "bilancia resume "));                      /* ours has come to its end */
    expect(3, "bilancia undo /", sh("b undo crusher --yes --site mill")); /* and can be taken back */
    expect(0, "another computer's record says", write_baseline(""));
    expect(0, "\"chain\":\"\"", sh("ls -t mill/devices/crusher/records/* | head -n 1 | xargs grep -h intent"));
    /* ours can be undone all the same, by the name that was printed */
    expect(0, "verified", sh("b undo $(ls -t mill/devices/crusher/records/* | head -n 1) --yes --site mill"));
    /* and with the person's word the stranger's passes the gate anew */
    expect(0, "verified", sh("%s --serial ED30-0417", stranger));
    expect(0, "= 250.0", control(0, "get limit.torque"));
    expect(0, "\"despite\":{}", sh("ls -t mill/devices/crusher/records/* | head -n 1 | xargs grep -h intent"));
}

/* A write that is killed when it makes its n-th file durable. */
static void kill_write(unsigned n)
{
    sh("strace -f -o /dev/null -e trace=fsync -e inject=fsync:signal=KILL:when=%u env ASAN_OPTIONS=detect_leaks=0 $B "
       "write "
       "crusher#baseline crusher --yes --site mill",
       n);
}

/* Whatever becomes of the files of the site: what this computer began is finished, and undone. */
static void what_was_begun_can_be_ended(void **state)
{
    (void)state;
    static unsigned killed_at; /* when it has written values, and stored none */
    static const char *const harm[] = {
        "rm -r mill/devices/crusher/records",
        "rm -r mill/devices/crusher/copies",
        "rm -r mill/devices",
        "for f in mill/devices/crusher/*/*; do echo x >>$f; done",
        "for f in mill/devices/crusher/*/*; do echo nonsense >$f; done",
        "for f in mill/devices/crusher/records/*; do sed -i 's/\"found\":0/\"found\":1/; s/0417/0001/' $f; done",
        ("rm -f anna.pem; b sign make-key anna --key anna.pem --site mill; b device change crusher --limit reading "
         "--writers nobody --signed-by anna --site mill"),
        "b device change crusher --address modbus+tcp://127.0.0.1:1/1 --site mill",
        "mv mill/devices/crusher mill/devices/elsewhere; ln -s elsewhere mill/devices/crusher",
        "cp -r mill/devices/crusher mill/devices/twin",
    };
    for (size_t i = 0; i < sizeof harm / sizeof harm[0]; i += STRIDE)
        for (int back = 0; back < 2; back++) {
            bool found = killed_at != 0;
            for (killed_at = found ? killed_at : 20; !found; killed_at += !found) {
                fresh();
                kill_write(killed_at);
                sh("cat mill/devices/crusher/records/*.brec");
                found = strstr(output, "\"writing\"") && !strstr(output, "\"storing\"");
                sh("b resume crusher --yes --site mill");
                assert_true(killed_at < 40);
            }
            fresh();
            expect(0, NULL,
                   sh("rm -rf before; mkdir before; b read %s --folder before; cp "
                      "mill/devices/crusher/copies/*.bset wanted.bset",
                      unit_at[0]));
            kill_write(killed_at);
            expect(0, "\"writing\"", sh("cat mill/devices/crusher/records/*.brec"));
            assert_null(strstr(output, "\"storing\""));
            expect(0, NULL, sh("ls mill/devices/crusher/records/*.brec >record; %s", harm[i]));
            int code = sh("b %s $(cat record) --yes --site mill", back ? "undo" : "resume");
            if (code != 0)
                fail_msg("%s after \"%s\": %s", back ? "undo" : "resume", harm[i], output);
            expect(0, NULL, sh("b compare %s %s --class setup", back ? "before/*.bset" : "wanted.bset", unit_at[0]));
        }
}

static void undo_where_signatures_are_demanded(void **state)
{
    (void)state;
    fresh();
    expect(0, NULL,
           sh("rm -f *.pem; b sign make-key anna --key anna.pem --site mill && b sign crusher#baseline --key anna.pem "
              "--site mill && b device change crusher --signed-by anna --site mill"));
    expect(0, "verified", write_baseline(""));
    expect(0, "verified", sh("b undo crusher --yes --site mill"));
    expect(0, "= 95.0", control(0, "get limit.torque"));
    /* the same safety copy, as a new write, isn't signed */
    expect(3, "takes only copies signed",
           sh("b write $(ls -t mill/devices/crusher/copies/* | tail -n 1 | sed 's/.*/crusher#2/') crusher --yes --site "
              "mill"));
    /* nor are single values and a reset: the same rule */
    expect(3, "takes only copies signed", sh("b set crusher limit.torque=99 --yes --site mill"));
    expect(3, "nobody signed the factory values", sh("b reset crusher --yes --site mill"));
    expect(2, "signature is wanted", sh("b set crusher limit.torque=99 --yes --despite nobody='well' --site mill"));
    expect(0, "in force", sh("b set crusher limit.torque=99 --yes --despite signature='anna is away' --site mill"));
    expect(0, "anna is away", sh("cat $(ls -t mill/devices/crusher/records/* | head -n 1)"));
    expect(0, NULL, sh("b undo crusher --yes --site mill"));
    /* a signature is for one device, and says what it comes after */
    expect(0, NULL,
           sh("b device add press %s --site mill --signed-by anna; b take-in mill/devices/crusher/copies/$(ls "
              "mill/devices/crusher/copies | head -n 1) press --site mill; true",
              unit_at[1]));
    expect(0, "for this device", sh("b sign crusher#2 --key anna.pem --site mill"));
    expect(0, "verified", sh("b write crusher#2 crusher --yes --site mill"));
    expect(0, "signed after this one was written to this device", write_baseline(""));
    expect(0, NULL,
           sh("mkdir -p mill/devices/press/notes; cp $(grep -l '\"signature\"' mill/devices/crusher/notes/*) "
              "mill/devices/press/notes; cp mill/devices/crusher/copies/* mill/devices/press/copies/ "
              "2>/dev/null || cp -r mill/devices/crusher/copies mill/devices/press/"));
    expect(3, "doesn't fit", sh("b write press#1 press --as clone --yes --site mill"));
}

/* ---- cards ---- */

static void two_cards_are_a_dispute(void **state)
{
    (void)state;
    static const char *const fields[] = {"{'name': 'crusher', 'address': '%s', 'limit': 'reading'}",
                                         "{'name': 'crusher', 'address': '%s', 'writers': ['anna']}",
                                         "{'name': 'crusher', 'address': '%s', 'signed_by': 'anna'}",
                                         "{'name': 'crusher', 'address': '%s', 'group': 'other'}",
                                         "{'name': 'crusher', 'address': '%s', 'storage': '/x'}"};
    for (size_t i = 0; i < sizeof fields / sizeof fields[0]; i++) {
        char own[300];
        fresh();
        snprintf(own, sizeof own, fields[i], unit_at[0]);
        plant_note("devices/crusher/notes", "device", own);
        unsigned before = counter(0, "values written");
        expect(3, "say different things of it", write_baseline(""));
        expect(3, "say different things", sh("b set crusher ramp.up=3.5 --yes --site mill"));
        expect(3, "say different things", sh("b reset crusher --yes --site mill"));
        assert_int_equal(counter(0, "values written"), before);
        expect(0, "complete", sh("b read crusher --site mill")); /* never stopped */
        expect(6, "say different things", sh("b site check --site mill"));
        expect(0, "verified", write_baseline("--despite card='anna is at home'"));
        expect(0, "anna is at home", sh("grep -h intent $(ls -t mill/devices/crusher/records/* | head -n 1)"));
        expect(0, "verified", sh("b undo crusher --yes --site mill"));
        expect(0, "changed", sh("b device change crusher --limit none --writers '' --signed-by '' --site mill"));
        expect(0, "verified", write_baseline(""));
    }
    /* the strictest of both counts, in each order */
    static const struct {
        const char *a, *b;
        const char *limit;
        int writers; /* -1: nobody */
    } pairs[] = {{"{}", "{\"limit\":\"trials\"}", "trials", 0},
                 {"{\"limit\":\"reading\"}", "{\"limit\":\"trials\"}", "reading", 0},
                 {"{\"writers\":[\"a\",\"b\"]}", "{\"writers\":[\"b\",\"c\"]}", NULL, 1},
                 {"{\"writers\":[\"a\"]}", "{\"writers\":[\"c\"]}", NULL, -1},
                 {"{\"writers\":[\"a\"]}", "{}", NULL, 1}};
    for (size_t i = 0; i < sizeof pairs / sizeof pairs[0]; i++)
        for (int turned = 0; turned < 2; turned++) {
            bool disputed;
            json_t *heads = json_pack("[{s:o},{s:o}]", "note", json_loads(turned ? pairs[i].b : pairs[i].a, 0, NULL),
                                      "note", json_loads(turned ? pairs[i].a : pairs[i].b, 0, NULL));
            json_t *card = card_of(heads, &disputed);
            const char *limit = json_string_value(json_object_get(card, "limit"));
            assert_true(disputed);
            assert_true(pairs[i].limit ? limit && strcmp(limit, pairs[i].limit) == 0 : !limit);
            assert_int_equal(json_array_size(json_object_get(card, "writers")),
                             pairs[i].writers > 0 ? pairs[i].writers : 0);
            assert_int_equal(json_is_true(json_object_get(card, "nobody")), pairs[i].writers < 0);
            json_decref(card);
            json_decref(heads);
        }
    char one[CARD_KEY], other[CARD_KEY];
    static const char *const alike[][2] = {
        {"Crusher", "crusher"}, {"ﬁne", "fine"}, {"Ａ１", "a1"}, {"straße", "STRASSE"}};
    for (size_t i = 0; i < sizeof alike / sizeof alike[0]; i++) {
        card_key(alike[i][0], one);
        card_key(alike[i][1], other);
        assert_string_equal(one, other);
    }
    fresh();
    plant_note("devices/zz/notes", "device", "{'name': 'CRUSHER', 'address': 'modbus+tcp://127.0.0.1:1/1'}");
    expect(3, "of the same name: devices/zz", write_baseline(""));
    plant_note("devices/zz/notes", "device",
               "{'name': 'crusher', 'address': 'modbus+tcp://127.0.0.1:1/1', 'after': heads}");
    expect(3, "say devices/crusher or devices/zz", sh("b read crusher --site mill"));
    expect(0, "complete", sh("b read devices/crusher --site mill"));
}

/* However a device is called, its card is met, and the turn is the same. */
static void a_device_is_where_and_who_it_is(void **state)
{
    (void)state;
    fresh();
    expect(0, NULL,
           sh("cp mill/devices/crusher/copies/*.bset good.bset; b device change crusher --limit reading --site mill"));
    const char *port = strrchr(unit_at[0], ':') + 1;
    char number[8], line[60];
    snprintf(number, sizeof number, "%.*s", (int)strcspn(port, "/"), port);
    static const char *const hosts[] = {"127.0.0.1",  "localhost", "LOCALHOST",
                                        "127.0.0.01", "0x7f.1",    "[::ffff:127.0.0.1]"};
    for (size_t i = 0; i < sizeof hosts / sizeof hosts[0]; i++) {
        const char *unit = strchr(port, '/') + 1;
        expect(3, "may only be read",
               sh("cd mill; b write ../good.bset modbus+tcp://%s:%s/0%s --yes", hosts[i], number, unit));
        expect(3, "may only be read",
               sh("b write good.bset modbus+tcp://%s:%s/%s --yes --folder out --site mill", hosts[i], number, unit));
        /* from elsewhere, too, when the copy lies in the site */
        expect(3, "may only be read",
               sh("b write mill/devices/crusher/copies/*.bset modbus+tcp://%s:%s/%s --yes --folder out", hosts[i],
                  number, unit));
    }
    /* and by who it is, at an address that no card has */
    expect(0, NULL, sh("b device change crusher --address modbus+tcp://127.0.0.1:1/1 --site mill"));
    expect(3, "may only be read", sh("b write good.bset %s --yes --folder out --site mill", unit_at[0]));
    static const struct {
        const char *one, *other;
        bool same;
    } places[] = {{"modbus+tcp://Mill.example/3", "modbus+tcp://mill.EXAMPLE.:502/03", true},
                  {"modbus+tcp://[::1]/3", "modbus+tcp://localhost/3", true},
                  {"modbus+tcp://[0:0::0:1]/3", "modbus+tcp://127.0.0.1/3", true},
                  {"modbus+tcp://10.0.0.1/3", "modbus+tcp://10.0.0.1/4", false},
                  {"modbus+tcp://10.0.0.1/3", "modbus+tcp://10.0.0.1:503/3", false},
                  {"modbus+rtu:/dev/null?unit=3", "modbus+rtu:/dev/../dev/./null?unit=03&speed=9600", true},
                  {"modbus+rtu:/dev/null?unit=3", "modbus+rtu:/dev/zero?unit=3", false}};
    for (size_t i = 0; i < sizeof places / sizeof places[0]; i++) {
        char one[ADDRESS_TEXT], other[ADDRESS_TEXT];
        assert_true(address_place(places[i].one, one) && address_place(places[i].other, other));
        assert_int_equal(strcmp(one, other) == 0, places[i].same);
    }
    /* one turn for all of them: it is held while somebody types */
    fresh();
    snprintf(line, sizeof line, "modbus+tcp://localhost:%s", port);
    expect(
        3, "somebody else is writing to it: root since",
        sh("mkfifo wait; (BILANCIA_PASSWORD=mill-30 b write crusher#baseline crusher --site mill --password-fd 3 "
           "3<wait "
           ">/dev/null 2>&1) & exec 4>wait; sleep 1; b write good.bset %s --yes --folder out; e=$?; exec 4>&-; wait; "
           "rm wait; exit $e",
           line));
}

/* ---- files ---- */

/* A note that can't be read, was altered, or is gone closes; and the index remembers no failure. */
static void what_cant_be_read_closes(void **state)
{
    (void)state;
    bool follows = hints_on;
    hints_on = false; /* the folder of the site is the same one all the time: only so is what is gone missed */
    static const char *const harm[] = {"echo x >>$note", ": >$note", "head -c 40 $note >y; cat y >$note", "rm $note",
                                       "rm $note; mkdir $note", "rm $note; mkfifo $note",
                                       "rm $note; ln -s /etc/passwd $note",
                                       /* of the same size, with its times as they were */
                                       "touch -r $note y; sed -i s/reading/trials_/ $note; touch -r y $note"};
    for (size_t i = 0; i < sizeof harm / sizeof harm[0]; i++) {
        fresh();
        expect(0, NULL, sh("b device change crusher --limit reading --site mill; b overview --site mill"));
        expect(
            0, NULL,
            sh("note=$(grep -l reading mill/devices/crusher/notes/*); cp $note kept; echo $note >name; %s", harm[i]));
        expect(3, "a note of it", write_baseline(""));
        expect(0, "complete", sh("b read crusher --site mill"));
        expect(6, "note", sh("b site check --site mill"));
        expect(0, NULL, sh("rm -rf $(cat name); cp kept $(cat name)"));
        expect(3, "may only be read", write_baseline(""));
    }
    /* an index that lies in the site is nobody's */
    fresh();
    expect(0, NULL,
           sh("b overview --site mill; cp cache/bilancia/sites/*.sqlite mill/.index.sqlite; b device change "
              "crusher --limit reading --site mill; rm -r cache"));
    expect(3, "may only be read", write_baseline(""));
    expect(3, "may only be read", write_baseline("")); /* with one of our own by now */
    expect(0, "doesn't belong here", sh("b site check --site mill"));
    /* another copy, whole and sound, in the place of the one that was meant */
    fresh();
    expect(0, NULL,
           sh("b edit crusher#baseline limit.torque=250.0 --site mill --folder out; f=$(ls "
              "mill/devices/crusher/copies/*); touch -r $f y; cp out/*.bset $f; touch -r y $f"));
    assert_true(write_baseline("") != 0);
    expect(0, "= 95.0", control(0, "get limit.torque"));
    /* nor does a file stand in for a copy that is called so */
    fresh();
    expect(0, NULL,
           sh("b edit crusher#baseline limit.torque=250.0 --site mill --folder out; cp out/*.bset "
              "'mill/crusher#baseline'; cp out/*.bset mill/crusher"));
    expect(0, "verified", sh("cd mill; b write crusher#baseline crusher --yes"));
    expect(0, "= 180.0", control(0, "get limit.torque"));
    hints_on = follows;
}

/* No link is followed, nothing waits for a pipe, and nothing outside is touched. */
static void links_lead_nowhere(void **state)
{
    (void)state;
    static const char *const what[] = {"copies", "notes", "records"};
    for (size_t i = 0; i < 3; i++) {
        fresh();
        expect(0, "verified", write_baseline(""));
        expect(
            0, NULL,
            sh("rm -rf elsewhere; mv mill/devices/crusher/%s elsewhere; ln -s $PWD/elsewhere "
               "mill/devices/crusher/%s; find elsewhere -type f | sort | xargs sha256sum >was; ls -lA elsewhere >>was",
               what[i], what[i]));
        static const char *const tried[] = {"read crusher",
                                            "write crusher#baseline crusher --yes",
                                            "set crusher ramp.up=3.5 --yes",
                                            "note crusher x",
                                            "baseline crusher",
                                            "device change crusher --group g",
                                            "overview",
                                            "history crusher",
                                            "site check",
                                            "thin --keep 1",
                                            "share second"};
        for (size_t k = 0; k < sizeof tried / sizeof tried[0]; k++) {
            int code = sh("timeout 20 $B %s --site mill", tried[k]);
            if (code == 124)
                fail_msg("%s waits for ever", tried[k]);
        }
        expect(0, NULL, sh("(find elsewhere -type f | sort | xargs sha256sum; ls -lA elsewhere) | cmp was -"));
        expect(6, "link", sh("$B site check --site mill")); /* nothing that it proposes works through a link */
        expect(0, NULL,
               sh("[ ! -e second ] || ! find second -name '*.bset' -newer was | grep -q elsewhere; rm -rf second"));
    }
    fresh();
    expect(
        0, NULL,
        sh("cd mill/devices/crusher; mkfifo copies/a.bset notes/a.json records/a.brec; ln -s /dev/zero copies/b.bset; "
           "ln -s /etc/passwd notes/b.json; truncate -s 1T copies/c.bset notes/c.json records/c.brec; mkdir -p "
           "../../descriptions; mkfifo ../../descriptions/a.yaml; truncate -s 1T ../../descriptions/c.yaml"));
    static const char *const tried[] = {"read crusher", "overview",     "history crusher",
                                        "site check",   "share second", "kit make crusher k.zip",
                                        "show crusher", "find site",    "take-in x.bset crusher"};
    for (size_t k = 0; k < sizeof tried / sizeof tried[0]; k++) {
        int code = sh("timeout 60 $B %s --site mill", tried[k]);
        if (code == 124 || code > 100)
            fail_msg("%s: %d", tried[k], code);
    }
    expect(0, "complete", sh("b read crusher --site mill"));
    expect(6, "a.bset", sh("b site check --site mill"));
    /* what only its owner may read isn't for more on a stick */
    fresh();
    expect(0, NULL,
           sh("chmod 600 mill/devices/crusher/copies/*; rm -rf second; b share second --site mill; "
              "[ $(stat -c %%a second/devices/crusher/copies/*.bset) = 600 ]; rm -rf second"));
}

/* One bad file is named; everything else works. */
static void one_bad_file_is_passed_over(void **state)
{
    (void)state;
    fresh();
    expect(0, NULL,
           sh("cd mill/devices/crusher/copies; f=$(ls | head -n 1); head -n -1 $f >no-end.bset; (cat $f; tail -n 1 $f) "
              ">two-ends.bset; (head -n -1 $f; head -n 1 $f) >head-last.bset; (head -n -1 $f; sed -n 5p $f) "
              ">value-last.bset; echo >empty.bset; head -c 100000 /dev/urandom >noise.bset; mkdir -p "
              "../../../descriptions; echo '{' >../../../descriptions/bad.yaml; head -c 3000 /dev/urandom "
              ">../notes/noise-000000000000.json; head -c 3000 /dev/urandom >../records/noise.brec 2>/dev/null; true"));
    static const char *const works[] = {"read crusher",    "overview",
                                        "overview --json", "history crusher --all",
                                        "show crusher#1",  "compare crusher#1 crusher",
                                        "read --all",      "find site"};
    for (size_t i = 0; i < sizeof works / sizeof works[0]; i++) {
        int code = sh("b %s --site mill", works[i]);
        if (code != 0 && code != 1)
            fail_msg("%s: exit %d: %s", works[i], code, output);
    }
    expect(0, "bad.yaml", sh("b read crusher --site mill"));
    static const char *const named[] = {"no-end", "two-ends", "head-last", "value-last", "empty", "noise", "bad.yaml"};
    expect(6, "damaged", sh("b site check --site mill"));
    for (size_t i = 0; i < sizeof named / sizeof named[0]; i++)
        if (!strstr(output, named[i]))
            fail_msg("%s isn't named: %s", named[i], output);
    /* two descriptions of one model that differ: said, decided once, part of the record */
    fresh();
    expect(0, NULL,
           sh("mkdir mill/descriptions; sed 's/limits: \\[0.0, 250.0\\]/limits: [0.0, 900.0]/' "
              "%s/descriptions/ed-30.yaml >mill/descriptions/ED-30.yaml; ! cmp -s %s/descriptions/ed-30.yaml "
              "mill/descriptions/ED-30.yaml",
              BILANCIA_SOURCE, BILANCIA_SOURCE));
    expect(0, "two descriptions that differ", sh("b read crusher --site mill"));
    expect(3, "nobody has decided", write_baseline(""));
    expect(0, "digest", sh("b check mill/descriptions/ED-30.yaml"));
    char digest[13] = "";
    snprintf(digest, sizeof digest, "%.12s", strstr(output, "digest ") + 7);
    expect(0, "decided", sh("b check --decide %s --site mill", digest));
    expect(0, "verified", write_baseline(""));
    assert_null(strstr(output, "two descriptions"));
    expect(0, digest, sh("grep -ho '\"description\":\"[0-9a-f]*' mill/devices/crusher/records/*"));
}

/* ---- kits ---- */

static void kits_are_what_they_list(void **state)
{
    (void)state;
    fresh();
    expect(0, "read back and whole", sh("b kit make crusher good.zip --site mill"));
    expect(
        0, "ok",
        sh("cat >kits.py <<'P'\n"
           "import hashlib, json, os, subprocess, zipfile\n"
           "good = zipfile.ZipFile('good.zip')\n"
           "copy = good.read('copy.bset')\n"
           "def kit(files, listed=None, kind=None):\n"
           "    entries = [{'name': n, 'bytes': len(c), 'digest': hashlib.sha256(c).hexdigest()} for n, c in files]\n"
           "    head = json.loads(good.read('kit.json'))\n"
           "    head['files'] = entries if listed is None else listed(entries)\n"
           "    with zipfile.ZipFile('bad.zip', 'w') as z:\n"
           "        z.writestr('kit.json', json.dumps(head))\n"
           "        for n, c in files:\n"
           "            info = zipfile.ZipInfo(n)\n"
           "            info.external_attr = (kind or 0o100644) << 16\n"
           "            z.writestr(info, c, zipfile.ZIP_DEFLATED)\n"
           "    return subprocess.run([os.environ['B'], 'kit', 'check', 'bad.zip'], capture_output=True).returncode\n"
           "own = [('copy.bset', copy), ('texts/a.txt', b'hello')]\n"
           "assert kit(own) == 0\n"
           "for name in ('/etc/x', '../x', 'a/../../x', 'a//b', './a', 'a/.', 'a\\\\b', 'c:x', 'a\\x1b[2J', "
           "'a\\u202eb', 'kit.json', 'x' * 400):\n"
           "    assert kit(own + [(name, b'x')]) == 6, name\n"
           "assert kit([('texts/a.txt', b'hello')]) == 6 # no copy\n"
           "assert kit(own, lambda e: e[:1]) == 6 # one that isn't listed\n"
           "assert kit(own, lambda e: e + [dict(e[1], name='b')]) == 6 # one that is missing\n"
           "assert kit(own, lambda e: [e[0], dict(e[1], bytes=3)]) == 6 # more bytes than listed\n"
           "assert kit(own, lambda e: [e[0], dict(e[1], bytes=2 ** 62)]) == 6\n"
           "assert kit(own, lambda e: [e[0], dict(e[1], bytes=-1)]) == 6\n"
           "assert kit(own, lambda e: e + [e[1]]) == 6 # twice\n"
           "assert kit(own, lambda e: 'x') == 6\n"
           "assert kit(own, kind=0o120777) == 6 # links\n"
           "bomb = [('copy.bset', copy), ('texts/a.txt', b'0' * 300000000)]\n"
           "assert kit(bomb, lambda e: [e[0], dict(e[1], bytes=5)]) == 6\n"
           "assert kit(own) == 0 # and what another program may see in the very same files\n"
           "raw = open('bad.zip', 'rb').read()\n"
           "def check(data):\n"
           "    open('bad.zip', 'wb').write(data)\n"
           "    return subprocess.run([os.environ['B'], 'kit', 'check', 'bad.zip'], capture_output=True).returncode\n"
           "assert check(raw) == 0\n"
           "assert check(raw.replace(b'texts/a.txt', b'texts/b.txt', 1)) == 6 # its name before it\n"
           "at = raw.rindex(b'texts/a.txt')\n"
           "assert check(raw[:at] + b'texts/b.txt' + raw[at + 11:]) == 6 # and in the directory\n"
           "assert check(b'x' + raw) == 6 and check(raw + b'x') == 6\n"
           "with zipfile.ZipFile('one.zip', 'w') as z:\n"
           "    z.writestr('tool/evil', b'x')\n"
           "hidden = open('one.zip', 'rb').read()\n"
           "hidden = hidden[:hidden.index(b'PK\\1\\2')]\n"
           "at, end = raw.index(b'PK\\1\\2'), len(raw) - 22\n"
           "where = (at + len(hidden)).to_bytes(4, 'little')\n"
           "assert check(raw[:at] + hidden + raw[at:end + 16] + where + raw[end + 20:]) == 6 # one in no directory\n"
           "assert check(raw[:end + 16] + (at + 46).to_bytes(4, 'little') + raw[end + 20:]) == 6\n"
           "for cut in range(0, len(raw), 97):\n"
           "    assert check(raw[:cut]) == 6, cut\n"
           "print('ok')\nP\nB=$B python3 kits.py"));
    expect(0, NULL, sh("! ls /tmp/bilancia-kit-* 2>/dev/null | grep -q ."));
    /* a model that leads out of the site brings no description along */
    expect(0, NULL,
           sh("mkdir -p mill/descriptions; echo secret >out/x.yaml; sed 's/ED-30/..\\/..\\/out\\/x/' "
              "mill/devices/crusher/copies/*.bset >t.bset; true"));
    /* a short write is noticed, and leaves nothing */
    expect(6, NULL, sh("(ulimit -f 20; $B kit make crusher short.zip --with-tool --site mill)"));
    expect(2, NULL, sh("ls short.zip"));
}

/* ---- texts ---- */

static const char *const bad_texts[] = {"\033[2Jx",
                                        "\033]0;x\007",
                                        "x\rover",
                                        "x\ny",
                                        "\xc2\x9b"
                                        "31m",
                                        "\x9b"
                                        "31m",
                                        "a\xe2\x80\xae"
                                        "b",
                                        "a\xe2\x81\xa6"
                                        "b",
                                        "\xff\xfe",
                                        "\x7f",
                                        "\xd8\x9cx",
                                        "x\xe2\x80\xa8y",
                                        "\xed\xa0\x80",
                                        "\xc0\x80",
                                        "\xf4\x90\x80\x80"};

/* Every line of it may be put onto a terminal; else the first that may not is told by its bytes. */
static void expect_harmless(const char *text, const char *where)
{
    for (const char *at = text; *at;) {
        size_t part = strcspn(at, "\n");
        static char line[OUTPUT];
        snprintf(line, sizeof line, "%.*s", (int)part, at);
        bool control = false;
        for (const unsigned char *c = (const unsigned char *)line; *c; c++)
            control = control || *c < 0x20;
        if (control || !terminal_is_clean(line)) {
            char hex[601] = "";
            for (size_t i = 0; i < 200 && line[i]; i++)
                snprintf(hex + 3 * i, 4, "%02x ", (unsigned char)line[i]);
            fail_msg("%s: at byte %zu of %zu: %.300s\n%s", where, (size_t)(at - text), strlen(text), line, hex);
        }
        at += part + (at[part] == '\n');
    }
}

static void no_text_steers_a_terminal(void **state)
{
    (void)state;
    /* every character that may not stand in a text doesn't go out either; tests/test_core_edges.c has the list */
    for (uint32_t c = 1; c <= 0x10ffff; c++) {
        char text[5];
        size_t length = utf8_of(c, text);
        if (!bil_text_is_printable(text, length))
            assert_false(terminal_is_clean(text));
    }
    fresh();
    /* in every field of every kind of file, and in what a device says */
    for (size_t i = 0; i < sizeof bad_texts / sizeof bad_texts[0]; i += STRIDE) {
        char hex[80] = "";
        for (const unsigned char *at = (const unsigned char *)bad_texts[i]; *at; at++)
            snprintf(hex + strlen(hex), 4, "%02x", *at);
        expect(
            0, NULL,
            sh("rm -rf bad cache; cp -r mill bad; X=%s python3 - <<'P'\n"
               "import glob, hashlib, json, os, re\n"
               "bad = bytes.fromhex(os.environ['X'])\n"
               "text = bad.decode('latin-1')\n"
               "def put(path, data):\n"
               "    os.makedirs(os.path.dirname(os.path.abspath(path)), exist_ok=True)\n"
               "    try: open(path, 'wb').write(data)\n"
               "    except (OSError, ValueError): pass\n"
               "def note(at, sort, **fields):\n"
               "    body = dict(bilancia_note=0, kind=sort, when='2026-11-23T07:00:00Z', who='x')\n"
               "    body.update(fields)\n"
               "    raw = json.dumps(body, sort_keys=True, separators=(',', ':')).encode().replace(b'@@', bad)\n"
               "    put('bad/%%s/notes/20261123T070000Z-%%s.json' %% (at, hashlib.sha256(raw).hexdigest()[:12]), raw)\n"
               "    raw = json.dumps(body, sort_keys=True, separators=(',', ':')).replace('@@', '') \n"
               "for key in ('who', 'when', 'kind', 'name', 'address', 'group', 'why', 'text', '@@'):\n"
               "    note('devices/crusher', 'note', **{key: 'a@@'})\n"
               "    note('devices/n%%d' %% len(key), 'device', **{'name': 'y', 'address': 'modbus+tcp://a/1', key: "
               "'a@@'})\n"
               "    note('', 'key', **{key: '@@', 'public': '00' * 32})\n"
               "for what, end in (('copies', '.bset'), ('notes', '.json'), ('records', '.brec'), ('x', '')):\n"
               "    put(b'bad/devices/crusher/' + what.encode() + b'/z' + bad.replace(b'/', b'') + end.encode(), "
               "b'x')\n"
               "put(b'bad/devices/d' + bad.replace(b'/', b'') + b'/notes/x.json', b'{}')\n"
               "put(b'bad/descriptions/' + bad.replace(b'/', b'') + b'.yaml', b'a: b')\n"
               "put('bad/descriptions/m.yaml', b'bilancia_description: 0\\nvendor: ' + bad + b'\\n' + bad + b': "
               "1\\n')\n"
               "for f in glob.glob('mill/devices/crusher/copies/*'):\n"
               "    raw = open(f, 'rb').read()\n"
               "    put('bad/devices/crusher/copies/evil.bset', raw.replace(b'Esempio', bad).replace(b'crusher', "
               "bad))\n"
               "put('bad/devices/crusher/records/evil.brec', json.dumps({'bilancia_record': 0, 'event': 'intent', "
               "'purpose': 'restore', 'who': 'a@@', 'serial': '@@', 'copy': '@@', 'model': '@@', 'address': '@@', "
               "'when': '@@', 'groups': '@@', 'chain': '@@'}).encode().replace(b'@@', bad) + b'\\n')\n"
               "put('evil.json', b'{\"bilancia_decisions\":0,\"decisions\":[{\"id\":\"a' + bad + "
               "b'\",\"wins\":\"device\"}]}')\n"
               "put('evil.csv', b'id,value\\r\\n' + bad + b',1\\r\\nlimit.torque,' + bad + b'\\r\\n')\nP",
               hex));
        static const char *const tried[] = {"overview",
                                            "overview --json",
                                            "overview --html o%u.html",
                                            "history crusher --all",
                                            "history crusher --json",
                                            "site check",
                                            "site check --json",
                                            "read --all",
                                            "show crusher",
                                            "resume crusher",
                                            "undo crusher --json",
                                            "device show crusher",
                                            "find site",
                                            "share second%u",
                                            "complete -- show ''",
                                            "settle crusher crusher --use evil.json --folder out",
                                            "edit crusher#1 --table evil.csv --folder out",
                                            "check bad/descriptions/m.yaml bad/devices/crusher/copies/evil.bset",
                                            "kit make crusher k%u.zip",
                                            "resume bad/devices/crusher/records/evil.brec",
                                            "write bad/devices/crusher/copies/evil.bset crusher --yes"};
        for (size_t k = 0; k < sizeof tried / sizeof tried[0]; k++) {
            char words[200];
            snprintf(words, sizeof words, tried[k], (unsigned)i);
            sh("cd bad; $B %s%s", words, strstr(words, "check bad") || strstr(words, "complete") ? "" : "");
            char where[300];
            snprintf(where, sizeof where, "text %zu in: %s", i, words);
            expect_harmless(output, where);
        }
        expect(0, NULL, sh("cat bad/o*.html second*/x 2>/dev/null; true"));
        expect_harmless(output, "a page");
    }
    /* what a device says */
    expect(0, "ok",
           control(0, "set bus.name \xe2\x80\xae"
                      "reppilf"));
    expect(0, NULL,
           sh("rm -rf dev; mkdir dev; cd dev; b read %s --folder . ; b show *.bset; b show *.bset --report "
              "x.html; cat x.html; b show *.bset --report x.csv; cat x.csv | tr -d '\\r'; ls; b read %s --json "
              "--folder .; b find %s",
              unit_at[0], unit_at[0], unit_at[0]));
    output[strrchr(output, '\n') ? (size_t)(strrchr(output, '\n') - output) : 0] = '\0'; /* it may be cut anywhere */
    expect_harmless(output, "what a device says");
    expect(0, "ok", control(0, "set bus.name crusher"));
    /* in one file, the two streams stand in their order: a message never falls into the middle of a character */
    expect(0, "report", sh("b show $(ls dev/*.bset | head -n 1) --report y.html 2>&1 | tail -n 1"));
    /* and what the tool itself says to a terminal, in colours, goes out as it is */
    static const char *const said[] = {"overview",
                                       "history crusher --all",
                                       "site check",
                                       "read --all",
                                       "show crusher",
                                       "find site",
                                       "find",
                                       "device show crusher",
                                       "find 127.0.0.1:1",
                                       "compare crusher#1 press",
                                       "edit x#1 y=1",
                                       "write crusher#1 press --yes",
                                       "kit make press k3",
                                       "write crusher#1 crusher --yes",
                                       "undo crusher --yes",
                                       "resume crusher --yes"};
    for (size_t i = 0; i < sizeof said / sizeof said[0]; i++) {
        int code = at_terminal(100, 50, "no\nno\nno\nno\nno\nno\nno\n", "cd mill; TERM=xterm b %s", said[i]);
        expect(code, NULL, code);
        assert_true(code >= 0 && code <= 7 && output[0]);
    }
    expect(3, "\033[1;31mrefused\033[0m: this is another unit",
           at_terminal(100, 50, "", "b write crusher#1 %s --yes --site mill", unit_at[1]));
    /* every page allows its own script by digest alone */
    expect(0, NULL,
           sh("b overview --html over.html --site mill; b show crusher#1 --report sheet.html --site mill; b compare "
              "crusher#1 crusher --report two.html --site mill; true"));
    expect(0, "3",
           sh("python3 - <<'P'\n"
              "import base64, hashlib, re\n"
              "good = 0\n"
              "for name in ('over.html', 'sheet.html', 'two.html'):\n"
              "    page = open(name).read()\n"
              "    policy = re.search(r'http-equiv=\"Content-Security-Policy\" content=\"([^\"]*)\"', page)[1]\n"
              "    assert 'unsafe' not in policy and \"default-src 'none'\" in policy, policy\n"
              "    def digest(t): return 'sha256-' + base64.b64encode(hashlib.sha256(t.encode()).digest()).decode()\n"
              "    for tag in ('script', 'style'):\n"
              "        for text in re.findall('<%%s>(.*?)</%%s>' %% (tag, tag), page, re.S):\n"
              "            assert digest(text) in policy, (name, tag)\n"
              "    assert not re.search(r' on[a-z]+=| style=', page)\n"
              "    good += 1\n"
              "print(good)\nP"));
}

static void a_readable_value_fits_or_isnt_shown(void **state)
{
    (void)state;
    fresh();
    expect(0, NULL,
           sh("python3 - <<'P'\n"
              "import glob, hashlib\n"
              "text = open(glob.glob('mill/devices/crusher/copies/*')[0]).read()\n"
              "text = text.replace('\"raw\":\"0708\",\"value\":180.0', '\"raw\":\"0708\",\"value\":18.0')\n"
              "for name, model in (('lies', 'ED-30'), ('stranger', 'XX-1')):\n"
              "    body = text.replace('ED-30', model)[:-68]\n"
              "    open(name + '.bset', 'w').write(body + hashlib.sha256(body.encode()).hexdigest() + '\"}}\\n')\nP"));
    expect(0, "180.0 (the copy says otherwise)", sh("b show lies.bset --match limit.torque"));
    assert_null(strstr(output, "18.0 %"));
    expect(0, "\"said\":\"18.0\"", sh("b compare lies.bset lies.bset --all --json"));
    expect(0, "raw 0708", sh("b show stranger.bset --match limit.torque"));
    assert_null(strstr(output, "18.0"));
    assert_true(sh("b write lies.bset %s --yes --folder out", unit_at[0]) != 0); /* and never written */
}

/* ---- the computer ---- */

static void what_the_computer_lacks_is_named(void **state)
{
    (void)state;
    fresh();
    /* streams that nobody opened: what is said goes nowhere, least of all to the device */
    static const char *const closed[] = {"<&-", ">&-", "2>&-", "<&- >&-", "<&- >&- 2>&-", ">&- 2>&-"};
    for (size_t i = 0; i < sizeof closed / sizeof closed[0]; i++) {
        expect(0, "ok", control(0, "set limit.torque 95.0"));
        sh("$B write crusher#baseline crusher --yes --site mill %s", closed[i]);
        expect(0, "= 180.0", control(0, "get limit.torque"));
        expect(0, NULL, sh("$B read crusher --site mill %s", closed[i]));
    }
    /* too few descriptors, from none at all to enough */
    unsigned named = 0;
    bool enough = false;
    for (unsigned n = 3; n < 40 && !enough; n++) {
        expect(0, "ok", control(0, "set limit.torque 95.0"));
        int code = sh("(ulimit -n %u; exec $B write crusher#baseline crusher --yes --site mill)", n);
        assert_null(strstr(output, "nothing accepts a connection"));
        named += strstr(output, "may open no more files") != NULL;
        if (code == 126 || code == 127)
            continue; /* it couldn't even be loaded */
        assert_true(code == 0 || output[0]);
        expect(0, "= ", control(0, "get limit.torque"));
        enough = code == 0;
        if (code == 7 || code == 5)
            expect(0, NULL, sh("b resume crusher --yes --site mill"));
    }
    assert_true(enough && named > 0);
    /* folders are on the disk before anything is in them */
    expect(
        0, NULL,
        sh("rm -rf state; strace -f -y -e trace=mkdirat,mkdir,fsync,linkat -o trace $B write crusher#baseline crusher "
           "--yes --site mill >/dev/null; python3 - <<'P'\n"
           "import re\n"
           "made = []\n"
           "for line in open('trace'):\n"
           "    m = re.search(r'mkdir(?:at)?\\((?:\\d+<([^>]*)>, )?\"([^\"]*)\".*= 0', line)\n"
           "    if m: made.append(m[1]); continue\n"
           "    m = re.search(r'fsync\\(\\d+<([^>]*)>\\) += 0', line)\n"
           "    if m and m[1] in made: made.remove(m[1])\n"
           "    if 'linkat(' in line: assert not made, (made, line)\n"
           "P"));
}

/* The turn holds between users and however the device is called; a stuck one is set aside by name. */
static void the_turn_is_everybodys(void **state)
{
    (void)state;
    fresh();
    if (getuid() != 0) {
        print_message("only root can be another user here\n");
        skip();
    }
    char place[ADDRESS_TEXT];
    unsetenv("BILANCIA_TURNS");
    assert_true(address_place(unit_at[0], place));
    expect(0, NULL,
           sh("cat >hold.py <<'P'\n"
              "import fcntl, hashlib, os, sys, time\n"
              "at = '/run/lock' if os.stat('/run/lock').st_mode & 0o1777 == 0o1777 else '/tmp'\n"
              "name = at + '/bilancia-turn-' + hashlib.sha256(sys.argv[1].encode()).hexdigest()[:16]\n"
              "try: os.unlink(name)\n"
              "except OSError: pass\n"
              "os.setgid(65534); os.setuid(65534)\n"
              "mode = sys.argv[2]\n"
              "if mode == 'hold':\n"
              "    fd = os.open(name, os.O_RDWR | os.O_CREAT, 0o666)\n"
              "    os.write(fd, b'somebody \\x1b[2J\\n')\n"
              "    fcntl.flock(fd, fcntl.LOCK_EX)\n"
              "elif mode == 'link': os.symlink('/etc/passwd', name)\n"
              "elif mode == 'pipe': os.mkfifo(name)\n"
              "elif mode == 'left': os.close(os.open(name, os.O_RDWR | os.O_CREAT, 0o644))\n"
              "print('ready', flush=True)\n"
              "time.sleep(600)\nP"));
    static const struct {
        const char *how;
        int code;
        const char *says;
    } ways[] = {{"hold", 3, "somebody else is writing to it: it isn't known who"},
                {"link", 3, "can't be told"},
                {"pipe", 3, "can't be told"},
                {"left", 0, "verified"}}; /* another user's file, and nobody holds it */
    for (size_t i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        int got = sh("rm -f held; python3 hold.py '%s' %s >held & p=$!; while ! grep -qs ready held; do sleep 0.05; "
                     "done; timeout 60 $B "
                     "write crusher#baseline crusher --yes --site mill; e=$?; kill $p; exit $e",
                     place, ways[i].how);
        expect(ways[i].code, ways[i].says, got);
        expect_harmless(output, ways[i].how);
    }
    expect(
        0, "verified",
        sh("rm -f held; python3 hold.py '%s' hold >held & p=$!; while ! grep -qs ready held; do sleep 0.05; done; b "
           "write "
           "crusher#baseline crusher --yes --site mill --despite turn='it hangs since monday'; e=$?; kill $p; exit $e",
           place));
    expect(0, "it hangs since monday", sh("grep -h intent $(ls -t mill/devices/crusher/records/* | head -n 1)"));
    expect(
        0, NULL,
        sh("python3 -c \"import hashlib,os;n='bilancia-turn-'+hashlib.sha256(b'%s').hexdigest()[:16];[os.unlink(d+n) "
           "for d in ('/run/lock/','/tmp/') if os.path.lexists(d+n)]\"",
           place));
    setenv("BILANCIA_TURNS", folder, 1);
}

/* Whoever answers drop by drop, or always the question before, takes no longer than what was promised. */
static void every_wait_has_an_end(void **state)
{
    (void)state;
    static const char *const ways[] = {"drip", "older", "half", "flood"};
    for (size_t i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        expect(0, NULL,
               sh("cat >slow.py <<'P'\n"
                  "import socket, struct, sys, threading, time\n"
                  "def serve(c, how):\n"
                  "    try:\n"
                  "        while True:\n"
                  "            q = c.recv(300)\n"
                  "            if not q: return\n"
                  "            n = struct.unpack('>H', q[10:12])[0]\n"
                  "            body = bytes([q[6], q[7], 2 * n]) + bytes(2 * n)\n"
                  "            a = q[:4] + struct.pack('>H', len(body)) + body\n"
                  "            if how == 'drip':\n"
                  "                for k in range(len(a)): c.send(a[k:k + 1]); time.sleep(0.45)\n"
                  "            elif how == 'half': c.send(a[:9]); time.sleep(1000)\n"
                  "            else:\n"
                  "                for k in range(100000):\n"
                  "                    c.send(struct.pack('>H', (k + 77) %% 60000) + a[2:])\n"
                  "                    time.sleep(0.2 if how == 'older' else 0)\n"
                  "    except OSError: pass\n"
                  "s = socket.socket()\n"
                  "s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)\n"
                  "s.bind(('127.0.0.1', 0))\n"
                  "s.listen(50)\n"
                  "print('modbus+tcp://127.0.0.1:%%d' %% s.getsockname()[1], flush=True)\n"
                  "while True:\n"
                  "    c, _ = s.accept()\n"
                  "    threading.Thread(target=serve, args=(c, sys.argv[1]), daemon=True).start()\nP\n"
                  "python3 slow.py %s >slow.said & echo $! >slow.pid; while [ ! -s slow.said ]; do sleep 0.05; done",
                  ways[i]));
        int read = sh("timeout 60 $B read $(cat slow.said)/1 --folder out");
        int found = sh("timeout 15 $B find $(cat slow.said)/1-3");
        sh("kill $(cat slow.pid)");
        if (read == 124 || found == 124 || read == 0)
            fail_msg("%s: read %d, find %d: %s", ways[i], read, found, output);
    }
}

static void twice_is_two(void **state)
{
    (void)state;
    fresh();
    expect(
        0, NULL,
        sh("for i in 1 2 3 4; do b note crusher same --who anna --site mill >/dev/null; done; for i in 1 2 3 4; do b "
           "read crusher --who anna --why same --site mill >/dev/null & done; wait"));
    expect(0, "sound", sh("b site check --site mill"));
    expect(0, "4", sh("grep -l '\"text\":\"same\"' mill/devices/crusher/notes/* | wc -l"));
    expect(0, "5", sh("ls mill/devices/crusher/copies | wc -l"));
    expect(0, "\"copies\": 5", sh("b history crusher --json --site mill"));
}

/* However the prompt ends, the terminal shows again what is typed. */
static void echo_comes_back(void **state)
{
    (void)state;
    fresh();
    static const char *const keys[] = {"\003", "\034", "\004", "\032", "wrong\n"};
    for (size_t i = 0; i < sizeof keys / sizeof keys[0]; i++) {
        struct winsize size = {.ws_row = 40, .ws_col = 100};
        struct termios before, after;
        char site[100];
        int master;
        snprintf(site, sizeof site, "%s/mill", folder);
        pid_t child = forkpty(&master, NULL, NULL, &size);
        if (child == 0) {
            unsetenv("BILANCIA_PASSWORD");
            execl(BILANCIA_TOOL, "bilancia", "write", "crusher#baseline", "crusher", "--yes", "--site", site,
                  (char *)NULL);
            _exit(127);
        }
        wait_for(master, "Password of the device");
        assert_int_equal(tcgetattr(master, &before), 0);
        assert_false(before.c_lflag & ECHO);
        type_at(master, keys[i]);
        int status;
        assert_int_equal(waitpid(child, &status, WUNTRACED), child);
        assert_int_equal(tcgetattr(master, &after), 0);
        assert_true(after.c_lflag & ECHO);
        if (WIFSTOPPED(status)) {
            kill(child, SIGKILL);
            waitpid(child, &status, 0);
        }
        close(master);
    }
#ifndef __SANITIZE_ADDRESS__ /* its search for leaks needs what this forbids */
    /* and no picture of its memory goes to a disk */
    expect(0, "PR_SET_DUMPABLE, SUID_DUMP_DISABLE",
           sh("strace -e trace=prctl -o trace $B --version >/dev/null; cat trace"));
    expect(0, "mlock",
           sh("strace -f -e trace=mlock -o trace $B write crusher#baseline crusher --yes --site mill "
              ">/dev/null; cat trace"));
#endif
}

static int begin(void **state)
{
    (void)state;
    setenv("BILANCIA_PASSWORD", "mill-30", 1);
    tool_begin();
    start_unit(0, "ed-30 --name crusher --serial ED30-0417", NULL);
    start_unit(1, "ed-30 --name press --serial ED30-0500", NULL);
    return 0;
}

static int end(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

int main(int argc, char **argv)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_record_has_one_beginning_and_one_end),
        cmocka_unit_test(a_record_is_evidence),
        cmocka_unit_test(what_was_begun_can_be_ended),
        cmocka_unit_test(undo_where_signatures_are_demanded),
        cmocka_unit_test(two_cards_are_a_dispute),
        cmocka_unit_test(a_device_is_where_and_who_it_is),
        cmocka_unit_test(what_cant_be_read_closes),
        cmocka_unit_test(links_lead_nowhere),
        cmocka_unit_test(one_bad_file_is_passed_over),
        cmocka_unit_test(kits_are_what_they_list),
        cmocka_unit_test(no_text_steers_a_terminal),
        cmocka_unit_test(a_readable_value_fits_or_isnt_shown),
        cmocka_unit_test(what_the_computer_lacks_is_named),
        cmocka_unit_test(the_turn_is_everybodys),
        cmocka_unit_test(every_wait_has_an_end),
        cmocka_unit_test(twice_is_two),
        cmocka_unit_test(echo_comes_back),
    };
    if (argc > 1)
        cmocka_set_test_filter(argv[1]);
    return cmocka_run_group_tests_name("outside", tests, begin, end);
}
