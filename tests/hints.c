/* Commands that the tool proposes are run as they stand, each in a copy of the state in which it was proposed. */
#include "tool.h"

#include <ctype.h>
#include <regex.h>
#include <unistd.h>

bool hints_on;
unsigned hints_run;

enum { HINT = 1500 };

/* What a person puts in for a word in capitals. */
static const char *const filled[][2] = {{"--site FOLDER", "--site $HOME/mill"},
                                        {"FOLDER", "$HOME/a-second-place"},
                                        {"NAME ADDRESS", "newcomer modbus+tcp://127.0.0.1:9/1"},
                                        {"NAME", "newcomer"},
                                        {"ADDRESS", unit_at[0]},
                                        {"DEVICE", "crusher"},
                                        {"COMMAND", "write"}};

/* What comes of it: the greatest exit code, and what it says then, one of them. */
static const struct {
    const char *begins;
    int most;
    const char *says[3];
} promised[] = {
    {"--help", 0, {"Usage:", NULL, NULL}},
    {"write ", 0, {"✓ verified", "✓ in force", "✓ already so"}},
    {"resume ", 3, {"✓ verified", "already so", "To agree, type the serial number"}},
    {"undo ", 0, {"✓ verified", "✓ in force", "✓ already so"}},
    {"keep ", 0, {"✓ verified", "✓ in force", NULL}},
    {"tried ", 0, {"✓ all of it", NULL, NULL}},
    {"baseline ", 0, {"baseline", NULL, NULL}},
    {"read ", 0, {"✓", "same", NULL}},
    {"compare ", 1, {"differ", "same", NULL}},
    {"device add ", 0, {"added", NULL, NULL}},
    {"share ", 0, {"both have everything", NULL, NULL}},
    {"take-in ", 0, {"✓", NULL, NULL}},
    {"site check", 6, {"finding", "✓ sound", NULL}},
    {"find ",
     4,
     {"Networks of this computer", "addresses: ", "Asking "}}, /* a network like one of ours, with nobody there */
    {"device change ", 0, {"changed", NULL, NULL}},
    {"note ", 0, {"noted", NULL, NULL}},
    {"", 0, {"", NULL, NULL}},
};

/* The proposals of an overview, which it no longer makes once they were followed. */
static const char settled[] =
    "(to (finish|go back|keep it|answer|mark one|make one|prove it|ask again|ask) +|second one: +)$";

/* All but what begins with "unit": their channels, and what a test writes down; nor what is being said. */
static void keep_state(bool back)
{
    char line[600];
    snprintf(line, sizeof line,
             back ? "cd %s && find . -mindepth 1 -maxdepth 1 ! -name 'unit*' ! -name 'said*' -exec rm -rf {} + && tar "
                    "xf %s.tar"
                  : "cd %s && tar cf %s.tar --format=posix --exclude='./unit*' --exclude='./said*' .",
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

static void follow(const char *place, const char *before, size_t before_length, const char *found)
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
    bool given = getenv("BILANCIA_PASSWORD") != NULL;
    if (!given)
        setenv("BILANCIA_PASSWORD", "mill-30", 1);
    int code = at_terminal(200, 50, "yes\nyes\nyes\nyes\nyes\nyes\n",
                           ". %s; HOME=%s; export PAGER=cat; bilancia() { b \"$@\"; }; %s", place, folder, hint);
    if (!given)
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
        sh(". %s; b overview", place);
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
    static const char *const ends[] = {"; ", ", or ", " (", ". ", "  "};
    for (size_t i = 0; i < sizeof ends / sizeof ends[0]; i++) {
        const char *at = strstr(hint, ends[i]);
        if (at && (size_t)(at - hint) < length)
            length = (size_t)(at - hint);
    }
    while (length && (hint[length - 1] == '.' || hint[length - 1] == ')'))
        length--;
    return length;
}

/* A site's history proposes the same over and over: each kind of proposal twice in a program, all of them with "every".
 */
static bool often_enough(const char *hint)
{
    static struct {
        char shape[200];
        unsigned times;
    } seen[400];
    char shape[sizeof seen[0].shape];
    size_t i = 0;
    snprintf(shape, sizeof shape, "%s", hint);
    for (char *at = shape; *at; at++)
        if (isxdigit((unsigned char)*at))
            *at = '0';
    while (seen[i].times && strcmp(seen[i].shape, shape) != 0)
        i++;
    assert_true(i + 1 < sizeof seen / sizeof seen[0]);
    memcpy(seen[i].shape, shape, sizeof shape);
    return ++seen[i].times > 2 && strcmp(getenv("BILANCIA_HINTS"), "every") != 0;
}

void hints_hold(const char *said, const char *place)
{
    const char *word = "bilancia ";
    if (strstr(said, "\nOptions:") ||
        strstr(said, "bilancia complete --")) /* a manual has examples, not proposals; nor has a script */
        return;
    for (const char *at = said; (at = strstr(at, word)); at += strlen(word)) {
        const char *line = at;
        char hint[HINT];
        while (line > said && line[-1] != '\n')
            line--;
        size_t length = length_of(at, at > said && at[-1] == '"');
        snprintf(hint, sizeof hint, "%.*s", (int)length, at);
        /* not the name of a command before what went wrong with it, nor how it is called in general */
        if (strchr(hint + strlen(word), ':') == hint + strlen(word) + strcspn(hint + strlen(word), " :") ||
            strncmp(hint, "bilancia demo", 13) == 0 || /* has a test of its own */
            strstr(line, "Usage: ") == at - strlen("Usage: ") || often_enough(hint))
            continue;
        follow(place, line, (size_t)(at - line), hint);
    }
}
