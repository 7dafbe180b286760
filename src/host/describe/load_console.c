/* A device that is asked in words: how it speaks, its spaces, and where a value has its name. */
#include <string.h>

#include "bilancia/console.h"
#include "host/describe/loading.h"

enum { KEY = 100, PIECE = 40 }; /* bytes */

/* Does the pattern have this between braces? */
static bool has(const char *pattern, const char *place)
{
    size_t length = strlen(place);
    for (const char *at = pattern; at && (at = strchr(at, '{')); at++) {
        if (at[1] == '{')
            at++;
        else if (strncmp(at + 1, place, length) == 0 && at[1 + length] == '}')
            return true;
    }
    return false;
}

static const char *want_line(load *l, yaml_node_t *map, const char *key)
{
    yaml_node_t *node = l->bad ? NULL : load_get(l, map, key);
    return node ? load_want_pattern(l, node) : NULL;
}

/* A key held with Ctrl, as people write it: "^U". */
static const char *want_control(load *l, yaml_node_t *node)
{
    const char *text = load_want_text(l, node, 2);
    char sent[2] = {(char)(text[0] == '^' && text[1] >= 'A' && text[1] <= '_' ? text[1] & 0x1f : 0)};
    if (!l->bad && (!sent[0] || strchr("JM", text[1])))
        load_complain(l, node, "this is a key held with Ctrl that ends no line: \"^U\"");
    return load_keep(l, sent);
}

static const char *need_line(load *l, yaml_node_t *map, const char *key)
{
    yaml_node_t *node = l->bad ? NULL : load_need(l, map, key);
    return node && !l->bad ? load_want_pattern(l, node) : NULL;
}

/* What comes before the first prompt. */
static void load_login(load *l, yaml_node_t *map, bil_console *console)
{
    static const char *const keys[] = {"greets", "asks_user", "user", "asks", "refuses", "locked", "slot", NULL};
    load_check_keys(l, map, keys);
    const char *greets = need_line(l, map, "greets"), *asks = need_line(l, map, "asks");
    if (l->bad)
        return;
    yaml_node_t *whom = load_get(l, map, "asks_user"), *user = load_get(l, map, "user");
    bil_console_login *login = load_take(l, sizeof *login);
    *login = (bil_console_login){.greets = greets,
                                 .whom = want_line(l, map, "asks_user"),
                                 .user = user ? load_keep(l, load_want_text(l, user, NAME_LIMIT)) : NULL,
                                 .asks = asks,
                                 .refuses = want_line(l, map, "refuses"),
                                 .locked = want_line(l, map, "locked")};
    if (!l->bad && !whom != !user)
        load_complain(l, map, "\"asks_user\" and \"user\" belong together: what it asks, and the answer");
    if (!l->bad && user && (!login->user[0] || !bil_text_is_printable(login->user, strlen(login->user))))
        load_complain(l, user, "this is no name of a user");
    load_login_slot(l, map);
    console->login = login;
}

