/* Procedures: hold, release, unlock, store, restart and so on, as lists of steps. */
#include <string.h>

#include "host/describe/loading.h"

/* Goes into the step where 32 bits are enough, and beside it where they aren't. */
static void load_step_value(load *l, yaml_node_t *value, bil_proc_step *step)
{
    const bil_format *format = l->params[step->param].format;
    if (format->type != BIL_TEXT && format->size <= 4) {
        step->value = load_want_value(l, value, step->param);
        return;
    }
    uint8_t *raw = load_take(l, format->size);
    load_want_raw(l, value, step->param, raw);
    step->raw = raw;
}

/* "from: id.serial": what the device has there. */
static void load_from(load *l, yaml_node_t *from, bil_proc_step *step)
{
    uint16_t index = load_want_param(l, from);
    step->from = (uint16_t)(index + 1);
    const bil_param *source = &l->params[index], *target = &l->params[step->param];
    if (!l->bad && (source->format->type != target->format->type || source->format->size != target->format->size))
        load_complain(l, from, "%s is of another type than %s", source->id, target->id);
    else if (!l->bad && (!(source->flags & BIL_READABLE) || bil_class_left_out((bil_class)source->cls)))
        load_complain(l, from, "%s isn't among the values that are read before", source->id);
}

/* The number of this secret, by its name: they are counted as they come. */
uint8_t load_slot(load *l, yaml_node_t *node)
{
    const char *name = node ? load_want_text(l, node, NAME_LIMIT) : "password";
    bil_description *d = l->table;
    if (l->bad)
        return 0;
    if (!l->secrets)
        d->secrets = l->secrets = load_take(l, BIL_SECRETS_MAX * sizeof *l->secrets);
    if (strspn(name, "abcdefghijklmnopqrstuvwxyz0123456789_") != strlen(name) || !(name[0] >= 'a' && name[0] <= 'z'))
        load_complain(l, node, "a secret has a name of a to z, 0 to 9 and _, which a person is asked for");
    for (uint8_t i = 0; i < d->secret_count; i++)
        if (strcmp(l->secrets[i], name) == 0)
            return (uint8_t)(i + 1);
    if (d->secret_count == BIL_SECRETS_MAX) {
        load_complain(l, node, "a device has at most %d secrets", BIL_SECRETS_MAX);
        return 0;
    }
    l->secrets[d->secret_count++] = load_keep(l, name);
    return d->secret_count;
}

void load_login_slot(load *l, yaml_node_t *map)
{
    if (!l->bad)
        l->table->login_slot = load_slot(l, load_get(l, map, "slot"));
}

/* The setting that changes what is entered here. */
static void load_kept(load *l, yaml_node_t *node, const bil_proc_step *step)
{
    uint16_t index = load_want_param(l, node), *kept = &l->kept[step->value - 1];
    const bil_param *p = &l->params[index], *entered = &l->params[step->param];
    if (l->bad)
        return;
    if (p->cls != BIL_CLASS_SECRET || !(p->flags & BIL_WRITABLE) || index == step->param)
        load_complain(l, node, "a setting of the class secret is wanted, which keeps what is entered here");
    else if (p->format->type != entered->format->type)
        load_complain(l, node, "%s is of another type than %s", p->id, entered->id);
    else if (*kept && *kept != index + 1)
        load_complain(l, node, "it is kept in %s already", l->params[*kept - 1].id);
    *kept = (uint16_t)(index + 1);
}

static void load_secret(load *l, yaml_node_t *map, yaml_node_t *what, bil_proc_step *step)
{
    yaml_node_t *slot = load_need(l, map, "slot"), *kept = load_get(l, map, "kept_in");
    step->param = load_want_param(l, what);
    step->value = l->bad ? 0 : load_slot(l, slot);
    const bil_format *format = l->params[step->param].format;
    if (!l->bad && format->type != BIL_TEXT && !format_is_integer(format))
        load_complain(l, what, "a secret goes into a text or a whole number");
    if (!l->bad && kept)
        load_kept(l, kept, step);
}

