/* A play: between any two commands of the victim a stranger may change any file of the shared site, as somebody does
 * who can write there, through git or a stick. Whatever is done: nothing is written that the victim's own words and
 * copies didn't ask for, nothing outside is touched, nothing crashes, each change is named by "site check", and what
 * the victim began can always be finished and undone. */
#include <dirent.h>
#include <fcntl.h>
#include <ftw.h>
#include <sys/stat.h>
#include <unistd.h>

#include "host/copy/ledger.h"
#include "port/digest.h"
#include "sim/server.h"
#include "tool.h"

enum { FILES = 400, PATH = 400, MOST = 60000 };

static dice d = {1729};
static char files[FILES][PATH];
static size_t file_count;

/* ---- what is there ---- */

static int add_file(const char *path, const struct stat *seen, int kind, struct FTW *at)
{
    (void)seen;
    (void)at;
    if (kind != FTW_D && file_count < FILES)
        snprintf(files[file_count++], PATH, "%s", path);
    return 0;
}

static void list_files(const char *below)
{
    char path[200];
    snprintf(path, sizeof path, "%s/%s", folder, below);
    file_count = 0;
    nftw(path, add_file, 20, FTW_PHYS);
}

static uint64_t sum;

static int add_to_sum(const char *path, const struct stat *seen, int kind, struct FTW *at)
{
    (void)at;
    char bytes[1200], hex[2 * BIL_SHA256 + 1];
    int fd = kind == FTW_F ? open(path, O_RDONLY) : -1;
    ssize_t got = fd < 0 ? 0 : read(fd, bytes, 1000);
    if (fd >= 0)
        close(fd);
    snprintf(bytes + (got > 0 ? got : 0), 100, "%o %ld", seen->st_mode, kind == FTW_D ? 0L : (long)seen->st_size);
    digest_hex(bytes, strlen(bytes), hex);
    for (const char *c = path; *c; c++)
        sum = sum * 31 + (uint64_t)*c;
    for (const char *c = hex; *c; c++)
        sum = sum * 31 + (uint64_t)*c;
    return 0;
}

static uint64_t sum_of_outside(void)
{
    char path[200];
    snprintf(path, sizeof path, "%s/outside", folder);
    sum = 0;
    nftw(path, add_to_sum, 20, FTW_PHYS);
    return sum;
}

static size_t slurp(const char *path, char *bytes)
{
    int fd = open(path, O_RDONLY | O_NONBLOCK);
    ssize_t got = fd < 0 ? 0 : read(fd, bytes, MOST);
    if (fd >= 0)
        close(fd);
    return got > 0 ? (size_t)got : 0;
}

static void spit(const char *path, const char *bytes, size_t size)
{
    unlink(path);
    int fd = open(path, O_WRONLY | O_CREAT | O_TRUNC | O_NOFOLLOW, 0644);
    if (fd >= 0 && write(fd, bytes, size) < 0)
        fail();
    if (fd >= 0)
        close(fd);
}

/* ---- what the stranger does ---- */

/* Several strangers who say the same are no dispute: one card of his a site has to be named. */
static bool planted;

static const char *const cards[] = {"\"limit\":\"reading\"", "\"writers\":[\"nobody\"]",
                                    "\"signed_by\":\"eve\"", "\"address\":\"modbus+tcp://127.0.0.1:1/1\"",
                                    "\"group\":\"x\"",       "\"retired\":true"};

