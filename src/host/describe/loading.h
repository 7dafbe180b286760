/* Inside the loader of descriptions: one document being loaded. Once something is wrong the first complaint stands, and
 * everything else says little: each part asks `bad` before it goes on. */
#ifndef BIL_HOST_DESCRIBE_LOADING_H
#define BIL_HOST_DESCRIBE_LOADING_H

#include <setjmp.h>
#include <yaml.h>

#include "bilancia/description.h"
#include "host/base/arena.h"

struct load;
enum {
    FILE_LIMIT = 8 << 20,
    DECIMALS_LIMIT = 9,
    NAME_LIMIT = 31,
    SPACES_LIMIT = 64,
    FILE_MOST = 2000000000,
    RECORDS_MOST = 20000
};

/* How devices of one kind of link are described; the first one has registers. */
typedef struct load_link_kind {
    const char *name;
    bool keys; /* values are told by names rather than by numbers */
    void (*link)(struct load *l, yaml_node_t *map);
    void (*space)(struct load *l, yaml_node_t *node, bil_space *space);
    /* where they are told by names: one of them, and once all is known of it; the latter may be NULL */
    void (*key)(struct load *l, bil_param *param, yaml_node_t *at);
    void (*check)(struct load *l, uint16_t index);
} load_link_kind;

typedef struct load {
    yaml_document_t document;
    const char *path;
    char *why;
    size_t why_size;
    arena *memory;
    bil_description *table;
    const load_link_kind *kind;
    bil_param *params;
    yaml_node_t **nodes; /* of the parameters, in the order of params */
    uint16_t *numbers;   /* and which repetition of its group each is, from 1; 0: it stands for itself */
    uint8_t order;       /* the model's usual cell order */
    uint8_t way;         /* and its way to write, bil_way */
    bil_space *own_spaces;
    const char *spaces[SPACES_LIMIT]; /* their names */
    yaml_node_t *space_nodes[SPACES_LIMIT];
    const char **secrets;           /* as they come; those of the table */
    uint16_t kept[BIL_SECRETS_MAX]; /* one more than the index of the setting that changes each */
    bool bad;
    bool is_short; /* of memory */
    jmp_buf out;   /* where load_take leaves to: all that was taken is the arena's */
} load;

typedef struct decimal {
    int64_t mantissa;
    uint8_t decimals;
} decimal;

/* yaml.c */
/* Zeroed memory of the description; comes back only with some. */
void *load_take(load *l, size_t size);
void load_complain(load *l, const yaml_node_t *node, const char *format, ...) __attribute__((format(printf, 3, 4)));
yaml_node_t *load_node(load *l, int index);
const char *node_text(const yaml_node_t *node);
const char *load_want_text(load *l, yaml_node_t *node, size_t most);
long load_want_number(load *l, yaml_node_t *node, long low, long high);
bool load_want_yes(load *l, yaml_node_t *node);
void load_want_kind(load *l, yaml_node_t *node, yaml_node_type_t type);
int load_want_name(load *l, yaml_node_t *node, const char *const *names);
yaml_node_t *load_get(load *l, yaml_node_t *map, const char *key);
yaml_node_t *load_need(load *l, yaml_node_t *map, const char *key);
void load_check_keys(load *l, yaml_node_t *map, const char *const *keys);
const char *load_keep(load *l, const char *text);
size_t load_want_list(load *l, yaml_node_t *list, size_t most);
/* A number, or what it is where it isn't given. */
uint16_t load_number(load *l, yaml_node_t *map, const char *key, long low, long high, long usual);
const char *const *load_texts(load *l, yaml_node_t *list, size_t most, uint8_t *count);

/* decimal.c */
decimal load_want_decimal(load *l, yaml_node_t *node);
bool decimal_widen(int64_t *mantissa, unsigned decimals);
uint32_t load_want_raw_length(load *l, yaml_node_t *node, const bil_format *format);

