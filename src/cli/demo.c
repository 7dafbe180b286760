/* bilancia demo: the whole job on a simulated plant, every command as it can be typed. */
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/cli.h"

enum { UNITS = 4 };

typedef struct plant {
    char folder[PATH_MAX], tool[PATH_MAX];
    pid_t units[UNITS];
    char address[UNITS][80];
} plant;

/* ---- the simulated units ---- */

static bool start_unit(plant *p, int which, const char *model, const char *control)
{
    int pipe_ends[2];
    if (pipe(pipe_ends) != 0)
        return false;
    pid_t parent = getpid();
    p->units[which] = fork();
    if (p->units[which] == 0) {
        prctl(PR_SET_PDEATHSIG, SIGTERM); /* no unit stays behind, whatever ends the demo */
        if (getppid() != parent)
            _exit(1);
        dup2(pipe_ends[1], STDOUT_FILENO);
        close(pipe_ends[0]);
        close(pipe_ends[1]);
        execl(p->tool, "bilancia", "simulate", model, "--control", control, (char *)NULL);
        _exit(127);
    }
    close(pipe_ends[1]);
    FILE *said = fdopen(pipe_ends[0], "r");
    char line[300] = "", found[80] = "";
    bool good = said && fgets(line, sizeof line, said) && sscanf(line, "%*s at %79[^, \n]", found) == 1;
    if (said)
        fclose(said);
    snprintf(p->address[which], sizeof p->address[which], "%s", found);
    return good;
}

static void stop_units(plant *p)
{
    for (int i = 0; i < UNITS; i++)
        if (p->units[i] > 0) {
            kill(p->units[i], SIGTERM);
            waitpid(p->units[i], NULL, 0);
        }
}

/* ---- the commands ---- */

/* Prints a command and runs it in a shell in the plant's folder. Returns its exit code. */
static int play(const plant *p, const char *why, const char *text)
{
    say("\n%s# %s%s\n%s$ %s%s\n", good(), why, plain(), bold(), text, plain());
    fflush(stdout);
    pid_t child = fork();
    if (child == 0) {
        char line[3000];
        snprintf(line, sizeof line, "bilancia() { '%s' \"$@\"; }\n%s", p->tool, text);
        if (chdir(p->folder) != 0)
            _exit(126);
        close(STDIN_FILENO); /* nobody is asked: what a person confirms stays open */
        open("/dev/null", O_RDONLY);
        execl("/bin/sh", "sh", "-c", line, (char *)NULL);
        _exit(127);
    }
    int status = 0;
    if (child < 0 || waitpid(child, &status, 0) != child)
        return 127;
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128;
}

/* The copies of this device, named so in the folder; the newest one comes last. */
static bool newest_copy(const plant *p, const char *device, char *out, size_t size)
{
    DIR *dir = opendir(p->folder);
    if (!dir)
        return false;
    out[0] = '\0';
    struct dirent *entry;
    while ((entry = readdir(dir))) {
        const char *name = entry->d_name;
        size_t length = strlen(name);
        if (length > 5 && strcmp(name + length - 5, ".bset") == 0 && length < size &&
            strncmp(name, device, strlen(device)) == 0 && strcmp(name, out) > 0)
            snprintf(out, size, "%.*s", (int)size - 1, name);
    }
    closedir(dir);
    return out[0] != '\0';
}

static bool write_password(const plant *p, const char *name, const char *text)
{
    char path[PATH_MAX + 20];
    snprintf(path, sizeof path, "%s/%s", p->folder, name);
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    bool good = fd >= 0 && write(fd, text, strlen(text)) == (ssize_t)strlen(text);
    if (fd >= 0)
        close(fd);
    return good;
}

static int unexpected(int code)
{
    tell(stderr, "bilancia demo: the last command ended with %d, which it shouldn't\n", code);
    return EXIT_INCOMPLETE;
}

/* A command of a story, in which @ is the address of the device and # its copy; what it has to end with. */
typedef struct scene {
    const char *why, *text;
    int code;
} scene;

static int play_all(const plant *p, const scene *scenes, size_t count, const char *device, const char *address)
{
    char copy[300] = "";
    for (size_t i = 0; i < count; i++) {
        char line[2000];
        size_t used = 0;
        for (const char *at = scenes[i].text; *at && used + 400 < sizeof line; at++)
            if (*at == '@')
                used += (size_t)snprintf(line + used, sizeof line - used, "%s", address);
            else if (*at == '#')
                used += (size_t)snprintf(line + used, sizeof line - used, "%s", copy);
            else
                line[used++] = *at;
        line[used] = '\0';
        int code = play(p, scenes[i].why, line);
        if (code != scenes[i].code || (!copy[0] && !newest_copy(p, device, copy, sizeof copy)))
            return unexpected(code);
    }
    return EXIT_DONE;
}

static int drive(const plant *p, const char *address)
{
    static const scene scenes[] = {
        {"Read the drive of the crusher and keep its values.", "bilancia read @ --why 'the crusher runs well'",
         EXIT_DONE},
        {"Weeks later somebody changes two values at the drive itself.",
         "bilancia simulate --at crusher.ctl set limit.torque 95.0\n"
         "bilancia simulate --at crusher.ctl set ramp.up 3.500",
         EXIT_DONE},
        {"The crusher is slow today. What is different? (Exit code 1: there are differences.)", "bilancia compare # @",
         EXIT_DIFFERENT},
        {"Worse: the drive is reset to factory values. Give it a moment to start.",
         "bilancia simulate --at crusher.ctl factory-reset; sleep 4", EXIT_DONE},
        {"Write the copy back. --yes answers the question; without it, it asks.",
         "bilancia write # @ --yes --password-fd 3 3< password", EXIT_DONE},
        {"Cut the power: do the values last?", "bilancia simulate --at crusher.ctl power-cut; sleep 4", EXIT_DONE},
        {"Compare once more. (Exit code 0: equal.)", "bilancia compare # @", EXIT_DONE},
    };
    return play_all(p, scenes, sizeof scenes / sizeof scenes[0], "crusher", address);
}

