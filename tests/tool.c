#include "tool.h"

#include <fcntl.h>
#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

char folder[64];
char output[OUTPUT]; /* of the last command, both streams */
static pid_t units[UNITS];
char unit_at[UNITS][64];

/* ---- commands ---- */

/* While proposals are followed, each command hands over when it has ended: a file with what it said (at a terminal:
 * nothing, it was read there) beside one with its environment and place, and goes on when it may. */
enum { ASK = 8, GO = 9 };
#define HANDS_OVER                                                                                                     \
    "over() { { export -p; pwd | sed \"s/.*/cd '&'/\"; } >$t.env; echo $t >&8; read _ <&9; cd \"$PWD\"; return $c; "   \
    "}; "                                                                                                              \
    "new() { t=$(mktemp /tmp/bilancia-test-said-XXXXXX) c=0; }; "
#define TOLD                                                                                                           \
    HANDS_OVER                                                                                                         \
    "b() { local t c; [ \"$1\" != simulate ] || { $B \"$@\"; return; }; new; "                                         \
    "if [ /dev/stdout -ef /dev/stderr ]; then $B \"$@\" >$t 2>&1 8>&- 9<&- || c=$?; cat $t; "                          \
    "else $B \"$@\" >$t 2>$t.err 8>&- 9<&- || c=$?; cat $t; cat $t.err >&2; cat $t.err >>$t; rm $t.err; fi; "          \
    "over; }; "
#define SHOWN HANDS_OVER "b() { local t c; new; $B \"$@\" 8>&- 9<&- || c=$?; over; }; "
#define ALONE "b() { $B \"$@\"; }; "

/* Only the shell has their other ends: when the test is over, whatever became of it, nothing waits for it. */
static void pipes(int ask[2], int go[2])
{
    assert_int_equal(pipe2(ask, O_CLOEXEC), 0);
    assert_int_equal(pipe2(go, O_CLOEXEC), 0);
}

static void in_shell(const char *shell, const char *line, const int ask[2], const int go[2])
{
    if (hints_on) {
        enum { ABOVE = 20 }; /* so that neither is in the other's way */
        int asks = fcntl(ask[1], F_DUPFD_CLOEXEC, ABOVE), goes = fcntl(go[0], F_DUPFD_CLOEXEC, ABOVE);
        dup2(asks, ASK);
        dup2(goes, GO);
    }
    execl(shell, shell, "-c", line, (char *)NULL);
    _exit(127);
}

/* A command has ended: what it proposes is followed, then its shell goes on. */
static void take_over(int ask, int go, const char *shown)
{
    char at[100] = "", path[110];
    for (size_t i = 0; i + 1 < sizeof at && read(ask, at + i, 1) == 1 && at[i] != '\n'; i++)
        at[i + 1] = '\0';
    at[strcspn(at, "\n")] = '\0';
    snprintf(path, sizeof path, "%s.env", at);
    static char said[OUTPUT];
    FILE *file = fopen(at, "r");
    said[file ? fread(said, 1, OUTPUT - 1, file) : 0] = '\0';
    if (file)
        fclose(file);
    hints_on = false; /* what comes meanwhile isn't followed */
    hints_hold(shown ? shown : said, path);
    hints_on = true;
    unlink(at);
    unlink(path);
    assert_int_equal(write(go, "\n", 1), 1);
}

