/* Inside a write of the tool: what its files share. */
#ifndef BIL_CLI_WRITING_INSIDE_H
#define BIL_CLI_WRITING_INSIDE_H

#include "cli/writing.h"
#include "host/run/turn.h"

/* write_record.c */
bool write_keep_record(void *ctx, const bil_action *action);
bool write_save_safety_copy(void *ctx, const bil_image *have);

/* write_want.c */
int write_load_before(write_call *w);
int write_load_copy(write_call *w, const models *m);
void write_want_factory_values(write_call *w);
int write_keep_groups(write_call *w);
int write_leave_out(write_call *w);
int write_take_restart(write_call *w);
int write_check_call(const write_call *w);
int write_set_aside(write_call *w);

/* write_unit.c */
void write_take_password(write_call *w, int fd);
void write_ask_password(write_call *w);
bool other_number(const char *text, uint32_t unit, char out[ADDRESS_TEXT]);
int write_open_unit(write_call *w, const models *m);

/* write_cards.c */
int write_ask_sites(write_call *w);
int write_take_turn(write_call *w, turn *ours, const char *what);
int write_take_unit_turn(write_call *w, turn *ours);

#endif