/* A card that is sound and wrong; `follows`: it pretends to come after the one that is there. */
static bool plant_card(bool twin, bool follows)
{
    struct stat seen;
    char text[2000], hex[2 * BIL_SHA256 + 1], path[PATH], at[200], after[70] = "";
    snprintf(at, sizeof at, "%s/mill/devices/%s/notes", folder, twin ? "zz" : "crusher");
    snprintf(path, sizeof path, "%s/mill/devices", folder);
    if (lstat(path, &seen) != 0 || !S_ISDIR(seen.st_mode))
        return false; /* it leads outside by now */
    if (twin) {
        snprintf(path, sizeof path, "%s/mill/devices/zz", folder);
        mkdir(path, 0755);
        if (lstat(path, &seen) != 0 || !S_ISDIR(seen.st_mode))
            return false;
        mkdir(at, 0755);
    }
    DIR *dir = follows ? opendir(at) : NULL;
    struct dirent *entry;
    while (dir && (entry = readdir(dir)) && !after[0]) {
        static char bytes[MOST + 1];
        snprintf(path, sizeof path, "%s/%.200s", at, entry->d_name);
        size_t size = slurp(path, bytes);
        bytes[size] = '\0';
        if (strstr(bytes, "\"kind\":\"device\"")) {
            digest_hex(bytes, size, hex);
            snprintf(after, sizeof after, "\"%s\"", hex);
        }
    }
    if (dir)
        closedir(dir);
    snprintf(text, sizeof text,
             "{\"after\":[%s],\"bilancia_note\":0,\"kind\":\"device\",\"name\":\"%s\",%s,\"when\":\"20%02u-11-23T07:00:"
             "00Z\","
             "\"who\":\"eve\"}",
             after, twin && roll_below(&d, 2) ? "CRUSHER" : "crusher", cards[roll_below(&d, 6)], roll_below(&d, 100));
    digest_hex(text, strlen(text), hex);
    snprintf(path, sizeof path, "%s/20261123T070000Z-%.12s.json", at, hex);
    if (lstat(at, &seen) != 0 || !S_ISDIR(seen.st_mode))
        return false; /* it leads outside by now */
    spit(path, text, strlen(text));
    bool first = !planted;
    planted = true;
    return first;
}

/* A copy with other values and digests that fit, in the place of one that is there. */
static bool forge_copy(const char *path)
{
    static char bytes[MOST + 1];
    static const struct {
        const char *ours, *forged;
    } ways[] = {{"\"raw\":\"0708\",\"value\":180.0", "\"raw\":\"09c4\",\"value\":250.0"},
                {"\"raw\":\"03b6\",\"value\":95.0", "\"raw\":\"02ee\",\"value\":75.0"}};
    size_t size = slurp(path, bytes);
    char hex[2 * BIL_SHA256 + 1];
    bool forged = false;
    bytes[size] = '\0';
    for (size_t i = 0; i < 2 && !forged && size > 68; i++) {
        char *at = strstr(bytes, ways[i].ours);
        if (at)
            memcpy(at, ways[i].forged, strlen(ways[i].ours));
        forged = at != NULL;
    }
    if (!forged)
        return false;
    digest_hex(bytes, size - 68, hex);
    memcpy(bytes + size - 68, hex, 64);
    spit(path, bytes, size);
    return true;
}

/* A record that wants the forged copy, and follows what is there. */
static void forge_record(const char *path)
{
    static char bytes[MOST + 1];
    size_t size = slurp(path, bytes);
    bytes[size] = '\0';
    char *at = strstr(bytes, "\"copy_digest\":\"");
    if (at)
        for (int i = 15; i < 79 && at[i] && at[i] != '"'; i++)
            at[i] = "0123456789abcdef"[roll_below(&d, 16)];
    at = strstr(bytes, "\"found\":0");
    if (at)
        at[8] = '1';
    char other[PATH + 10];
    snprintf(other, sizeof other, "%.*s-9.brec", (int)strlen(path) - 5, path);
    spit(roll_below(&d, 2) ? other : path, bytes, size);
}

static bool ends_in(const char *path, const char *ending)
{
    size_t length = strlen(path), tail = strlen(ending);
    return length > tail && strcmp(path + length - tail, ending) == 0;
}

/* One change. False when "site check" isn't bound to name it: nothing changed, or it looks like somebody's honest work.
 */
