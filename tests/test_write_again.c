/* After a write that broke off: resume completes and undo goes back, whichever is picked, however often it breaks. */
#include <unistd.h>

#include "host/copy/record.h"
#include "tool.h"

#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>

static int begin(void **state)
{
    (void)state;
    tool_begin();
    start_unit(0, "ed-30 --name crusher --serial ED30-0417", NULL);
    expect(0, NULL, sh("b site make mill --name 'Poggio Finto' && b device add crusher %s --site mill", unit_at[0]));
    expect(0, NULL, sh("b read crusher --site mill --why good && b baseline crusher --site mill"));
    return 0;
}

static int end(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

static int write_baseline(const char *how)
{
    return sh("echo mill-30 | %s b write crusher#baseline crusher --yes --password-fd 0 --site mill", how);
}

static int again(const char *which, const char *how)
{
    return sh("echo mill-30 | %s b %s crusher --yes --password-fd 0 --site mill", how, which);
}

/* Values as somebody left them, other than in the baseline; the drive runs. */
static void disturb(void)
{
    static const char *const words[] = {"plug-in",          "set limit.torque 95.0", "set drive.mode 0",
                                        "set ramp.up 3.5",  "set watch.mask 0",      "set speed.maximum 900.0",
                                        "set command.run 1"};
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++)
        expect(0, "ok", control(0, words[i]));
    expect(0, NULL, sh("rm -rf before; mkdir before; b read %s --folder before", unit_at[0]));
}

static bool is_as(const char *copy)
{
    int code = sh("b compare %s crusher --class setup --site mill", copy);
    assert_true(code == 0 || code == 1);
    return code == 0;
}

/* Whoever stopped it, nothing starts it but a person. */
static bool stands(void)
{
    expect(0, "ok", control(0, "get drive.state"));
    return strstr(output, "= 0") != NULL;
}

static record_story newest(void)
{
    char records[200];
    record_story s;
    snprintf(records, sizeof records, "%s/mill/devices/crusher/records", folder);
    story_newest(records, NULL, NULL, NULL, false, &s); /* empty where there is none */
    return s;
}

/* Whatever happened: both ways lead to an end, and the drive stands. */
static void both_ways_lead_on(dice *d)
{
    bool back = roll_below(d, 2);
    const char *way = back ? "undo" : "resume";
    record_story s = newest();
    expect(0, NULL, control(0, "plug-in"));
    bool nothing = s.finished && !back;
    if (back && s.settled && !s.wrote)
        return; /* nothing came of it; undo would go back to before an older write */
    int code =
        sh("echo mill-30 | b %s crusher --yes --despite at-work='it is watched' --password-fd 0 --site mill", way);
    if (code != 0)
        fail_msg("%s after %s: exit %d: %s", way, s.verdict[0] ? s.verdict : "a break", code, output);
    if (nothing)
        return;
    /* a machine that stood meanwhile, because it was restarted, isn't started again, and that is said */
    bool said = strstr(output, "first begun it was running") || strstr(output, "it goes on working");
    static char last[OUTPUT];
    strcpy(last, output);
    if (!stands() && !said)
        fail_msg("%s: the drive is %s after: %s", way, output, last);
    if (!is_as(back ? "before/*.bset" : "crusher#baseline"))
        fail_msg("%s: %s after: %s", way, output, last);
}

/* The cable is pulled after so many requests: during the write, then during what comes after it, then it stays. */
static void the_cable_is_pulled_anywhere(void **state)
{
    (void)state;
    if (rounds(1) == 1)
        skip(); /* minutes: the tool tries to come back each time; see scripts/campaign */
    dice d = {17};
    unsigned broken = 0;
    expect(2, "nothing was written to this device yet", again("undo", ""));
    for (unsigned at = 24; at<60; at += rounds(1)> 1 ? 1 : 11) { /* each takes its time: the tool tries to come back */
        char words[40];
        disturb();
        snprintf(words, sizeof words, "fault cable %u", at);
        expect(0, "ok", control(0, words));
        record_story story = newest();
        int code = write_baseline("");
        expect(0, "ok", control(0, "plug-in"));
        broken += code != 0;
        if (code == 0) {
            assert_true(is_as("crusher#baseline"));
            expect(0, "verified", again("undo", ""));
            assert_true(is_as("before/*.bset") && stands());
            continue;
        }
        if (strcmp(newest().path, story.path) == 0 || (newest().settled && !newest().safety[0]))
            continue;            /* before anything was meant */
        if (roll_below(&d, 2)) { /* and once more, on the way */
            snprintf(words, sizeof words, "fault cable %u", 4 + roll_below(&d, 30));
            expect(0, "ok", control(0, words));
            again(roll_below(&d, 2) ? "undo" : "resume", "");
        }
        both_ways_lead_on(&d);
    }
    assert_true(broken > 1);
}

