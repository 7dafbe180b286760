/* Is a table that somebody made by hand one that the rest may rely on? What a description in YAML is checked for while
 * it is loaded, as far as a wrong table could make the library read or write where it mustn't, or do nonsense. */
#include <string.h>

#include "bilancia/cells.h"
#include "bilancia/console.h"
#include "bilancia/http.h"

enum { KEY = 255, SENTENCE = 400 }; /* bytes of a name on a link, and of what is said to people */

typedef struct checking {
    const bil_description *d;
    uint16_t where; /* index of the parameter that is looked at, or BIL_NONE */
    bool good;
} checking;

static void want(checking *c, bool condition)
{
    c->good = c->good && condition;
}

static void want_text(checking *c, const char *text, size_t most)
{
    want(c, text && strlen(text) <= most && bil_text_is_printable(text, strlen(text)));
}

/* `most`: bytes that any of them may have. */
static void want_texts(checking *c, const char *const *list, size_t count, size_t most)
{
    want(c, list || count == 0);
    for (size_t i = 0; c->good && i < count; i++)
        want_text(c, list[i], most);
}

static void want_reminders(checking *c, const bil_reminder *list, size_t count)
{
    want(c, list || count == 0);
    for (size_t i = 0; c->good && i < count; i++) {
        want_text(c, list[i].text, SENTENCE);
        if (list[i].when)
            want_text(c, list[i].when, 100 * (BIL_ID_MAX + 1));
        if (list[i].file)
            want_text(c, list[i].file, BIL_ID_MAX);
    }
}

static void want_params(checking *c, const uint16_t *list, size_t count)
{
    want(c, list || count == 0);
    for (size_t i = 0; c->good && i < count; i++)
        want(c, list[i] < c->d->count);
}

/* A parameter whose raw value is a number of up to 32 bits. */
static void want_number(checking *c, uint16_t index)
{
    want(c,
         index < c->d->count && c->d->params[index].format->type != BIL_TEXT && c->d->params[index].format->size <= 4);
}

static void want_number_or_none(checking *c, uint16_t index)
{
    if (index != BIL_NONE)
        want_number(c, index);
}

/* Of parts between dots; the rest of what an id may be is a matter of taste. */
static bool id_is_good(const char *id)
{
    size_t length = strlen(id);
    bool start = true;
    for (size_t i = 0; i < length; i++) {
        bool plain = (id[i] >= 'a' && id[i] <= 'z') || (id[i] >= '0' && id[i] <= '9') || id[i] == '_';
        if (!plain && (id[i] != '.' || start))
            return false;
        start = !plain;
    }
    return !start && length <= BIL_ID_MAX;
}

static void check_format(checking *c, const bil_format *format, bool cells)
{
    size_t size = bil_type_size((bil_type)format->type);
    bool is_float = bil_type_is_float((bil_type)format->type);
    want(c, format->type < BIL_TYPE_COUNT && format->size > 0 && format->size <= BIL_TEXT_MAX);
    want(c, size == 0 || size == format->size);
    want(c, format->decimals <= 18 && format->mul != 0 &&
                (size < 8 || is_float || (format->mul == 1 && format->offset == 0)));
    want(c, !is_float || format->offset == 0);
    want(c, format->choices || format->choice_count == 0);
    bool file = format->form == &bil_form_file;
    want(c, file == (format->type == BIL_FILE) && (!file || format->low <= format->high));
    bool address = format->type == BIL_IP4 || format->type == BIL_MAC;
    want(c, !address || format->form == &bil_form_address);
    want(c, format->type != BIL_TIME || !cells || (format->form && format->form->text == bil_time_text));
    want(c, format->form ? !format->form->from_cells == !format->form->to_cells
                         : !cells || (format->size == 1 && format->type != BIL_TEXT) || format->size % 2 == 0);
    want(c, format->bit + format->width <= 16 &&
                (!format->width ||
                 (format->form && format->form->from_cells && format->type != BIL_TEXT && format->size <= 2 &&
                  format->width <= (format->type == BIL_BOOL ? 1 : 8 * format->size))));
    size_t words = format->words ? bil_words_of(format) : 0;
    if (c->good)
        want_texts(c, format->words, words, BIL_VALUE_TEXT - 1);
    for (size_t i = 0; c->good && i < format->choice_count; i++)
        want_text(c, format->choices[i].name, BIL_VALUE_TEXT - 1);
}