static bool change_something(char *what, size_t what_size)
{
    static char bytes[MOST + 1000], other[MOST];
    list_files("mill");
    if (file_count == 0)
        return false;
    const char *path = files[roll_below(&d, (uint32_t)file_count)],
               *second = files[roll_below(&d, (uint32_t)file_count)];
    size_t size = slurp(path, bytes), length, at = size ? roll_below(&d, (uint32_t)size) : 0;
    unsigned how = roll_below(&d, 14);
    char outside[200], moved[PATH + 10];
    snprintf(outside, sizeof outside, "%s/outside/keep", folder);
    snprintf(what, what_size, "%u on %s", how, path + strlen(folder));
    /* in these, no digest tells a letter from another */
    bool untold = strstr(path, ".gitignore") != NULL || (how == 0 && ends_in(path, "/site.json")), settled = true;
    switch (how) {
    case 0:
        bytes[at] = (char)(bytes[at] ^ (1 << roll_below(&d, 7)));
        spit(path, bytes, size);
        break;
    case 1:
        spit(path, bytes, at);
        break;
    case 2:
        length = size - at;
        memcpy(bytes + size, bytes + at, length < 1000 ? length : 1000);
        spit(path, bytes, size + (length < 1000 ? length : 1000));
        break;
    case 3:
        unlink(path);
        break;
    case 4:
        length = slurp(second, other);
        settled = size != length || memcmp(bytes, other, size) != 0;
        spit(path, other, length);
        break;
    case 5:
        unlink(path);
        settled = symlink(outside, path) == 0;
        break;
    case 6: /* the folder that it lies in leads elsewhere */
        snprintf(moved, sizeof moved, "%.*s", (int)(strrchr(path, '/') - path), path);
        if (strcmp(strrchr(moved, '/'), "/mill") == 0)
            return false;
        snprintf(bytes, sizeof bytes, "rm -rf %s/outside-of; mv %s %s/outside-of; ln -s %s/outside %s", folder, moved,
                 folder, folder, moved);
        settled = system(bytes) == 0;
        break;
    case 7:
        snprintf(moved, sizeof moved, "%s-moved", path);
        rename(path, moved);
        break;
    case 8:
        unlink(path);
        settled = mkfifo(path, 0644) == 0;
        break;
    case 9:
        settled = plant_card(false, false);
        untold = false;
        break;
    case 10:
        settled = plant_card(true, false);
        untold = false;
        break;
    case 11:
        plant_card(false, true);
        return false;
    case 12:
        if (!ends_in(path, ".bset"))
            return false;
        settled = forge_copy(path);
        break;
    default:
        if (!ends_in(path, ".brec"))
            return false;
        forge_record(path);
        return false;
    }
    return settled && !untold;
}

/* ---- what the victim does ---- */

static int value(const char *id)
{
    char line[100], reply[200], control_path[100];
    snprintf(control_path, sizeof control_path, "%s/unit0.ctl", folder);
    snprintf(line, sizeof line, "get %s", id);
    assert_int_equal(sim_control_call(control_path, line, reply, sizeof reply), 0);
    const char *at = strchr(reply, '=');
    assert_non_null(at);
    return (int)(strtod(at + 1, NULL) * 100 + 0.5);
}

/* The two states that the victim's copies ask for. */
static const struct {
    int torque, ramp;
} ours[2] = {{18000, 1250}, {9500, 350}};

static bool is_state(int which)
{
    return value("limit.torque") == ours[which].torque && value("ramp.up") == ours[which].ramp;
}

static void start_over(int which)
{
    planted = false;
    expect(0, NULL, sh("rm -rf mill cache state outside-of; cp -a clean mill; b overview --site mill"));
    expect(0, "ok", control(0, which ? "set limit.torque 95.0" : "set limit.torque 180.0"));
    expect(0, "ok", control(0, which ? "set ramp.up 3.5" : "set ramp.up 12.5"));
    assert_true(is_state(which));
}

static void survives(int code, const char *what, const char *change)
{
    int torque = value("limit.torque"), ramp = value("ramp.up"), drive = value("drive.state");
    bool asked_for =
        (torque == ours[0].torque || torque == ours[1].torque) && (ramp == ours[0].ramp || ramp == ours[1].ramp);
    if (code < 0 || code > 7 || !asked_for || drive == 100)
        fail_msg("after %s, %s: exit %d, torque %d, ramp %d, state %d: %s", change, what, code, torque, ramp, drive,
                 output);
}

static void last_record(char path[STORAGE_PATH])
{
    ledger known;
    assert_int_equal(ledger_open(&known), 0);
    path[0] = '\0';
    for (size_t i = 0; i < known.count; i++)
        snprintf(path, STORAGE_PATH, "%s", known.entries[i].path);
    ledger_close(&known);
}