/* The tool is killed at any moment; what it has written by then is enough. */
static void killed_at_any_moment(void **state)
{
    (void)state;
    dice d = {23};
    unsigned broken = 0, tried = rounds(12);
    for (unsigned i = 0; i < tried; i++) {
        char how[80];
        disturb();
        snprintf(how, sizeof how, "timeout -s KILL 0.%03u", 20 + roll_below(&d, 700));
        record_story before = newest();
        int code =
            sh("export B=%s; echo mill-30 | %s $B write crusher#baseline crusher --yes --password-fd 0 --site mill",
               BILANCIA_TOOL, how);
        record_story s = newest();
        bool began = strcmp(s.path, before.path) != 0;
        broken += code != 0 && began && !s.settled;
        if (!began || (!s.safety[0] && s.settled))
            continue;
        if (!s.finished && roll_below(&d, 3) == 0)
            sh("export B=%s; echo mill-30 | timeout -s KILL 0.%03u $B %s crusher --yes --password-fd 0 --site mill",
               BILANCIA_TOOL, 50 + roll_below(&d, 500), roll_below(&d, 2) ? "undo" : "resume");
        if (!newest().finished || newest().wrote)
            both_ways_lead_on(&d);
    }
    printf("killed %u times, %u of them in the middle of a write\n", tried, broken);
    assert_true(broken > tried / 8);
}

/* A record cut at any byte is read as far as it goes, and never says more than it knows. */
static void records_that_are_cut(void **state)
{
    (void)state;
    disturb();
    expect(0, "verified", write_baseline(""));
    record_story whole = newest(), s;
    assert_true(whole.finished && whole.wrote && !whole.held && whole.safety[0]);
    static char bytes[100000];
    FILE *file = fopen(whole.path, "rb");
    size_t size = fread(bytes, 1, sizeof bytes - 1, file);
    fclose(file);
    char path[200];
    snprintf(path, sizeof path, "%s/cut.brec", folder);
    bytes[size] = '\0';
    size_t ended = (size_t)(strstr(bytes, "\"event\":\"outcome\"") - bytes);
    bool wrote = false, held_once = false;
    for (size_t cut = 0; cut <= size; cut++) {
        file = fopen(path, "wb");
        fwrite(bytes, 1, cut, file);
        fclose(file);
        int error = record_read(path, &s);
        if (cut < (size_t)(strchr(bytes, '\n') - bytes))
            assert_int_equal(error, BIL_E_RECORD_FORM);
        else
            assert_int_equal(error, BIL_OK);
        assert_true(s.wrote >= wrote); /* what was said once stays said */
        assert_true(!s.wrote || s.safety[0]);
        assert_true(!s.held || s.safety[0] || !strstr(s.path, s.chain)); /* or left so by an earlier one */
        assert_true(!s.finished || cut >= ended);                        /* the tests asked for come behind that */
        wrote = s.wrote;
        held_once = held_once || s.held;
    }
    assert_true(wrote && held_once);
    expect(2, "no such device", sh("b resume press --site mill"));
    expect(6, NULL, sh("echo '{}' > x.brec; b resume x.brec"));
    expect(6, "beginning is damaged", sh("head -c 20 cut.brec > x.brec; b undo x.brec"));
    /* the copies that a record names are still those, or it is said */
    expect(0, NULL, sh("rm -rf moved; cp -r mill moved"));
    expect(0, "verified", sh("echo mill-30 | b undo crusher --yes --password-fd 0 --site moved"));
    expect(0, NULL,
           sh("rm -rf broken; cp -r mill broken; for f in mill/devices/crusher/copies/* "
              "broken/devices/crusher/copies/*; do [ $f = ${f#mill} ] && :; done"));
    expect(0, "verified", write_baseline(""));
}

