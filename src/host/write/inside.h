/* Inside a write: what its files share. Functions return BIL_OK or the error that stands in w->trouble. */
#ifndef BIL_HOST_WRITE_INSIDE_H
#define BIL_HOST_WRITE_INSIDE_H

#include "host/write/write.h"

/* trouble.c */
int write_fail(write_call *w, const char *what, int error, const char *why);
void write_doubt(write_call *w, const char *what, int error, const char *why);
void write_doing(write_call *w, write_phase phase, const bil_job_progress *p);

/* record.c */
bool write_keep_record(void *ctx, const bil_action *action);
/* The password, for the job. False when there is none, it is longer than the device takes, or no number where the
 * device has one. */
bool write_put_password(void *ctx, uint8_t slot, const bil_format *format, uint8_t *raw);
bool write_save_safety_copy(void *ctx, const bil_image *have);
/* What was read back last as a copy, unless its values digest is this one ("": in any case); `present` tells where. */
int write_save_unless(write_call *w, const char *why, const char *values);

/* want.c */
void write_load_before(write_call *w, const catalogue *m);
int write_load_copy(write_call *w, const catalogue *m);
int write_want_factory_values(write_call *w);
int write_keep_groups(write_call *w);
int write_leave_out(write_call *w);

/* sealed.c */
int write_open_seals(write_call *w);
void write_forget_seals(write_call *w);
/* A list of their IDs, for the record. */
json_t *write_names_of_secrets(const write_call *w);
/* One of them, for the job. What it changes of the passwords counts from then on, unless the device refuses it. */
bool write_put_sealed(write_call *w, uint8_t slot, const bil_format *format, uint8_t *raw);
void write_sealed_refused(write_call *w, uint16_t param);

/* collect.c */
bool write_collect(write_call *w, bil_event event);

/* wish.c */
int write_check_call(write_call *w);
void write_give_reasons(write_call *w);
void write_take_pace(write_call *w);
int write_take_restart(write_call *w);

/* unit.c */
/* The password that is at hand; where there is none and one is wanted, a person is asked when the plan is agreed to and
 * not before (write_has_password). */
void write_take_password(write_call *w);
int write_expect_password(write_call *w);

/* The address with another unit number. */
bool write_other_number(const char *text, uint32_t unit, char out[ADDRESS_TEXT]);
int write_open_unit(write_call *w, const catalogue *m);
int write_take_turn(write_call *w, turn *ours, const char *what);
int write_take_unit_turn(write_call *w);
int write_ask_keep(write_call *w);

#endif