static void a_stranger_may_change_any_file(void **state)
{
    (void)state;
    unsigned changes = 0, wanted = rounds(SAMPLING > 1 ? 12 : 50), writes = 0, broken = 0, refused = 0, named = 0;
    uint64_t outside = sum_of_outside();
    while (changes < wanted) {
        int now = (int)roll_below(&d, 2), to = !now; /* the state it is in, and the one that is wanted */
        char change[PATH + 20] = "nothing", path[STORAGE_PATH];
        start_over(now);
        for (unsigned k = 0; k < 6 && changes < wanted; k++) {
            char own[40], how[200] = "";
            bool must_name = false;
            for (unsigned n = 1 + roll_below(&d, 2); n > 0; n--, changes++)
                must_name = change_something(change, sizeof change) || must_name;
            snprintf(own, sizeof own, "own%d.bset", to);
            if (roll_below(&d, 4) == 0) {
                int code = sh("timeout 60 $B site check --site mill");
                survives(code, "site check", change);
                if (must_name && code == 0 && !strstr(output, "! "))
                    fail_msg("after %s site check says: %s", change, output);
                named += must_name;
            }
            switch (roll_below(&d, 4)) {
            case 0:
                survives(sh("timeout 60 $B read crusher --site mill"), "read", change);
                break;
            case 1:
                survives(sh("timeout 60 $B overview --site mill; timeout 60 $B history crusher --site mill"), "look",
                         change);
                break;
            case 2:
                survives(sh("rm -rf second; timeout 60 $B share second --site mill"), "share", change);
                break;
            default:
                break;
            }
            /* the victim's own words and copy; where it is refused, by address and beside the site */
            bool kill = roll_below(&d, 2);
            if (kill)
                snprintf(how, sizeof how,
                         "strace -f -o /dev/null -e trace=fsync -e inject=fsync:signal=KILL:when=%u env "
                         "ASAN_OPTIONS=detect_leaks=0",
                         16 + roll_below(&d, 24));
            const char *despite = roll_below(&d, 2) ? "--despite card='I look at it'" : "";
            bool by_site = roll_below(&d, 3) != 0;
            int code =
                by_site ? sh("%s $B write %s crusher --yes --site mill %s", how, own, despite)
                        : sh("cd outside-too; %s $B write ../%s %s --yes --folder . %s", how, own, unit_at[0], despite);
            writes++;
            if (code == 137 || code < 0)
                code = 5;
            survives(code, "write", change);
            if (code == 0 && !is_state(to))
                fail_msg("after %s a write is verified, and isn't so: %s", change, output);
            refused += code != 0 && is_state(now);
            if (code == 0 && roll_below(&d, 2)) {
                int swap = now;
                now = to;
                to = swap;
                continue;
            }
            last_record(path);
            if (code != 0 && is_state(now) && value("drive.state") == 0)
                continue; /* nothing came of it */
            broken += code != 0;
            for (unsigned n = 1 + roll_below(&d, 2); n > 0; n--, changes++)
                change_something(change, sizeof change);
            /* always: finished, and undone */
            bool back = code == 0 || roll_below(&d, 2);
            code = sh("timeout 90 $B %s '%s' --yes", back ? "undo" : "resume", path);
            survives(code, back ? "undo" : "resume", change);
            if (code != 0 || !is_state(back ? now : to))
                fail_msg("after %s what was begun can't be %s: exit %d: %s", change, back ? "undone" : "finished", code,
                         output);
            if (!back) {
                int swap = now;
                now = to;
                to = swap;
            }
        }
        if (sum_of_outside() != outside) {
            sh("ls -lR outside; head -c 300 $(find outside -type f)");
            fail_msg("after %s something outside was touched: %s", change, output);
        }
    }
    print_message("%u changes, %u writes, %u broken off, %u refused, %u times named\n", changes, writes, broken,
                  refused, named);
    if (changes >= 50)
        assert_true(broken > changes / 40 && refused > changes / 40 && named > changes / 40);
}

static int begin(void **state)
{
    (void)state;
    setenv("BILANCIA_PASSWORD", "mill-30", 1);
    tool_begin();
    /* several plays may run beside each other: each with dice and a unit of its own */
    const char *seed = getenv("BILANCIA_SEED");
    char unit[60];
    d.state += seed ? strtoul(seed, NULL, 10) * 7919 : 0;
    snprintf(unit, sizeof unit, "ed-30 --name crusher --serial ED30-%04lu",
             seed ? 1000 + strtoul(seed, NULL, 10) : 417);
    start_unit(0, unit, NULL);
    expect(0, NULL,
           sh("mkdir outside outside-too; echo keep >outside/keep; b site make clean; b device add crusher %s --site "
              "clean",
              unit_at[0]));
    for (int i = 0; i < 2; i++) {
        expect(0, "ok", control(0, i ? "set limit.torque 95.0" : "set limit.torque 180.0"));
        expect(0, "ok", control(0, i ? "set ramp.up 3.5" : "set ramp.up 12.5"));
        expect(0, NULL,
               sh("b read crusher --site clean; mkdir r%d; b read %s --folder r%d; mv r%d/*.bset own%d.bset", i,
                  unit_at[0], i, i, i));
    }
    expect(0, NULL,
           sh("b baseline crusher#1 --site clean; b write own1.bset crusher --yes --site clean; rm -rf state cache"));
    return 0;
}

static int end(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(a_stranger_may_change_any_file)};
    return cmocka_run_group_tests_name("stranger", tests, begin, end);
}