static void single_values_are_set(void **state)
{
    (void)state;
    disturb();
    expect(0, "in force: 1 value written with 1 request",
           sh("echo mill-30 | b set crusher limit.torque=120 --yes --password-fd 0 --site mill"));
    assert_false(stands()); /* it goes on working: nobody asked for a restart, and nothing needs hold */
    expect(0, "stored, not seen after a restart", sh("b overview --site mill"));
    expect(0, "ok", control(0, "power-cut"));
    usleep(300000);
    expect(0, "✓ complete", sh("b read crusher --site mill")); /* which is the proof, later */
    sh("b overview --site mill");
    assert_null(strstr(output, "not seen after a restart"));
    expect(0, "in force", again("undo", "")); /* back without a restart, as it came */
    disturb();
    expect(0, "verified: 1 value written with 1 request",
           sh("echo mill-30 | b set crusher limit.torque=120 --prove --yes --password-fd 0 --site mill"));
    assert_non_null(strstr(output, "This changes the device, not a copy"));
    assert_non_null(strstr(output, "nothing moves when the supply comes back")); /* before, and to be tried after */
    expect(0, "= 120.0", control(0, "get limit.torque"));
    expect(0, "\"result\":\"open\"", sh("ls -t mill/devices/crusher/records/* | head -n 1 | xargs grep -h test"));
    /* neither Enter nor any other word is an answer; what is answered is over */
    expect(5, "1 left to try", at_terminal(100, 60, "maybe\n\nyes\nlater\n", "b tried crusher --site mill"));
    expect(0, "\"result\": \"passed\"", sh("b tried crusher --json --site mill"));
    expect(5, "must not work like this", at_terminal(100, 60, "no\n", "b tried crusher --site mill"));
    expect(0, "1 test failed", sh("b overview --site mill"));
    expect(0, "all of it is as it should be", at_terminal(100, 60, "yes\n", "b tried crusher --site mill"));
    sh("b overview --site mill");
    assert_null(strstr(output, "tried"));
    expect(0, "has these values already", sh("b set crusher limit.torque=120 --yes --site mill"));
    expect(3, "outside its limits", sh("b set crusher limit.torque=1200 --yes --site mill"));
    expect(3, "the lowest speed lies above", sh("b set crusher speed.minimum=1200 --yes --site mill"));
    expect(2, "is changed with edit", sh("b set mill/devices/crusher/copies/*.bset limit.torque=1 --folder ."));
    expect(0, "verified", again("undo", ""));
    assert_true(is_as("before/*.bset") && stands());
    /* at a terminal each test is asked for; one that fails is said and recorded, and undo goes back */
    expect(5, "must not go back to work",
           at_terminal(100, 60, "yes\nyes\nno\nlater\n",
                       "BILANCIA_PASSWORD=mill-30 b set crusher ramp.emergency=600 --prove --yes --site mill"));
    expect(0, "\"result\":\"failed\"",
           sh("grep -h '\"what\":\"the emergency' mill/devices/crusher/records/* | grep failed"));
    expect(0, "verified", again("undo", ""));
    assert_true(is_as("before/*.bset"));
    /* what was written before it broke off hasn't been tried either */
    disturb();
    expect(0, "ok", control(0, "fault cable 44"));
    expect(7, "To finish", write_baseline(""));
    expect(0, "ok", control(0, "plug-in"));
    expect(0, "0 values written with 0 requests", again("resume", ""));
    expect(0, "\"result\":\"open\"", sh("ls -t mill/devices/crusher/records/* | head -n 1 | xargs grep -h test"));
    expect(0, "verified", again("undo", ""));
    /* a device that may only be read */
    expect(0, NULL, sh("b device change crusher --limit reading --site mill"));
    expect(3, "may only be read", sh("b set crusher limit.torque=120 --yes --site mill"));
    expect(3, "may only be read", write_baseline(""));
    expect(0, "verified", again("undo", "")); /* no card keeps anybody from going back */
    expect(2, "a limit is", sh("b device change crusher --limit writing --site mill"));
    expect(0, NULL, sh("b device change crusher --limit none --site mill"));
}