static void load_step(load *l, yaml_node_t *map, bil_proc_step *step)
{
    static const char *const kinds[] = {"write", "secret", "until", "wait", "reconnect", "person", NULL};
    static const char *const keys[6][7] = {
        {"write", "value", "from", "repeatable", NULL},
        {"secret", "slot", "kept_in", "repeatable", NULL},
        {"until", "value", "mask", "within_ms", "every_ms", NULL},
        {"wait", NULL},
        {"reconnect", NULL},
        {"person", "within_ms", NULL},
    };
    load_want_kind(l, map, YAML_MAPPING_NODE);
    if (l->bad)
        return;
    if (map->data.mapping.pairs.start == map->data.mapping.pairs.top) {
        load_complain(l, map, "an empty step");
        return;
    }
    int kind = load_want_name(l, load_node(l, map->data.mapping.pairs.start->key), kinds);
    if (!l->bad)
        load_check_keys(l, map, keys[kind]);
    if (l->bad)
        return;
    yaml_node_t *what = load_node(l, map->data.mapping.pairs.start->value);
    yaml_node_t *value = load_get(l, map, "value"), *within = load_get(l, map, "within_ms"),
                *every = load_get(l, map, "every_ms"), *mask = load_get(l, map, "mask"),
                *from = load_get(l, map, "from"), *repeatable = load_get(l, map, "repeatable");
    step->kind = (uint8_t)kind;
    step->param = BIL_NONE;
    step->repeatable = repeatable && load_want_yes(l, repeatable);
    step->within_ms = within ? (uint32_t)load_want_number(l, within, 1, 3600000) : 10000;
    step->every_ms = every ? (uint32_t)load_want_number(l, every, 1, 60000) : 200;
    step->mask = mask ? (uint32_t)load_want_number(l, mask, 1, 0xffffffffL) : UINT32_MAX;
    if (kind == BIL_STEP_WRITE || kind == BIL_STEP_UNTIL) {
        step->param = load_want_param(l, what);
        if (!l->bad && !value == !from)
            load_complain(l, map,
                          kind == BIL_STEP_UNTIL ? "\"value\" is missing here"
                                                 : "a write has either a \"value\", or where it comes \"from\"");
        if (!l->bad && from)
            load_from(l, from, step);
        else if (!l->bad)
            load_step_value(l, value, step);
        if (!l->bad && mask && step->raw)
            load_complain(l, mask, "a mask is for values of at most 32 bits");
    } else if (kind == BIL_STEP_SECRET) {
        load_secret(l, map, what, step);
    } else if (kind == BIL_STEP_PERSON) {
        step->text = load_keep(l, load_want_text(l, what, 200));
    } else {
        step->within_ms = (uint32_t)load_want_number(l, what, 1, 3600000);
    }
    uint8_t flag = kind == BIL_STEP_UNTIL ? BIL_READABLE : BIL_WRITABLE;
    if (!l->bad && step->param != BIL_NONE && !(l->params[step->param].flags & flag))
        load_complain(l, what, "this parameter can't be %s", flag == BIL_READABLE ? "read" : "written");
}

/* The state to which a procedure leads: a release to one in which the machine stands, a start to one at work. */
static void load_found(load *l, yaml_node_t *map, yaml_node_t *found, bil_procedure *procedure)
{
    bool release = procedure->kind == BIL_PROC_RELEASE, start = procedure->kind == BIL_PROC_START;
    const bil_description *d = l->table;
    if (!l->bad && found && ((!release && !start) || d->state == BIL_NONE))
        load_complain(l, found, "\"found\" is for a release or a start, and needs a state");
    if (!l->bad && start && !found)
        load_complain(l, map, "\"found\" is missing here: the state at work to which it leads");
    if (l->bad || !found)
        return;
    procedure->for_state = true;
    procedure->found = load_want_value(l, found, d->state);
    bool stands = procedure->found < 32 && d->state_idle >> procedure->found & 1;
    if (!l->bad && release && !stands)
        load_complain(l, found,
                      "a release leads to a state in which the machine stands (\"idle\" of the state); what sets it "
                      "to work is \"start\"");
    if (!l->bad && start && (stands || procedure->found == d->state_held))
        load_complain(l, found, "a start leads to a state in which the machine is at work");
}

/* It is played whenever values are read, by whoever looks: it changes nothing, and waits for nobody. */
static void want_for_reading(load *l, const yaml_node_t *map, const bil_proc_step *step)
{
    bool writes = step->kind == BIL_STEP_WRITE || step->kind == BIL_STEP_SECRET;
    if (writes && !bil_class_left_out((bil_class)l->params[step->param].cls))
        load_complain(l, map, "a read changes no setting: %s is none of the class secret or command",
                      l->params[step->param].id);
    else if (step->kind == BIL_STEP_PERSON || step->kind == BIL_STEP_RECONNECT || step->from)
        load_complain(l, map, "what is unlocked to be read takes no person, no new connection and no other value");
}

