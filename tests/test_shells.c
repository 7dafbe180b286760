/* Completion in real interactive shells at a pseudo-terminal: names that a site brings go onto the line as words, and
 * nothing of them is run. */
#include <pty.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include "tool.h"

/* Each begins with a letter of its own, so that one letter and the tab key are enough. */
static const char *const names[] = {"a$(touch pwned)",
                                    "b`touch pwned`",
                                    "c\"touch pwned\"",
                                    "d'touch pwned'",
                                    "e*",
                                    "f two  blanks",
                                    "g;touch pwned",
                                    "h&touch pwned&",
                                    "i\\touch pwned",
                                    "j!touch pwned",
                                    "k{a,b}",
                                    "l[ab]?",
                                    "m|touch pwned",
                                    "n>pwned",
                                    "o=touch pwned",
                                    "p:colon:",
                                    "q%s%n",
                                    "r$HOME",
                                    "s^x^y",
                                    "tü ñ",
                                    "u~root",
                                    "v(touch pwned)",
                                    "w@host",
                                    "x,y",
                                    "y+1"};
enum { NAMES = sizeof names / sizeof names[0] };

static void plant(void)
{
    expect(0, NULL, sh("b site make mill; mkdir mill/empty"));
    for (size_t i = 0; i < NAMES; i++) {
        char path[100];
        snprintf(path, sizeof path, "%s/name", folder);
        FILE *file = fopen(path, "w");
        fputs(names[i], file);
        fclose(file);
        expect(0, "added", sh("b device add \"$(cat name)\" modbus+tcp://192.0.2.1/%zu --site mill", i + 1));
    }
    /* names that no device may have are never read, whatever file brings them */
    expect(0, NULL,
           sh("python3 - <<'P'\n"
              "import hashlib, json, os\n"
              "for name in ('z\\ntouch pwned', 'z\\x1b[2Jx', 'z\\u202ex', 'z/../../x', 'z#x', ' z', 'z' * 300, ''):\n"
              "    at = 'mill/devices/z%%d/notes' %% len(os.listdir('mill/devices'))\n"
              "    os.makedirs(at)\n"
              "    note = {'bilancia_note': 0, 'kind': 'device', 'name': name, 'when': '2026-11-23T07:00:00Z',\n"
              "            'who': 'x', 'address': 'modbus+tcp://192.0.2.2/1'}\n"
              "    text = json.dumps(note, sort_keys=True, separators=(',', ':'), ensure_ascii=False)\n"
              "    name = '20261123T070000Z-%%s.json' %% hashlib.sha256(text.encode()).hexdigest()[:12]\n"
              "    open(os.path.join(at, name), 'w').write(text)\n"
              "P"));
    /* in place of the tool one that writes down what it was called with; it asks the tool for completions */
    expect(
        0, NULL,
        sh("mkdir -p bin; printf '#!/bin/sh\\n[ \"$1\" = complete ] && exec %%s \"$@\"\\nfor word; do printf "
           "\"[%%%%s]\" \"$word\"; done >>\"$GOT\"; echo >>\"$GOT\"\\n' \"$B\" >bin/bilancia; chmod +x bin/bilancia"));
}

static pid_t start_shell(int *master, const char *shell, const char *const *words)
{
    char path[4200], got[100];
    struct winsize size = {.ws_row = 40, .ws_col = 200};
    snprintf(path, sizeof path, "%s/bin:%s", folder, getenv("PATH"));
    snprintf(got, sizeof got, "%s/got", folder);
    pid_t child = forkpty(master, NULL, NULL, &size);
    if (child == 0) {
        setenv("TERM", "xterm", 1);
        setenv("PATH", path, 1);
        setenv("GOT", got, 1);
        setenv("HOME", folder, 1);
        setenv("LC_ALL", "C.UTF-8", 1);
        char site[100];
        snprintf(site, sizeof site, "%s/mill/empty", folder);
        if (chdir(site) == 0)
            execvp(shell, (char *const *)(uintptr_t)words);
        _exit(127);
    }
    return child;
}

static void complete_in(const char *shell, const char *const *words, const char *prepare)
{
    int master;
    char path[100], line[60];
    expect(0, NULL, sh("rm -f got"));
    pid_t child = start_shell(&master, shell, words);
    type_at(master, prepare);
    type_at(master, "\n");
    wait_for(master, "rea"
                     "dy");
    for (size_t i = 0; i < NAMES; i++) {
        /* both tabs: the second one would list what is left to choose from */
        snprintf(line, sizeof line, "bilancia show %c\t\t\necho do''ne\n", names[i][0]);
        type_at(master, line);
        wait_for(master, "done");
    }
    /* nothing on the line, and the list of all */
    type_at(master, "bilancia show \t\t");
    type_at(master, "\025");
    type_at(master, "echo do''ne\n");
    wait_for(master, "done");
    type_at(master, "exit\n");
    char rest[1000];
    while (read(master, rest, sizeof rest) > 0)
        continue;
    close(master);
    waitpid(child, NULL, 0);
    snprintf(path, sizeof path, "%s/got", folder);
    FILE *file = fopen(path, "r");
    assert_non_null(file);
    for (size_t i = 0; i < NAMES; i++) {
        char got[300] = "", wanted[300];
        if (fgets(got, sizeof got, file))
            got[strcspn(got, "\n")] = '\0';
        snprintf(wanted, sizeof wanted, "[show][%s]", names[i]);
        if (strcmp(got, wanted) != 0)
            fail_msg("%s: wanted %s, and %s came", shell, wanted, got);
    }
    fclose(file);
    expect(1, NULL, sh("find . -name pwned | grep ."));
}

static void in_bash(void **state)
{
    (void)state;
    complete_in("bash", (const char *const[]){"bash", "--norc", "--noprofile", "-i", NULL},
                "source <(bilancia complete bash); echo rea''dy");
}

static void in_zsh(void **state)
{
    (void)state;
    complete_in("zsh", (const char *const[]){"zsh", "-f", "-i", NULL},
                "autoload -U compinit; compinit -u -D; source <(bilancia complete zsh); echo rea''dy");
}

static void in_fish(void **state)
{
    (void)state;
    complete_in("fish", (const char *const[]){"fish", "--no-config", "-i", NULL},
                "bilancia complete fish | source; echo rea''dy");
}

static int begin(void **state)
{
    (void)state;
    tool_begin();
    hints_on = false; /* nobody is at these addresses, and that takes its time */
    plant();
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
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(in_bash),
        cmocka_unit_test(in_zsh),
        cmocka_unit_test(in_fish),
    };
    return cmocka_run_group_tests_name("shells", tests, begin, end);
}