static void check_param(checking *c, const bil_param *p)
{
    const bil_description *d = c->d;
    want(c, p->id && id_is_good(p->id) && p->space < d->space_count && p->cls < BIL_CLASS_COUNT && p->stage <= 9);
    want(c, c->where == 0 || !c->good || strcmp(p[-1].id, p->id) < 0);
    want_text(c, p->name, BIL_NAME_MAX);
    want_text(c, p->unit, BIL_UNIT_MAX);
    want(c, p->format != NULL);
    if (c->good)
        check_format(c, p->format, c->good && !d->spaces[p->space].keys && d->spaces[p->space].table < BIL_OBJECTS);
    want_params(c, p->resets, p->reset_count);
    if (p->only) {
        want(c, p->only->holds != NULL);
        want_texts(c, p->only->hardwares, p->only->hardware_count, BIL_VALUE_TEXT - 1);
        want_texts(c, p->only->firmwares, p->only->firmware_count, BIL_VALUE_TEXT - 1);
        bool mode = p->only->mode_count;
        want(c,
             mode == (p->only->holds == bil_only_in_mode) && (!mode || (p->only->modes && p->only->mode < d->count)));
        want(c, !c->good || !mode ||
                    (d->params[p->only->mode].flags & BIL_MODE && d->params[p->only->mode].flags & BIL_READABLE &&
                     !d->params[p->only->mode].only && d->params[p->only->mode].format->size <= 4));
    }
    if (!c->good)
        return;
    const bil_space *space = &d->spaces[p->space];
    if (space->bits)
        want(c, p->format->type == BIL_BOOL && space->reach);
    want(c, p->way == BIL_WAY_TOGETHER || (!space->keys && p->cells == 1));
    want(c, p->way <= BIL_WAY_MASKED && (p->way < BIL_WAY_MASKED || (p->format->width && !space->bits)));
    bool neighbours = space->reading == BIL_SHARE_NEIGHBOURS;
    if (neighbours)
        want(c, p->cells == (space->bits ? 1 : bil_value_cells(p->format)) && p->cells <= space->read_most &&
                    (!(p->flags & BIL_WRITABLE) || p->cells <= space->write_most) &&
                    p->at.number + p->cells - 1 <= UINT16_MAX);
    else if (space->keys)
        want_text(c, p->at.key, KEY);
    else if (p->format->type == BIL_FILE || space->reach == &bil_reach_records)
        want(c, p->format->type == BIL_FILE && space->reach == &bil_reach_records && p->cells == 1 &&
                    p->at.number <= UINT16_MAX && p->format->low == p->format->high && p->format->high % 2 == 0);
    else
        want(c, p->at.number <= UINT16_MAX && p->cells == bil_value_cells(p->format) &&
                    (!space->mailbox || (space->mailbox->value + p->cells - 1 <= UINT16_MAX &&
                                         p->cells + space->mailbox->echo <= space->read_most &&
                                         (!(p->flags & BIL_WRITABLE) || p->cells <= space->write_most))));
    want(c, !p->format->width || !neighbours || space->reach);
}

/* A pattern, or what is said as it is. */
static void want_saying(checking *c, const char *text)
{
    if (text)
        want_text(c, text, BIL_CONSOLE_LINE);
}

/* A method and the path of a resource. */
static void want_resource(checking *c, const char *text)
{
    if (!text)
        return;
    want_text(c, text, KEY + KEY);
    size_t method = 0;
    while (c->good && text[method] && text[method] != ' ')
        method++;
    want(c, method > 0 && text[method] && text[method + 1] == '/');
}

static void check_http(checking *c)
{
    const bil_description *d = c->d;
    const bil_http *h = d->http;
    if (!h)
        return;
    want(c, !d->console && h->login <= BIL_LOGIN_BEARER && (!h->refuses || h->refuses[0] == '/') &&
                (h->user != NULL) == (h->login == BIL_LOGIN_BASIC || h->login == BIL_LOGIN_DIGEST));
    want(c, !h->enter == !h->greets && !h->enter == !d->login_slot &&
                (!h->enter || (h->enter[0] == '/' && h->login != BIL_LOGIN_NONE)));
    want_saying(c, h->greets);
    for (uint16_t i = 0; c->good && i < d->space_count; i++) {
        want(c, d->spaces[i].keys && !d->spaces[i].answer && d->spaces[i].reading != BIL_SHARE_NEIGHBOURS);
        want_resource(c, d->spaces[i].ask);
        want_resource(c, d->spaces[i].set);
    }
    for (uint16_t i = 0; c->good && i < d->count; i++)
        want(c, d->params[i].at.key[0] == '/' && (d->params[i].format->type == BIL_FILE) ==
                                                     (d->spaces[d->params[i].space].reading == BIL_SHARE_NONE));
}

