/* A device that has its values in documents: how it answers, its resources, and where in them a value stands. */
#include <ctype.h>
#include <string.h>

#include "bilancia/http.h"
#include "host/describe/loading.h"

enum { PATH = 200, KEY = 100, MOST = 100 };

/* RFC 3986, 3.3 and 3.4 */
static bool is_path(const char *text)
{
    for (; *text; text++)
        if (!isalnum((unsigned char)*text) && !strchr("-._~!$&'()*+,;=:@/?%", *text))
            return false;
    return true;
}

/* Where each connection begins with a login, and what it shows before that. */
static void load_enter(load *l, yaml_node_t *map, bil_http *http)
{
    yaml_node_t *enter = l->bad ? NULL : load_get(l, map, "enter"),
                *greets = l->bad ? NULL : load_get(l, map, "greets"), *slot = l->bad ? NULL : load_get(l, map, "slot");
    if (l->bad || (!enter && !greets && !slot))
        return;
    if (!enter || !greets)
        load_complain(l, map,
                      "\"enter\" and \"greets\" belong together: where it wants a login, and what it shows first");
    else if (http->login == BIL_LOGIN_NONE)
        load_complain(l, enter, "the link says how to log in: \"login\"");
    if (l->bad)
        return;
    http->enter = load_keep(l, load_want_text(l, enter, PATH));
    http->greets = load_want_pattern(l, greets);
    if (!l->bad && (http->enter[0] != '/' || http->enter[1] == '/' || !is_path(http->enter)))
        load_complain(l, enter, "this is the path of a resource: /api/unit");
    load_login_slot(l, map);
}