/* load_format.c */
bool format_is_integer(const bil_format *format);
void load_scale(load *l, yaml_node_t *map, bil_format *format);
void load_choices(load *l, yaml_node_t *map, bil_format *format);
void load_limits(load *l, yaml_node_t *map, bil_format *format);
/* Of a parameter: 0 the lower one, 1 the upper one; is that the id of another parameter? */
yaml_node_t *load_limit(load *l, yaml_node_t *map, int side);
bool load_is_bound(const yaml_node_t *node);
void load_form(load *l, yaml_node_t *map, bil_format *format);
void load_part(load *l, yaml_node_t *map, bil_format *format);
void load_room(load *l, yaml_node_t *map, bil_format *format);
void load_tolerance(load *l, yaml_node_t *map, bil_format *format);

/* load_param.c */
void load_check_id(load *l, yaml_node_t *key, const char *id);
void load_param(load *l, yaml_node_t *map, bil_param *param);
uint16_t load_want_param(load *l, yaml_node_t *node);
void load_resets(load *l, uint16_t index);
void load_factory(load *l);
/* "{n}" stands for the number of the repetition. */
void load_with_number(const char *pattern, uint16_t number, char *out, size_t size);

/* load_params.c */
void load_params(load *l, yaml_node_t *map);

/* load_place.c */
uint8_t load_want_space(load *l, yaml_node_t *node); /* NULL: holding cells */
uint8_t load_order(load *l, yaml_node_t *map, uint8_t usual);
void load_by_place(load *l);
/* Of a parameter with a name: files lie in spaces of files, and nothing else does. */
void load_file_lies(load *l, uint16_t index, bool of_files);
void load_cell_link(load *l, yaml_node_t *map);
uint8_t load_want_table(load *l, yaml_node_t *node); /* bil_cell_table */
void load_across(load *l, yaml_node_t *link);
bool load_can_write(const load *l, uint8_t space);
bool load_can_read(const load *l, uint8_t space);
uint8_t load_want_way(load *l, yaml_node_t *node); /* bil_way */

/* load_link.c */
void load_link(load *l, yaml_node_t *map);

/* load_pattern.c */
/* A pattern (console.h), or what is sent as it is. */
const char *load_want_pattern(load *l, yaml_node_t *node);

/* load_words.c */
void load_words(load *l, yaml_node_t *map, bil_format *format);

/* load_console.c, load_http.c */
extern const load_link_kind load_console, load_http;

/* load_spaces.c */
void load_spaces(load *l, yaml_node_t *map);
void load_cell_space(load *l, yaml_node_t *node, bil_space *space);
void load_check_mailboxes(load *l); /* once all parameters have their place */
/* Nothing that is read to tell who answers lies in a mailbox. */
void load_check_harmless(load *l);

/* load_state.c */
void load_identity(load *l, yaml_node_t *map);
uint32_t load_want_value(load *l, yaml_node_t *node, uint16_t index);
void load_want_raw(load *l, yaml_node_t *node, uint16_t index, uint8_t *raw);
void load_state(load *l, yaml_node_t *map);
void load_restart_after(load *l, yaml_node_t *list);
void load_link_unit(load *l, yaml_node_t *node);
void load_unstored(load *l, yaml_node_t *map);
void load_changes(load *l, yaml_node_t *node);
void load_unit_shows(load *l, yaml_node_t *map);
void load_restart_shows(load *l, yaml_node_t *map);
void load_banks(load *l, yaml_node_t *list);

/* load_rule.c */
void load_rules(load *l, yaml_node_t *list);

/* load_bounds.c: behind the rules, to which these come */
void load_bounds(load *l);

/* load_modes.c: once all parameters are there */
void load_modes(load *l);

/* load_reminder.c */
const bil_reminder *load_reminders(load *l, yaml_node_t *list, size_t most, uint8_t *count);

/* load_procedure.c */
/* The slot of a secret, by the name that a person is asked for; NULL: "password". */
uint8_t load_slot(load *l, yaml_node_t *node);
/* The slot of what a device is told on each connection: "slot", "password" where it isn't said. */
void load_login_slot(load *l, yaml_node_t *map);
void load_procedures(load *l, yaml_node_t *list);

/* layout.c */
void load_layout(load *l);

#endif