static void check_console(checking *c)
{
    const bil_description *d = c->d;
    const bil_console *s = d->console;
    if (!s)
        return;
    want(c, s->prompt && s->prompt[0] && s->ends &&
                (strcmp(s->ends, "\r") == 0 || strcmp(s->ends, "\n") == 0 || strcmp(s->ends, "\r\n") == 0));
    want(c, !s->discard || strlen(s->discard) <= 4);
    const char *const lines[] = {s->prompt, s->done, s->refuses, s->later, s->taken, s->more};
    for (size_t i = 0; c->good && i < sizeof lines / sizeof lines[0]; i++)
        want_saying(c, lines[i]);
    want(c, !s->more || s->more[0]);
    const bil_console_login *login = s->login;
    want(c, !login == !d->login_slot);
    if (c->good && login) {
        want(c, login->greets && login->asks && !login->whom == !login->user && (!login->user || login->user[0]));
        const char *const said[] = {login->greets, login->whom,    login->user,
                                    login->asks,   login->refuses, login->locked};
        for (size_t i = 0; c->good && i < sizeof said / sizeof said[0]; i++)
            want_saying(c, said[i]);
    }
    for (uint16_t i = 0; c->good && i < d->space_count; i++) {
        want_saying(c, d->spaces[i].ask);
        want_saying(c, d->spaces[i].set);
        want_saying(c, d->spaces[i].answer);
        want(c, d->spaces[i].keys && !d->spaces[i].ask == !d->spaces[i].answer &&
                    d->spaces[i].write_most <= BIL_CONSOLE_PIECE);
    }
}

/* What a device speaks by names has no numbers anywhere. */
static void check_names(checking *c)
{
    const bil_description *d = c->d;
    want(c, d->link_unit == BIL_NONE);
    for (uint16_t i = 0; c->good && i < d->count; i++) {
        const bil_space *space = &d->spaces[d->params[i].space];
        want(c, (space->ask || !(d->params[i].flags & BIL_READABLE)) &&
                    (space->set || !(d->params[i].flags & BIL_WRITABLE)));
    }
}

/* Raw values lie behind each other in an image, and fill it. */
static void check_params(checking *c)
{
    const bil_description *d = c->d;
    uint32_t sum = 0;
    for (uint16_t i = 0; c->good && i < d->count; i++) {
        c->where = i;
        check_param(c, &d->params[i]);
        want(c, d->params[i].raw_at == sum);
        sum += c->good ? d->params[i].format->size : 0u;
    }
    want(c, sum == d->raw_size);
}

static bool comes_before(const bil_description *d, const bil_param *a, const bil_param *b)
{
    if (a->space != b->space)
        return a->space < b->space;
    bool neighbours = d->spaces[a->space].reading == BIL_SHARE_NEIGHBOURS;
    if (neighbours && a->at.number == b->at.number && a->format->width && b->format->width)
        return (a->way == b->way || !(a->flags & b->flags & BIL_WRITABLE)) &&
               !((a->format->order ^ b->format->order) & BIL_LOW_BYTE_FIRST) &&
               a->format->bit + a->format->width <= b->format->bit;
    if (neighbours)
        return a->at.number + a->cells <= b->at.number;
    return d->spaces[a->space].keys ? strcmp(a->at.key, b->at.key) < 0 : a->at.number < b->at.number;
}