static void load_how(load *l, yaml_node_t *map)
{
    static const char *const ends[] = {"cr", "lf", "crlf", NULL}, *const sent[] = {"\r", "\n", "\r\n"};
    static const char *const keys[] = {"kind",    "prompt",  "ends",       "discard", "done",  "refuses",
                                       "later",   "taken",   "more",       "echo",    "login", "reply_ms",
                                       "late_ms", "busy_ms", "busy_tries", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *prompt = l->bad ? NULL : load_need(l, map, "prompt");
    if (l->bad)
        return;
    bil_console *console = load_take(l, sizeof *console);
    yaml_node_t *end = load_get(l, map, "ends"), *discard = load_get(l, map, "discard"),
                *echo = load_get(l, map, "echo"), *more = load_get(l, map, "more");
    *console = (bil_console){.prompt = load_keep(l, load_want_text(l, prompt, 40)),
                             .ends = sent[end ? load_want_name(l, end, ends) : 0],
                             .done = want_line(l, map, "done"),
                             .refuses = want_line(l, map, "refuses"),
                             .later = want_line(l, map, "later"),
                             .taken = want_line(l, map, "taken"),
                             .echo = echo && load_want_yes(l, echo)};
    if (!l->bad && discard)
        console->discard = want_control(l, discard);
    yaml_node_t *login = l->bad ? NULL : load_get(l, map, "login");
    if (login)
        load_login(l, login, console);
    if (!l->bad && more)
        console->more = load_keep(l, load_want_text(l, more, 40));
    if (!l->bad && !console->prompt[0])
        load_complain(l, prompt, "without a prompt nobody knows where an answer ends");
    l->table->console = console;
}

/* Does a pattern say which piece of which file? What comes back says at least which piece: one that could be taken for
 * another would make another file of it. */
static bool tells_piece(const char *pattern, bool answer)
{
    return has(pattern, "offset") && (answer ? has(pattern, "value") : has(pattern, "file"));
}

static bool is_of_files(const bil_space *space)
{
    return has(space->ask, "offset") || has(space->ask, "file") || has(space->set, "offset") || has(space->set, "file");
}

static void load_space(load *l, yaml_node_t *node, bil_space *space)
{
    static const char *const keys[] = {"read", "answer", "write", "shares", "files", "most", NULL};
    static const char *const shares[] = {"any", "none", NULL};
    load_check_keys(l, node, keys);
    if (l->bad)
        return;
    yaml_node_t *sharing = load_get(l, node, "shares"), *read = load_get(l, node, "read"),
                *answer = load_get(l, node, "answer"), *write = load_get(l, node, "write"),
                *files = load_get(l, node, "files"), *most = load_get(l, node, "most");
    bool any = sharing && load_want_name(l, sharing, shares) == 0, holds = files && load_want_yes(l, files);
    *space = (bil_space){.ask = want_line(l, node, "read"),
                         .set = want_line(l, node, "write"),
                         .answer = want_line(l, node, "answer"),
                         .reading = any ? BIL_SHARE_ANY : BIL_SHARE_NONE,
                         .writing = BIL_SHARE_NONE,
                         .keys = true,
                         .read_most = any ? UINT16_MAX : 1,
                         .write_most = holds ? PIECE : 1};
    if (most && !l->bad)
        space->write_most = (uint16_t)load_want_number(l, most, 1, BIL_CONSOLE_PIECE);
    if (l->bad)
        return;
    if (!read && !write)
        load_complain(l, node, "a space is read or written: \"read\" with \"answer\", or \"write\"");
    else if (!read != !answer)
        load_complain(l, node, "\"read\" and \"answer\" belong together");
    else if (any && (has(space->ask, "key") || has(space->ask, "row") || has(space->ask, "column")))
        load_complain(l, read, "one question brings all of them: it names none");
    else if (read && has(space->ask, "value"))
        load_complain(l, read, "a question has no value yet");
    else if (write && !has(space->set, "value"))
        load_complain(l, write, "{value} is missing here");
    else if (holds && (any || !tells_piece(space->ask, false) || !tells_piece(space->answer, true) ||
                       (write && !tells_piece(space->set, false))))
        load_complain(l, node,
                      "files go in pieces: {file} and {offset} stand in what is said, {offset} and {value} "
                      "in the answer");
    else if (!holds && is_of_files(space))
        load_complain(l, node, "{file} and {offset} are for files: say files: yes");
    else if (most && !holds)
        load_complain(l, most, "these are the bytes of a piece: only a space of files has them");
}

/* Is the value of this name told by the answer: as {value}, or in the column that it names? */
static bool answers(const char *pattern, const char *key)
{
    const char *column = strchr(key, ' ');
    return has(pattern, "value") || (column && column[1] && has(pattern, column + 1));
}

static void load_key(load *l, bil_param *param, yaml_node_t *at)
{
    const bil_space *space = &l->own_spaces[param->space];
    const char *key = load_want_text(l, at, KEY);
    bool row = (space->answer && has(space->answer, "row")) || (space->set && has(space->set, "row"));
    if (l->bad)
        return;
    if (!*key || !bil_text_is_printable(key, strlen(key)))
        load_complain(l, at, "this is the name of the value on the device");
    else if (is_of_files(space) && strchr(key, ' '))
        load_complain(l, at, "the name of a file is one word here");
    else if (row && (!strchr(key, ' ') || !strchr(key, ' ')[1]))
        load_complain(l, at, "this is a row and a column, with a blank between them");
    else if (space->answer && !answers(space->answer, key))
        load_complain(l, at, "the answer \"%s\" has no place for it", space->answer);
    param->at.key = load_keep(l, key);
}

static void check_place(load *l, uint16_t index)
{
    load_file_lies(l, index, is_of_files(&l->own_spaces[l->params[index].space]));
}

const load_link_kind load_console = {"console", true, load_how, load_space, load_key, check_place};