static void load_how(load *l, yaml_node_t *map)
{
    static const char *const logins[] = {"none", "basic", "digest", "bearer", NULL};
    static const char *const keys[] = {"kind",    "login",    "user",    "enter",   "greets",     "slot",
                                       "refuses", "reply_ms", "late_ms", "busy_ms", "busy_tries", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *login = l->bad ? NULL : load_get(l, map, "login"), *user = l->bad ? NULL : load_get(l, map, "user"),
                *refuses = l->bad ? NULL : load_get(l, map, "refuses");
    if (l->bad)
        return;
    bil_http *http = load_take(l, sizeof *http);
    http->login = (uint8_t)(login ? load_want_name(l, login, logins) : BIL_LOGIN_NONE);
    bool named = http->login == BIL_LOGIN_BASIC || http->login == BIL_LOGIN_DIGEST;
    if (!l->bad && named != (user != NULL))
        load_complain(l, user ? user : map, "basic and digest logins have a \"user\", and only those");
    if (!l->bad && user)
        http->user = load_keep(l, load_want_text(l, user, NAME_LIMIT));
    if (!l->bad && user &&
        (!http->user[0] || strchr(http->user, ':') || !bil_text_is_printable(http->user, strlen(http->user))))
        load_complain(l, user, "this is no name of a user");
    if (!l->bad && refuses)
        http->refuses = load_keep(l, load_want_text(l, refuses, KEY));
    if (!l->bad && refuses && http->refuses[0] != '/')
        load_complain(l, refuses, "this is a JSON Pointer: /error");
    l->table->http = http;
    load_enter(l, map, http);
}

/* `GET /api/limits`, by one of these methods. */
static const char *want_resource(load *l, yaml_node_t *node, const char *const *methods)
{
    const char *text = load_want_text(l, node, PATH), *path = strchr(text, ' ');
    bool good = path && path[1] == '/' && path[2] != '/' && is_path(path + 1), known = false;
    for (size_t i = 0; path && methods[i]; i++)
        known = known ||
                (strlen(methods[i]) == (size_t)(path - text) && memcmp(methods[i], text, (size_t)(path - text)) == 0);
    if (!l->bad && (!good || !known))
        load_complain(l, node, "this is %s and the path of a resource: \"%s /api/limits\"",
                      methods[1] ? "PATCH, PUT, POST or LOGIN" : "GET", methods[0]);
    return load_keep(l, text);
}

static void load_space(load *l, yaml_node_t *node, bil_space *space)
{
    static const char *const keys[] = {"read", "write", "most", "files", NULL};
    static const char *const reads[] = {"GET", NULL}, *const writes[] = {"PATCH", "PUT", "POST", "LOGIN", NULL};
    load_check_keys(l, node, keys);
    if (l->bad)
        return;
    yaml_node_t *read = load_get(l, node, "read"), *write = load_get(l, node, "write"),
                *most = load_get(l, node, "most"), *files = load_get(l, node, "files");
    bool holds = files && load_want_yes(l, files);
    uint8_t sharing = holds ? BIL_SHARE_NONE : BIL_SHARE_ANY;
    *space = (bil_space){.ask = read ? want_resource(l, read, reads) : NULL,
                         .set = write && !l->bad ? want_resource(l, write, writes) : NULL,
                         .reading = sharing,
                         .writing = sharing,
                         .keys = true,
                         .read_most = holds ? 1 : UINT16_MAX,
                         .write_most = (uint16_t)(holds  ? 1
                                                  : most ? load_want_number(l, most, 1, 1000)
                                                         : MOST)};
    if (l->bad)
        return;
    if (!read && !write)
        load_complain(l, node, "a space is read or written: \"read\" or \"write\"");
    else if (holds && (!read || most || (write && strncmp(space->set, "PUT", 3) != 0)))
        load_complain(l, node, "files are read by GET and written by PUT, one a request");
    else if (write && strncmp(space->set, "LOGIN", 5) == 0 && l->table->http->login == BIL_LOGIN_NONE)
        load_complain(l, write, "the link says how to log in: \"login\"");
    else if (write && strncmp(space->set, "LOGIN", 5) == 0 && read)
        load_complain(l, read, "what is logged in with can't be read");
}

/* A JSON Pointer (RFC 6901); of a file, what comes behind the path of its space. */
static void load_key(load *l, bil_param *param, yaml_node_t *at)
{
    const char *key = load_want_text(l, at, KEY);
    bool good = key[0] == '/' && bil_text_is_printable(key, strlen(key));
    unsigned deep = 0;
    for (const char *c = key; *c && good; c++) {
        deep += *c == '/';
        good = *c != '~' || c[1] == '0' || c[1] == '1';
    }
    if (param->format->type == BIL_FILE) {
        if (!l->bad && (!good || !is_path(key)))
            load_complain(l, at, "this is what comes behind the path of the space: /logo");
    } else if (!l->bad && (!good || deep >= BIL_HTTP_DEEPEST)) {
        load_complain(l, at, "this is a JSON Pointer: /speed/max");
    }
    param->at.key = load_keep(l, key);
}

/* The number of an element would be a name in a patch, which puts an object in the place of the array (RFC 7396). */
static void check_place(load *l, uint16_t index)
{
    bil_param *param = &l->params[index];
    const bil_space *space = &l->own_spaces[param->space];
    bool file = param->format->type == BIL_FILE;
    load_file_lies(l, index, space->reading == BIL_SHARE_NONE);
    for (uint16_t i = 0; i < index && file; i++) /* its number, by which its tag is kept */
        param->cells = (uint8_t)(param->cells + (l->params[i].format->type == BIL_FILE && param->cells < UINT8_MAX));
    if (file || l->bad || !(param->flags & BIL_WRITABLE) || strncmp(space->set, "PUT", 3) == 0)
        return;
    for (const char *c = strchr(param->at.key, '/'); c && !l->bad; c = strchr(c + 1, '/')) {
        size_t digits = strspn(c + 1, "0123456789");
        if (digits && digits == strcspn(c + 1, "/"))
            load_complain(l, l->nodes[index], "%s lies in an array, which is replaced whole: that is written by PUT",
                          param->id);
    }
}

const load_link_kind load_http = {"http", true, load_how, load_space, load_key, check_place};