static void load_procedure(load *l, yaml_node_t *map, bil_procedure *procedure)
{
    static const char *const keys[] = {"does", "hardware", "found", "lasts_ms", "ends_with_link", "steps", NULL};
#define PROC_NAME(NAME, name, what) name,
    static const char *const kinds[] = {BIL_PROCEDURES(PROC_NAME) NULL};
#undef PROC_NAME
    load_check_keys(l, map, keys);
    yaml_node_t *does = l->bad ? NULL : load_need(l, map, "does");
    yaml_node_t *list = l->bad ? NULL : load_need(l, map, "steps");
    if (l->bad)
        return;
    yaml_node_t *hardware = load_get(l, map, "hardware"), *found = load_get(l, map, "found");
    procedure->kind = (uint8_t)load_want_name(l, does, kinds);
    if (hardware)
        procedure->hardware = load_keep(l, load_want_text(l, hardware, NAME_LIMIT));
    if (hardware && !bil_description_names_hardware(l->table, procedure->hardware))
        load_complain(l, hardware, "this hardware isn't in the list of the description");
    load_found(l, map, found, procedure);
    yaml_node_t *lasts = load_get(l, map, "lasts_ms");
    uint32_t most = lasts && !l->bad ? (uint32_t)load_want_number(l, lasts, 1000, 86400000) : 0;
    if (lasts && !l->bad && procedure->kind != BIL_PROC_UNLOCK)
        load_complain(l, lasts, "only what was unlocked lasts a while");
    if (most && most < 10u * l->table->link.write_pause_ms)
        load_complain(l, lasts, "no ten writes fit into that, with the pause that each of them takes");
    if (most && (!l->table->unlock_lasts_ms || most < l->table->unlock_lasts_ms))
        l->table->unlock_lasts_ms = most;
    yaml_node_t *ends = load_get(l, map, "ends_with_link");
    if (ends && procedure->kind != BIL_PROC_UNLOCK)
        load_complain(l, ends, "only what was unlocked ends with the connection");
    l->table->unlock_ends_with_link = l->table->unlock_ends_with_link || (ends && load_want_yes(l, ends));
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    if (l->bad)
        return;
    size_t count = (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (count == 0 || count > 100) {
        load_complain(l, list, "a procedure has 1 to 100 steps");
        return;
    }
    bil_proc_step *steps = load_take(l, count * sizeof *steps);
    for (size_t i = 0; i < count && !l->bad; i++)
        load_step(l, load_node(l, list->data.sequence.items.start[i]), &steps[i]);
    for (size_t i = 0; i < count && !l->bad && procedure->kind == BIL_PROC_UNLOCK_TO_READ; i++)
        want_for_reading(l, load_node(l, list->data.sequence.items.start[i]), &steps[i]);
    procedure->steps = steps;
    procedure->step_count = (uint16_t)count;
}

void load_procedures(load *l, yaml_node_t *list)
{
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (count > 1000)
        load_complain(l, list, "a description has at most 1000 procedures");
    bil_procedure *procedures = load_take(l, (count + 1) * sizeof *procedures);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *map = load_node(l, list->data.sequence.items.start[i]);
        load_procedure(l, map, &procedures[i]);
        for (size_t k = 0; k < i && !l->bad; k++)
            if (procedures[k].kind == procedures[i].kind && procedures[k].for_state == procedures[i].for_state &&
                procedures[k].found == procedures[i].found && !procedures[k].hardware == !procedures[i].hardware &&
                (!procedures[k].hardware || strcmp(procedures[k].hardware, procedures[i].hardware) == 0))
                load_complain(l, map, "there are two of this procedure");
    }
    uint32_t kinds = 0; /* 1 << kind for each that is there */
    for (size_t i = 0; i < count && !l->bad; i++)
        kinds |= UINT32_C(1) << procedures[i].kind;
    bool begins = kinds >> BIL_PROC_BEGIN & 1;
    if (!l->bad && begins && !(kinds >> BIL_PROC_COMMIT & 1))
        load_complain(l, list, "what begins has to come to an end: there is no \"commit\"");
    if (!l->bad && kinds >> BIL_PROC_ABORT & 1 && !begins)
        load_complain(l, list, "there is an \"abort\", and no \"begin\"");
    uint16_t *kept = load_take(l, BIL_SECRETS_MAX * sizeof *kept);
    for (size_t i = 0; i < BIL_SECRETS_MAX; i++) {
        kept[i] = (uint16_t)(l->kept[i] - 1); /* 0 becomes BIL_NONE */
        l->table->secrets_kept = kept[i] == BIL_NONE ? l->table->secrets_kept : kept;
    }
    l->table->procedures = procedures;
    l->table->procedure_count = (uint16_t)count;
}