/* On trial: in force at once, gone with the power, until it is kept. */
static void values_are_tried(void **state)
{
    (void)state;
    disturb();
    const char *trial =
        "echo mill-30 | b set crusher limit.torque=120 watch.action=coast --trial --yes --password-fd 0 --site mill";
    expect(0, "on trial", sh("%s", trial));
    assert_non_null(strstr(output, "bilancia keep crusher"));
    assert_false(stands()); /* tried while it works */
    expect(0, "= 120.0", control(0, "get limit.torque"));
    expect(0, "ok", control(0, "power-cut"));
    usleep(300000);
    expect(0, "= 95.0", control(0, "get limit.torque")); /* as before */
    expect(0, "verified",
           sh("echo mill-30 | b keep crusher --prove --yes --despite changed='the power was cut' --password-fd 0 "
              "--site mill"));
    expect(0, "ok", control(0, "power-cut"));
    usleep(300000);
    expect(0, "= 120.0", control(0, "get limit.torque"));
    expect(2, "nothing is on trial", again("keep", ""));
    expect(0, "in force", again("undo", "")); /* to before the trial */
    assert_true(is_as("before/*.bset"));
    expect(0, "on trial", sh("%s", trial));
    expect(0, "in force", again("undo", ""));
    assert_true(is_as("before/*.bset"));
    /* a device on which values may only be tried */
    expect(0, NULL, sh("b device change crusher --limit trials --site mill"));
    expect(3, "may only be tried", write_baseline(""));
    expect(0, "on trial", sh("%s", trial));
    expect(3, "may only be tried", again("keep", ""));
    expect(0, "in force", again("undo", ""));
    expect(0, NULL, sh("b device change crusher --limit none --site mill"));
    /* a model whose values last at once has no trial */
    expect(0, NULL,
           sh("sed 's/^stored_values:.*/&\\nwrites_last: yes/' %s/descriptions/ed-30.yaml > lasting.yaml",
              BILANCIA_SOURCE));
    expect(3, "lasts at once: no trial",
           sh("echo mill-30 | b set %s limit.torque=120 --trial --yes --password-fd 0 --folder . -d lasting.yaml",
              unit_at[0]));
    expect(0, "= 95.0", control(0, "get limit.torque"));
}

/* A machine that was at work is set to work again only by a word of its own, after the verdict. */
static void started_again_when_told(void **state)
{
    (void)state;
    disturb();
    expect(0, "isn't started by itself", write_baseline(""));
    assert_non_null(strstr(output, "It stands; it was at work when this began"));
    assert_true(stands());
    disturb();
    expect(0, "It is running again",
           sh("echo mill-30 | b write crusher#baseline crusher --yes --start-again --password-fd 0 "
              "--site mill"));
    assert_false(stands());
    expect(0, "\"event\":\"started\"", sh("cat $(ls -t mill/devices/crusher/records/* | head -n 1)"));
    expect(0, "ok", control(0, "set command.run 0"));
    expect(0, "verified",
           sh("echo mill-30 | b set crusher limit.torque=120 --prove --yes --start-again --password-fd 0 --site mill"));
    assert_true(stands()); /* it stood before: there is nothing to start again */
    disturb();
    /* at a terminal it is asked for, after the tests; --yes doesn't answer that */
    expect(0, "It is running again",
           at_terminal(100, 60, "yes\nyes\nyes\n",
                       "BILANCIA_PASSWORD=mill-30 b set crusher limit.torque=121 --prove --yes --site mill"));
    assert_false(stands());
    expect(0, "isn't started by itself",
           at_terminal(100, 60, "yes\nyes\nno\n",
                       "BILANCIA_PASSWORD=mill-30 b set crusher limit.torque=122 --prove --yes --site mill"));
    assert_true(stands());
}