static int controller(const plant *p, const char *address)
{
    static const scene scenes[] = {
        {"The kneading controller is another model: its description is found by itself.", "bilancia read @", EXIT_DONE},
    };
    return play_all(p, scenes, sizeof scenes / sizeof scenes[0], "kneading", address);
}

static int logger(const plant *p, const char *address)
{
    static const scene scenes[] = {
        {"The tank logger has no registers: it is asked in words, on a console. Its channels are printed as one table.",
         "bilancia read @", EXIT_DONE},
        {"A tank gets another gauge. The logger takes that only while it is set up; it is held for it, and let go. "
         "What it has stored until now would be cleared: that is collected first.",
         "bilancia set @ channel_3.high=9.500 'channel_3.label=Oil tank 3b' --collect --yes --prove --password-fd 3 3< "
         "code",
         EXIT_DONE},
    };
    return play_all(p, scenes, sizeof scenes / sizeof scenes[0], "tank-room", address);
}

static int labeller(const plant *p, const char *address)
{
    static const scene scenes[] = {
        {"The labeller is asked by HTTP. Its values are in five JSON documents, its layouts and a picture are files.",
         "bilancia read @", EXIT_DONE},
        {"The labels of the quarter bottle sit too low. Its account is asked for; "
         "what others have in the same document stays.",
         "bilancia set @ product_3.lift=9.5 head_2.delay=95 --yes --prove --password-fd 3 3< account", EXIT_DONE},
        {"Somebody puts another layout on it, and the labels come out bare.",
         "bilancia simulate --at labeller.ctl set media.layout_2 'label 96 72'", EXIT_DONE},
        {"What is different? (Exit code 1: there are differences.)", "bilancia compare # @ --group media",
         EXIT_DIFFERENT},
        {"Only the files are written back, each is proved by its bytes.",
         "bilancia write # @ --group media --yes --prove --password-fd 3 3< account", EXIT_DONE},
    };
    return play_all(p, scenes, sizeof scenes / sizeof scenes[0], "labeller", address);
}

/* The plant: what there is, and what is played on it. */
static const struct {
    const char *kind, *model, *name, *text;
    int (*story)(const plant *p, const char *address);
} devices[UNITS] = {{"drive", "ed-30", "crusher", "drive ED-30", drive},
                    {"controller", "ec-8", "kneading", "kneading controller EC-8", controller},
                    {"logger", "el-16", "tank-room", "tank logger EL-16", logger},
                    {"labeller", "en-2", "labeller", "labeller EN-2", labeller}};

static bool own_path(char *out, size_t size)
{
    ssize_t length = readlink("/proc/self/exe", out, size - 1);
    if (length <= 0)
        return false;
    out[length] = '\0';
    return strchr(out, '\'') == NULL;
}

static int play_plant(plant *p, const char *only)
{
    int code = EXIT_DONE;
    for (int i = 0; i < UNITS && code == EXIT_DONE; i++) {
        char control[PATH_MAX + 40];
        if (only && strcmp(only, devices[i].kind) != 0)
            continue;
        snprintf(control, sizeof control, "%s/%s.ctl", p->folder, devices[i].name);
        if (!start_unit(p, i, devices[i].model, control))
            code = say_error("", BIL_E_CONTROL, "the simulated units don't start");
        else
            say("  %-10s %-27s %s\n", devices[i].name, devices[i].text, p->address[i]);
    }
    for (int i = 0; i < UNITS && code == EXIT_DONE; i++)
        if (p->units[i])
            code = devices[i].story(p, p->address[i]);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    char *only = NULL;
    struct poptOption options[] = {
        {"only", 'o', POPT_ARG_STRING, &only, 0, "what only this can: drive, controller, logger or labeller", "KIND"},
        {"help", 'h', POPT_ARG_NONE, NULL, 'h', "this text", NULL},
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 0);
    if (code >= 0)
        return code;
    bool known = !only;
    for (int i = 0; i < UNITS; i++)
        known = known || strcmp(only, devices[i].kind) == 0;
    plant p = {.folder = "/tmp/bilancia-demo-XXXXXX"};
    if (!known)
        return call_end(&c,
                        say_error(only, BIL_E_CALL, "the plant has a drive, a controller, a logger and a labeller"));
    if (!own_path(p.tool, sizeof p.tool) || !mkdtemp(p.folder) || !write_password(&p, "password", "mill-30\n") ||
        !write_password(&p, "code", "olive\n") || !write_password(&p, "account", "label-1\n"))
        return call_end(&c, say_error(p.folder, BIL_E_FILE_WRITE, strerror(errno)));
    setenv("XDG_STATE_HOME", p.folder, 1); /* what is played here is no story of this person's devices */
    say("%sPoggio Finto%s, an olive mill. Some of its devices are simulated now, in %s\n", bold(), plain(), p.folder);
    code = play_plant(&p, only);
    stop_units(&p);
    if (code == EXIT_DONE)
        say("\n%s✓ The whole job was played.%s Copies, records and safety copies are in %s\n", good(), plain(),
            p.folder);
    return call_end(&c, code);
}

const command command_demo = {"demo",
                              "[--only drive|controller|logger|labeller]",
                              "plays the whole job on a simulated plant, in less than a minute",
                              "  bilancia demo\n"
                              "  bilancia demo --only logger    what only that can\n",
                              run,
                              700};