static int code_of(int status)
{
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

/* Runs a shell line in the test's folder; `b` is the tool. Returns the exit code; what was said is in `output`, and all
 * that was ever said in the file "said". */
int sh(const char *format, ...)
{
    static int depth;
    char line[8000], whole[10000];
    va_list list;
    va_start(list, format);
    vsnprintf(line, sizeof line, format, list);
    va_end(list);
    snprintf(whole, sizeof whole,
             "cd %s; B=%s; %s( %s\n) >said.%d 2>&1 </dev/null; code=$?; cat said.%d >>said; exit $code", folder,
             BILANCIA_TOOL, hints_on ? TOLD : ALONE, line, depth, depth);
    depth++;
    int ask[2], go[2], status = 0;
    pipes(ask, go);
    pid_t child = fork();
    if (child == 0)
        in_shell("/bin/sh", whole, ask, go);
    struct pollfd asked = {.fd = ask[0], .events = POLLIN};
    while (waitpid(child, &status, hints_on ? WNOHANG : 0) == 0)
        if (poll(&asked, 1, 20) > 0)
            take_over(ask[0], go[1], NULL);
    depth--;
    for (int i = 0; i < 2; i++)
        close(ask[i]), close(go[i]);
    char path[100];
    snprintf(path, sizeof path, "%s/said.%d", folder, depth);
    FILE *file = fopen(path, "r");
    size_t got = file ? fread(output, 1, OUTPUT - 1, file) : 0;
    output[got] = '\0';
    if (file)
        fclose(file);
    return code_of(status);
}

int at_terminal(unsigned short columns, unsigned short rows, const char *input, const char *format, ...)
{
    char line[8000], whole[10000];
    va_list list;
    va_start(list, format);
    vsnprintf(line, sizeof line, format, list);
    va_end(list);
    snprintf(whole, sizeof whole, "cd %s; B=%s; %s%s", folder, BILANCIA_TOOL, hints_on ? SHOWN : ALONE, line);
    struct winsize size = {.ws_row = rows, .ws_col = columns};
    int master, ask[2], go[2];
    pipes(ask, go);
    pid_t child = forkpty(&master, NULL, NULL, &size);
    if (child == 0) {
        setenv("TERM", "xterm", 1);
        in_shell("/bin/bash", whole, ask, go);
    }
    assert_int_equal(write(master, input, strlen(input)), strlen(input));
    char *shown = malloc(OUTPUT);
    assert_non_null(shown);
    size_t used = 0, followed = 0;
    ssize_t got = 0;
    struct pollfd ready[] = {{.fd = master, .events = POLLIN}, {.fd = ask[0], .events = POLLIN}};
    while (used + 1 < OUTPUT && poll(ready, 2, -1) > 0) {
        if (ready[0].revents) {
            got = read(master, shown + used, OUTPUT - 1 - used);
            if (got <= 0)
                break;
            used += (size_t)got;
        } else if (ready[1].revents) { /* all that it showed was read */
            shown[used] = '\0';
            take_over(ask[0], go[1], shown + followed);
            followed = used;
        }
    }
    shown[used] = '\0';
    memcpy(output, shown, used + 1);
    free(shown);
    close(master);
    for (int i = 0; i < 2; i++)
        close(ask[i]), close(go[i]);
    int status;
    waitpid(child, &status, 0);
    return code_of(status);
}

void wait_for(int master, const char *what)
{
    static char seen[OUTPUT];
    size_t used = 0;
    seen[0] = '\0';
    while (!strstr(seen, what)) {
        struct pollfd ready = {.fd = master, .events = POLLIN};
        if (poll(&ready, 1, 20000) <= 0)
            fail_msg("\"%s\" never came; what came is: %s", what, seen);
        ssize_t got = read(master, seen + used, sizeof seen - 1 - used);
        if (got <= 0)
            fail_msg("the shell ended; what came is: %s", seen);
        used += (size_t)got;
        seen[used] = '\0';
        if (used > sizeof seen / 2)
            memmove(seen, seen + used / 2, used - used / 2 + 1), used -= used / 2;
    }
}

void type_at(int master, const char *text)
{
    assert_int_equal(write(master, text, strlen(text)), strlen(text));
}

void expect(int code, const char *says, int got)
{
    /* a line break or a colour of the tool's own that went out as somebody's text */
    if (strstr(output, "<U+000A>") || strstr(output, "<U+001B>"))
        fail_msg("what steers the terminal is shown as a character:\n%s", output);
    if (got != code || (says && !strstr(output, says))) {
        fprintf(stderr, "%s\n", output); /* whole: a failure's own text is cut */
        fail_msg("exit %d and \"%s\" were expected; exit %d came", code, says ? says : "", got);
    }
}

int control(int unit, const char *words)
{
    return sh("b simulate --at unit%d.ctl %s", unit, words);
}

unsigned counter(int unit, const char *name)
{
    expect(0, "ok", control(unit, "counters"));
    const char *at = strstr(output, name);
    assert_non_null(at);
    return (unsigned)strtoul(at + strlen(name), NULL, 10);
}

json_t *answer(void)
{
    json_t *json = json_loads(output, 0, NULL);
    if (!json)
        fail_msg("no JSON: %s", output);
    return json;
}

const char *text_of(json_t *json, const char *key)
{
    const char *text = json_string_value(json_object_get(json, key));
    assert_non_null(text);
    return text;
}

/* ---- units ---- */

void stop_unit(int unit)
{
    if (units[unit] <= 0)
        return;
    kill(units[unit], SIGTERM);
    waitpid(units[unit], NULL, 0);
    units[unit] = 0;
}

void start_unit(int unit, const char *options, const char *secret)
{
    char said[100], line[600], found[64] = "", own[60] = "";
    bool several = strstr(options, "--count") != NULL;
    if (!several)
        snprintf(own, sizeof own, "%s --control unit%d.ctl",
                 strstr(options, "--time-factor") ? "" : " --time-factor 20", unit);
    snprintf(said, sizeof said, "%s/unit%d.said", folder, unit);
    snprintf(line, sizeof line, "cd %s; exec %s simulate %s%s >unit%d.said 2>unit%d.err", folder, BILANCIA_TOOL,
             options, own, unit, unit);
    unlink(said);
    units[unit] = fork();
    if (units[unit] == 0) {
        if (secret)
            setenv("BILANCIA_SIMULATED_PASSWORD", secret, 1);
        execl("/bin/sh", "sh", "-c", line, (char *)NULL);
        _exit(127);
    }
    for (int i = 0; i < 500 && !found[0]; i++) {
        FILE *file = fopen(said, "r");
        if (file && fscanf(file, several ? "%63[^\n]" : "%*s at %63[^, \n]", found) != 1)
            found[0] = '\0';
        if (file)
            fclose(file);
        if (!found[0])
            usleep(10000);
    }
    if (!found[0]) {
        snprintf(line, sizeof line, "cat %s/unit%d.err >&2", folder, unit);
        fail_msg("a unit that is simulated with \"%s\" says where it is: %d", options, system(line));
    }
    snprintf(unit_at[unit], sizeof unit_at[unit], "%s", found);
}

void tool_begin(void)
{
    snprintf(folder, sizeof folder, "/tmp/bilancia-test-XXXXXX");
    assert_non_null(mkdtemp(folder));
    char state[100];
    snprintf(state, sizeof state, "%s/state", folder);
    setenv("XDG_STATE_HOME", state, 1); /* a ledger of its own, and indexes */
    snprintf(state, sizeof state, "%s/cache", folder);
    setenv("XDG_CACHE_HOME", state, 1);
    setenv("LC_ALL", "C.UTF-8", 1);
    setenv("BILANCIA_TURNS", folder, 1); /* other tests have units of the same number */
    hints_on = getenv("BILANCIA_HINTS") != NULL;
}

void tool_end(void)
{
    if (hints_run)
        print_message("%u proposals followed\n", hints_run);
    for (int i = 0; i < UNITS; i++)
        stop_unit(i);
    char line[100];
    snprintf(line, sizeof line, "rm -rf %s %s.tar", folder, folder);
    assert_int_equal(system(line), 0);
}