/* The story of a unit is found wherever this computer wrote it down, and what others changed meanwhile is asked for. */
static void stories_are_not_forgotten(void **state)
{
    (void)state;
    disturb();
    expect(0, NULL,
           sh("rm -rf here there; mkdir here there; cp mill/devices/crusher/copies/*.bset . ; ls *.bset | head -n 1 > "
              "one"));
    expect(0, "ok", control(0, "fault cable 32"));
    expect(7, "still held",
           sh("echo mill-30 | b write $(cat one) %s --prove --yes --password-fd 0 --folder here", unit_at[0]));
    expect(0, "ok", control(0, "plug-in"));
    expect(0, "= 2", control(0, "get drive.state"));
    expect(0, "verified", sh("echo mill-30 | b write $(cat one) %s --yes --password-fd 0 --folder there", unit_at[0]));
    assert_true(stands()); /* the ledger knows that it was this computer that held it */
    expect(0, "\"still_held\":true", sh("cat there/*.brec"));
    /* without it nobody knows who holds it, and it stays so */
    disturb();
    expect(0, "ok", control(0, "fault cable 32"));
    expect(7, "still held",
           sh("echo mill-30 | b write $(cat one) %s --prove --yes --password-fd 0 --folder here", unit_at[0]));
    expect(0, "ok", control(0, "plug-in"));
    expect(7, "it was held before",
           sh("echo mill-30 | XDG_STATE_HOME=$PWD/none b write $(cat one) %s --yes --password-fd 0 "
              "--folder there",
              unit_at[0]));
    expect(0, NULL, sh("echo mill-30 | b resume $(ls here/*.brec | tail -n 1) --yes --password-fd 0"));
    expect(0, NULL, sh("rm -rf here there *.bset one"));
    /* a value that is neither as it was nor as wanted is somebody else's */
    disturb();
    expect(0, "ok", control(0, "fault cable 38"));
    expect(7, NULL, write_baseline(""));
    expect(0, "ok", control(0, "plug-in"));
    expect(0, "ok", control(0, "set limit.energy 4321"));
    expect(7, "Changed since, by another hand", again("resume", "")); /* and it stays held */
    assert_non_null(strstr(output, "limit.energy"));
    expect(0, "verified",
           sh("echo mill-30 | b resume crusher --yes --despite changed='it was me' --password-fd 0 --site mill"));
    assert_true(is_as("crusher#baseline"));
}

/* A unit that refuses one value can be brought to an end without it, by name and reason. */
static void resumed_without_one_value(void **state)
{
    (void)state;
    disturb();
    expect(0, "ok", control(0, "set motor.cos_phi 0.700"));
    expect(0, "ok", control(0, "fault refuse motor.cos_phi"));
    expect(7, "motor.cos_phi", write_baseline(""));
    expect(7, "motor.cos_phi", again("resume", ""));
    expect(2, "ID=REASON", sh("b resume crusher --yes --without motor.cos_phi --site mill"));
    expect(0, "verified, with the exceptions named",
           sh("echo mill-30 | b resume crusher --yes --without motor.cos_phi='its key is broken' --password-fd 0 "
              "--site mill"));
    assert_non_null(strstr(output, "~ motor.cos_phi: left out, since its key is broken"));
    assert_true(stands());
    expect(0, "Nothing is left to finish", again("resume", ""));
    expect(0, "ok", control(0, "plug-in"));
    expect(0, "verified", write_baseline(""));
}

static void one_write_at_a_time(void **state)
{
    (void)state;
    disturb();
    expect(
        3, "somebody else is writing",
        sh("echo mill-30 | $B write crusher#baseline crusher --yes --password-fd 0 --site mill --who bruno >first 2>&1 "
           "& "
           "for i in $(seq 500); do grep -q ^Device first && break; sleep 0.02; done; echo mill-30 | $B write "
           "crusher#baseline crusher --yes --password-fd 0 --site mill; e=$?; wait; "
           "exit $e"));
    assert_non_null(strstr(output, "bruno since 20"));
    expect(0, "verified", sh("cat first"));
    expect(0, "already so", write_baseline("")); /* and the turn is free again */
}

