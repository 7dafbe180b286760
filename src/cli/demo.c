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

typedef struct plant {
    char folder[PATH_MAX], tool[PATH_MAX];
    pid_t units[2];
    char address[2][80];
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
    for (int i = 0; i < 2; i++)
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

static bool newest_copy(const plant *p, char *out, size_t size)
{
    DIR *dir = opendir(p->folder);
    if (!dir)
        return false;
    out[0] = '\0';
    struct dirent *entry;
    while ((entry = readdir(dir))) {
        size_t length = strlen(entry->d_name);
        if (length > 5 && strcmp(entry->d_name + length - 5, ".bset") == 0 && strlen(entry->d_name) < size)
            snprintf(out, size, "%.*s", (int)size - 1, entry->d_name);
    }
    closedir(dir);
    return out[0] != '\0';
}

static bool write_password(const plant *p)
{
    char path[PATH_MAX + 20];
    snprintf(path, sizeof path, "%s/password", p->folder);
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    bool good = fd >= 0 && write(fd, "mill-30\n", 8) == 8;
    if (fd >= 0)
        close(fd);
    return good;
}

static int unexpected(int code)
{
    tell(stderr, "bilancia demo: the last command ended with %d, which it shouldn't\n", code);
    return EXIT_INCOMPLETE;
}

static int story(const plant *p)
{
    char line[2000], copy[300];
    const char *drive = p->address[0];
    snprintf(line, sizeof line, "bilancia read %s --why 'the crusher runs well'", drive);
    int code = play(p, "Read the drive of the crusher and keep its values.", line);
    if (code != EXIT_DONE || !newest_copy(p, copy, sizeof copy))
        return unexpected(code);
    code = play(p, "Weeks later somebody changes two values at the drive itself.",
                "bilancia simulate --at crusher.ctl set limit.torque 95.0\n"
                "bilancia simulate --at crusher.ctl set ramp.up 3.500");
    if (code != EXIT_DONE)
        return unexpected(code);
    snprintf(line, sizeof line, "bilancia compare %s %s", copy, drive);
    code = play(p, "The crusher is slow today. What is different? (Exit code 1: there are differences.)", line);
    if (code != EXIT_DIFFERENT)
        return unexpected(code);
    code = play(p, "Worse: the drive is reset to factory values. Give it a moment to start.",
                "bilancia simulate --at crusher.ctl factory-reset; sleep 4");
    if (code != EXIT_DONE)
        return unexpected(code);
    snprintf(line, sizeof line, "bilancia write %s %s --yes --password-fd 3 3< password", copy, drive);
    code = play(p, "Write the copy back. --yes answers the question; without it, it asks.", line);
    if (code != EXIT_DONE)
        return unexpected(code);
    code = play(p, "Cut the power: do the values last?", "bilancia simulate --at crusher.ctl power-cut; sleep 4");
    if (code != EXIT_DONE)
        return unexpected(code);
    snprintf(line, sizeof line, "bilancia compare %s %s", copy, drive);
    code = play(p, "Compare once more. (Exit code 0: equal.)", line);
    if (code != EXIT_DONE)
        return unexpected(code);
    snprintf(line, sizeof line, "bilancia read %s", p->address[1]);
    code = play(p, "The kneading controller is another model: its description is found by itself.", line);
    return code == EXIT_DONE ? EXIT_DONE : unexpected(code);
}

static bool own_path(char *out, size_t size)
{
    ssize_t length = readlink("/proc/self/exe", out, size - 1);
    if (length <= 0)
        return false;
    out[length] = '\0';
    return strchr(out, '\'') == NULL;
}

static int run(const command *self, int argc, const char **argv)
{
    struct poptOption options[] = {{"help", 'h', POPT_ARG_NONE, NULL, 'h', "this text", NULL}, POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 0);
    if (code >= 0)
        return code;
    call_end(&c, 0);
    plant p = {.folder = "/tmp/bilancia-demo-XXXXXX"};
    if (!own_path(p.tool, sizeof p.tool) || !mkdtemp(p.folder) || !write_password(&p))
        return say_error(p.folder, BIL_E_FILE_WRITE, strerror(errno));
    setenv("XDG_STATE_HOME", p.folder, 1); /* what is played here is no story of this person's devices */
    char control[PATH_MAX + 20];
    say("%sPoggio Finto%s, an olive mill. Two of its devices are simulated now, in %s\n", bold(), plain(), p.folder);
    snprintf(control, sizeof control, "%s/crusher.ctl", p.folder);
    bool good_start = start_unit(&p, 0, "ed-30", control);
    snprintf(control, sizeof control, "%s/kneading.ctl", p.folder);
    good_start = good_start && start_unit(&p, 1, "ec-8", control);
    say("  crusher   drive ED-30                 %s\n  kneading  kneading controller EC-8    %s\n", p.address[0],
        p.address[1]);
    code = good_start ? story(&p) : say_error("", BIL_E_CONTROL, "the simulated units don't start");
    stop_units(&p);
    if (code == EXIT_DONE)
        say("\n%s✓ The whole job was played.%s Copies, record and safety copy are in %s\n", good(), plain(), p.folder);
    return code;
}

const command command_demo = {
    "demo", "", "plays the whole job on a simulated plant, in less than a minute", "  bilancia demo\n", run, 700};
