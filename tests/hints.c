/* Commands that the tool proposes are run as they stand, each in a copy of the state in which it was proposed. */
#include "tool.h"

#include <regex.h>
#include <unistd.h>

const char *hints_in; /* where a person stands, as seen from the folder; NULL: hints are only text */
unsigned hints_run;

enum { HINT = 1500 };

/* What a person puts in for a word in capitals. */
static const char *const filled[][2] = {
    {"FOLDER", "$HOME/elsewhere"}, {"NAME ADDRESS", "newcomer modbus+tcp://127.0.0.1:9/1"},
    {"NAME", "newcomer"},          {"ADDRESS", unit_at[0]},
    {"DEVICE", "crusher"},         {"COMMAND", "write"}};

/* What comes of it: the greatest exit code, and what it says then, one of them. */
static const struct {
    const char *begins;
    int most;
    const char *says[3];
} promised[] = {
    {"--help", 0, {"Usage:", NULL, NULL}},
    {"write ", 0, {"✓ verified", "✓ in force", "✓ already so"}},
    {"resume ", 0, {"✓ verified", "✓ in force", "✓ already so"}},
    {"undo ", 0, {"✓ verified", "✓ in force", "✓ already so"}},
    {"keep ", 0, {"✓ verified", "✓ in force", NULL}},
    {"tried ", 0, {"✓ all of it", NULL, NULL}},
    {"baseline ", 0, {"baseline", NULL, NULL}},
    {"read ", 0, {"✓", "same", NULL}},
    {"compare ", 1, {"differ", "same", NULL}},
    {"device add ", 0, {"✓ added", NULL, NULL}},
    {"share ", 0, {"✓", NULL, NULL}},
    {"take-in ", 0, {"✓", NULL, NULL}},
    {"", 0, {"", NULL, NULL}},
};

/* The proposals of an overview, which it no longer makes once they were followed. */
static const char settled[] =
    "(to (finish|go back|keep it|answer|mark one|make one|prove it|ask again|ask) +|second one: +)$";

/* All but what begins with "unit": their channels, and what a test writes down. */
static void keep_state(bool back)
{
    char line[600];
    snprintf(line, sizeof line,
             back ? "cd %s && find . -mindepth 1 -maxdepth 1 ! -name 'unit*' -exec rm -rf {} + && tar xf %s.tar"
                  : "cd %s && tar cf %s.tar --exclude='./unit*' .",
             folder, folder);
    assert_int_equal(system(line), 0);
    for (int unit = 0; unit < UNITS; unit++) {
        snprintf(line, sizeof line, "%s/unit%d.ctl", folder, unit);
        if (access(line, F_OK) == 0)
            assert_int_equal(control(unit, back ? "recall" : "remember"), 0);
        if (access(line, F_OK) == 0 && !back) /* what came with the proposal was seen to: supply, cable */
            assert_int_equal(control(unit, "plug-in"), 0);
    }
}

static void fill_in(char hint[HINT])
{
    for (size_t i = 0; i < sizeof filled / sizeof filled[0]; i++) {
        char *at = strstr(hint, filled[i][0]), rest[HINT];
        if (!at)
            continue;
        snprintf(rest, sizeof rest, "%s", at + strlen(filled[i][0]));
        snprintf(at, HINT - (size_t)(at - hint), "%s%s", filled[i][1], rest);
    }
}

static bool any_of(const char *const *says)
{
    for (int i = 0; i < 3 && says[i]; i++)
        if (strstr(output, says[i]))
            return true;
    return false;
}

static void follow(const char *in, const char *before, size_t before_length, const char *found)
{
    char hint[HINT], line[300];
    regex_t pattern;
    size_t i = 0;
    snprintf(hint, sizeof hint, "%s", found);
    fill_in(hint);
    snprintf(line, sizeof line, "%.*s", (int)before_length, before);
    const char *command = strstr(hint, "--help") ? "--help" : hint + strlen("bilancia ");
    while (strncmp(command, promised[i].begins, strlen(promised[i].begins)) != 0)
        i++;
    keep_state(false);
    setenv("BILANCIA_PASSWORD", "mill-30", 1);
    int code = at_terminal(200, 50, "yes\nyes\nyes\nyes\nyes\nyes\n", "HOME=$PWD; cd %s; bilancia() { b \"$@\"; }; %s",
                           in, hint);
    unsetenv("BILANCIA_PASSWORD");
    if (code == 4 && strcmp(promised[i].begins, "read ") == 0) { /* asked again, and nobody is there */
        assert_non_null(strstr(output, "What to do: "));
        keep_state(true);
        hints_run++;
        return;
    }
    if (code < 0 || code > promised[i].most || !any_of(promised[i].says)) {
        fprintf(stderr, "%s\n", output); /* whole: a failure's own text is cut */
        fail_msg("\"%s\" was proposed; exit %d came of it", hint, code);
    }
    assert_int_equal(regcomp(&pattern, settled, REG_EXTENDED | REG_NOSUB), 0);
    if (regexec(&pattern, line, 0, NULL, 0) == 0) {
        sh("cd %s; b overview", in);
        if (strstr(output, found))
            fail_msg("\"%s\" was followed, and is proposed again:\n%s", hint, output);
    }
    regfree(&pattern);
    keep_state(true);
    hints_run++;
}

/* A proposal ends with its line, or where the next one, or a remark, begins. */
static size_t length_of(const char *hint, bool in_quotes)
{
    size_t length = strcspn(hint, in_quotes ? "\"" : "\r\n`");
    static const char *const ends[] = {"; ", ", or ", " (", ". "};
    for (size_t i = 0; i < sizeof ends / sizeof ends[0]; i++) {
        const char *at = strstr(hint, ends[i]);
        if (at && (size_t)(at - hint) < length)
            length = (size_t)(at - hint);
    }
    while (length && (hint[length - 1] == '.' || hint[length - 1] == ')'))
        length--;
    return length;
}

void hints_hold(void)
{
    static char said[OUTPUT];
    const char *in = hints_in, *word = "bilancia ";
    if (!in || strstr(output, "\nOptions:")) /* nobody asked for it; a manual has examples, not proposals */
        return;
    hints_in = NULL; /* what comes meanwhile isn't followed */
    memcpy(said, output, sizeof said);
    for (char *at = said; (at = strstr(at, word)); at += strlen(word)) {
        char *line = at, hint[HINT];
        while (line > said && line[-1] != '\n')
            line--;
        size_t length = length_of(at, at > said && at[-1] == '"');
        snprintf(hint, sizeof hint, "%.*s", (int)length, at);
        /* not the name of a command before what went wrong with it, nor how it is called in general */
        if (strchr(hint + strlen(word), ':') == hint + strlen(word) + strcspn(hint + strlen(word), " :") ||
            strncmp(hint, "bilancia demo", 13) == 0 || /* has a test of its own */
            strstr(line, "Usage: ") == at - strlen("Usage: "))
            continue;
        follow(in, line, (size_t)(at - line), hint);
    }
    memcpy(output, said, sizeof said);
    hints_in = in;
}