static void check_places(checking *c)
{
    const bil_description *d = c->d;
    want_params(c, d->by_place, d->count);
    for (uint16_t i = 0; c->good && i < d->count; i++) {
        c->where = d->by_place[i];
        want(c, i == 0 || comes_before(d, &d->params[d->by_place[i - 1]], &d->params[c->where]));
    }
    c->where = c->good ? BIL_NONE : c->where;
    want(c, d->across || d->across_count == 0);
    for (uint16_t i = 0; c->good && i < d->across_count; i++)
        want(c, d->across[i].first <= d->across[i].last && d->across[i].space < d->space_count);
    want(c, d->banks || d->bank_count == 0);
    for (uint8_t i = 0; c->good && i < d->bank_count; i++) {
        const bil_bank *b = &d->banks[i];
        want(c, b->kind <= BIL_BANK_KEPT && b->first <= b->last && b->space < d->space_count);
        if (c->good && d->spaces[b->space].keys)
            want(c, b->at < d->space_count && d->spaces[b->at].keys && d->spaces[b->at].ask &&
                        d->spaces[b->at].reading == d->spaces[b->space].reading);
        want(c, b->at + (uint32_t)(b->last - b->first) <= UINT16_MAX && (b->when == BIL_NONE || b->when < d->count));
    }
}

static void check_spaces(checking *c)
{
    const bil_description *d = c->d;
    want(c, d->spaces && d->space_count > 0 && d->space_count <= UINT8_MAX);
    for (uint16_t i = 0; c->good && i < d->space_count; i++) {
        const bil_space *s = &d->spaces[i];
        bool cells = s->reading == BIL_SHARE_NEIGHBOURS;
        uint16_t most = s->bits ? BIL_CELL_BITS_MAX : cells ? BIL_CELLS_MAX : UINT16_MAX;
        want(c, s->reading <= BIL_SHARE_NONE && s->writing <= BIL_SHARE_NONE &&
                    cells == (s->writing == BIL_SHARE_NEIGHBOURS) && (cells || !s->bits));
        want(c, (cells || s->keys || s->mailbox || s->table >= BIL_OBJECTS) && !(cells && s->keys) &&
                    (!s->mailbox || (s->reach && !cells)));
        want(c, s->table < BIL_CELL_TABLES && s->bits == (s->table == BIL_COILS || s->table == BIL_DISCRETE) &&
                    s->unit >= -255 && s->unit <= 256);
        want(c, s->read_most > 0 && s->read_most <= most && s->write_most > 0 && s->write_most <= most);
    }
}

static void check_step(checking *c, const bil_proc_step *step)
{
    switch (step->kind) {
    case BIL_STEP_WRITE:
        want_params(c, &step->param, 1);
        if (c->good && step->from)
            want(c, step->from <= c->d->count &&
                        c->d->params[step->from - 1].format->size == c->d->params[step->param].format->size);
        else if (c->good && !step->raw)
            want_number(c, step->param);
        break;
    case BIL_STEP_UNTIL:
        want_params(c, &step->param, 1);
        if (c->good && !step->raw)
            want_number(c, step->param);
        break;
    case BIL_STEP_SECRET:
        want(c, step->param < c->d->count && step->value >= 1 && step->value <= c->d->secret_count);
        break;
    case BIL_STEP_PERSON:
        want(c, step->text != NULL);
        break;
    default:
        want(c, step->kind <= BIL_STEP_PERSON);
        break;
    }
}

static void check_procedures(checking *c)
{
    const bil_description *d = c->d;
    want(c, d->procedures || d->procedure_count == 0);
    for (uint16_t i = 0; c->good && i < d->procedure_count; i++) {
        const bil_procedure *p = &d->procedures[i];
        want(c, p->kind < BIL_PROC_COUNT && (p->steps || p->step_count == 0));
        for (uint16_t k = 0; c->good && k < p->step_count; k++)
            check_step(c, &p->steps[k]);
    }
}

static void check_rules(checking *c)
{
    const bil_description *d = c->d;
    want(c, d->rules || d->rule_count == 0);
    for (uint16_t i = 0; c->good && i < d->rule_count; i++) {
        const bil_rule *r = &d->rules[i];
        bool pair = r->kind == BIL_RULE_ALLOWED || r->kind == BIL_RULE_REQUIRED;
        want(c, r->kind <= BIL_RULE_REQUIRED && (pair ? r->count == 2 : r->count >= 2) && r->why);
        want_params(c, r->params, r->count);
        for (uint16_t k = 0; c->good && k < r->count; k++)
            want(c, !pair || d->params[r->params[k]].format->size <= 4);
    }
}