/* A person at a terminal who types each answer when it is asked for; what comes then is in `output`. */
static int types(const char *command, const char *const (*answers)[2], size_t count)
{
    char whole[2000];
    int master, status;
    snprintf(whole, sizeof whole, "cd %s; unset BILANCIA_PASSWORD; %s %s", folder, BILANCIA_TOOL, command);
    pid_t child = forkpty(&master, NULL, NULL, NULL);
    if (child == 0) {
        execl("/bin/bash", "bash", "-c", whole, (char *)NULL);
        _exit(127);
    }
    size_t used = 0;
    ssize_t got;
    for (size_t i = 0; i < count; i++) {
        wait_for(master, answers[i][0]);
        assert_true(write(master, answers[i][1], strlen(answers[i][1])) > 0);
    }
    while (used + 1 < OUTPUT && (got = read(master, output + used, OUTPUT - 1 - used)) > 0)
        used += (size_t)got;
    output[used] = '\0';
    close(master);
    waitpid(child, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

/* Nobody is asked for a password before it is known that it will be needed: checks first, then the plan, then a yes. */
static void a_password_is_asked_for_last(void **state)
{
    (void)state;
    static const char write[] = "write crusher#baseline crusher --site mill", prompt[] = "Password of the device:";
    static const char *const no[][2] = {{"Write these values to the device?", "no\n"}};
    static const char *const nothing[][2] = {{"Write these values to the device?", "yes\n"}, {prompt, "\n"}};
    static const char *const all[][2] = {
        {"Write these values to the device?", "yes\n"}, {prompt, "mill-30\n"}, {"yes/no/later", "\004"}};
    char command[300];
    disturb();
    expect(0, "ok", control(0, "set command.run 0"));
    start_unit(2, "ed-30 --name press --serial ED30-0002", NULL);
    snprintf(command, sizeof command, "write before/*.bset %s", unit_at[2]);
    expect(3, "another unit", types(command, NULL, 0)); /* refused by a check: it ends by itself */
    assert_null(strstr(output, prompt));
    expect(3, "No value was written", types(write, no, 1));
    assert_null(strstr(output, prompt));
    expect(3, "the device wants a password", types(write, nothing, 2));
    expect(0, NULL, types(write, all, 3)); /* the rest of the tests stay open */
    expect(0, NULL, sh("b compare crusher#baseline crusher --class setup --site mill"));
    stop_unit(2);
}

/* A serial number that two units of the site have tells nothing: a person has to say which one is meant. */
static void a_number_that_two_units_have(void **state)
{
    (void)state;
    disturb();
    start_unit(1, "ed-30 --name kneader-1 --serial ED30-0417", NULL);
    expect(0, NULL, sh("b device add kneader-1 %s --site mill", unit_at[1]));
    expect(0, "✓ complete", sh("b read kneader-1 --site mill"));
    expect(3, "nothing tells this unit", write_baseline(""));
    expect(0, "verified, with the exceptions named",
           sh("echo mill-30 | b write crusher#baseline crusher --as restore --yes --password-fd 0 --site mill"));
    assert_non_null(strstr(output, "~ nothing tells this unit from another one of its model"));
}

/* test_write_again [TEST] */
/* A signal at any moment: the write ends safely and says how, both ways lead on. */
static void signals_at_fifty_moments(void **state)
{
    (void)state;
    static const char *const names[] = {"INT", "TERM", "HUP"};
    dice d = {83};
    unsigned done = 0, untouched = 0, broken = 0, n = rounds(15);
    for (unsigned i = 0; i < n; i++) {
        disturb();
        record_story before = newest();
        int code = sh(
            "echo mill-30 | timeout --foreground --preserve-status -s %s %.3f %s write crusher#baseline crusher --yes "
            "--password-fd 0 --site mill",
            names[i % 3], 0.02 + 0.001 * roll_below(&d, 1500), BILANCIA_TOOL);
        bool came = strstr(output, "as soon as that is safe") != NULL;
        if (came && code == 3) { /* nothing was sent: it is as it was, and free */
            assert_non_null(strstr(output, "cancelled"));
            expect(0, NULL, sh("b compare before/*.bset crusher --class setup --site mill"));
            untouched++;
        } else if (came && code != 0) {
            if (code != 5 && code != 7)
                fail_msg("exit %d: %s", code, output);
            assert_int_equal(strcmp(newest().verdict, "incomplete"), 0);
            assert_non_null(strstr(output, "bilancia resume crusher"));
            broken++;
        } else if (came || code == 0) {
            assert_int_equal(code, 0);
            done++;
        } else {
            if (code <= 128)
                fail_msg("exit %d: %s", code, output);
            untouched++;
        }
        if (strcmp(newest().path, before.path) !=
            0) /* else it came before anything was meant, and undo is about others */
            both_ways_lead_on(&d);
    }
    print_message("signals: %u done all the same, %u untouched, %u broken off\n", done, untouched, broken);
    assert_true(broken >= n / 10);
}

int main(int argc, char **argv)
{
    if (argc > 1)
        cmocka_set_test_filter(argv[1]);
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_cable_is_pulled_anywhere),
        cmocka_unit_test(killed_at_any_moment),
        cmocka_unit_test(signals_at_fifty_moments),
        cmocka_unit_test(records_that_are_cut),
        cmocka_unit_test(single_values_are_set),
        cmocka_unit_test(values_are_tried),
        cmocka_unit_test(started_again_when_told),
        cmocka_unit_test(stories_are_not_forgotten),
        cmocka_unit_test(resumed_without_one_value),
        cmocka_unit_test(one_write_at_a_time),
        cmocka_unit_test(a_password_is_asked_for_last),
        cmocka_unit_test(a_number_that_two_units_have), /* the last one: it stays so */
    };
    return cmocka_run_group_tests_name("write_again", tests, begin, end);
}