/* What tells who answers is read from whoever answers: no mailbox is written for that. */
static void want_harmless(checking *c, const uint16_t *list, size_t count)
{
    want_params(c, list, count);
    for (size_t i = 0; c->good && i < count; i++)
        want(c, !c->d->spaces[c->d->params[list[i]].space].mailbox && !c->d->params[list[i]].only);
}

/* What single parameters stand for. */
static void check_roles(checking *c)
{
    const bil_description *d = c->d;
    const uint16_t numbers[] = {d->starts, d->uptime, d->state, d->link_unit, d->changes, d->unstored};
    for (size_t i = 0; i < sizeof numbers / sizeof numbers[0]; i++)
        want_number_or_none(c, numbers[i]);
    for (size_t i = 0; i < BIL_ID_COUNT; i++)
        want(c, d->identity[i] == BIL_NONE || d->identity[i] < d->count);
    want(c, d->identity[BIL_ID_MODEL] != BIL_NONE);
    want(c, d->sign_count <= BIL_SIGNS_MAX && (d->signs || d->sign_count == 0));
    for (uint8_t i = 0; c->good && i < d->sign_count; i++)
        want_number(c, d->signs[i].param);
    want(c, d->unit_same_count <= 4 && d->unit_grows_count <= 4);
    want_harmless(c, d->unit_same, d->unit_same_count);
    want_harmless(c, d->unit_grows, d->unit_grows_count);
    for (size_t i = 0; c->good && i < BIL_ID_COUNT; i++)
        want_harmless(c, &d->identity[i], d->identity[i] != BIL_NONE);
    for (uint8_t i = 0; c->good && i < d->sign_count; i++)
        want_harmless(c, &d->signs[i].param, 1);
    want(c, !d->factory || d->factory_known);
    want(c, d->stored_values <= BIL_STORED_NOT_READABLE && d->link.request_cost > 0);
}

static void check_texts(checking *c)
{
    const bil_description *d = c->d;
    want_text(c, d->vendor, BIL_VALUE_TEXT - 1);
    want_text(c, d->model, BIL_VALUE_TEXT - 1);
    want(c, d->layout && strlen(d->layout) == BIL_LAYOUT_HEX);
    want_texts(c, d->firmwares, d->firmware_count, BIL_VALUE_TEXT - 1);
    want_texts(c, d->hardwares, d->hardware_count, BIL_VALUE_TEXT - 1);
    want_texts(c, d->no_serial, d->no_serial_count, BIL_VALUE_TEXT - 1);
    want_texts(c, d->secrets, d->secret_count, BIL_VALUE_TEXT - 1);
    want(c, d->secret_count <= BIL_SECRETS_MAX && d->login_slot <= d->secret_count &&
                (!d->login_slot || d->console || d->http));
    for (uint8_t i = 0; c->good && d->secrets_kept && i < d->secret_count; i++)
        want(c, d->secrets_kept[i] == BIL_NONE ||
                    (d->secrets_kept[i] < d->count && d->params[d->secrets_kept[i]].cls == BIL_CLASS_SECRET));
    want(c, d->expect_count <= BIL_TESTS_MAX && d->test_count <= BIL_TESTS_MAX && d->loses_count <= BIL_TESTS_MAX);
    want_reminders(c, d->expect, d->expect_count);
    want_reminders(c, d->loses, d->loses_count);
    want_reminders(c, d->by_hand, d->by_hand_count);
    want_reminders(c, d->tests, d->test_count);
}

int bil_description_check(const bil_description *description, uint16_t *where)
{
    checking c = {description, BIL_NONE, true};
    want(&c, description && description->params && description->count > 0 && description->count <= BIL_PARAMS_MAX);
    if (c.good)
        check_texts(&c);
    if (c.good)
        check_spaces(&c);
    if (c.good)
        check_params(&c);
    if (c.good)
        check_places(&c);
    if (c.good)
        check_console(&c);
    if (c.good)
        check_http(&c);
    if (c.good && (description->console || description->http))
        check_names(&c);
    if (c.good) {
        c.where = BIL_NONE;
        check_roles(&c);
    }
    if (c.good)
        check_procedures(&c);
    if (c.good)
        check_rules(&c);
    if (where)
        *where = c.where;
    return c.good ? BIL_OK : BIL_E_TABLE;
}
