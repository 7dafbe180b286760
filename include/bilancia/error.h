/* bilancia/error.h - every error of the portable part, in one list; those that only a computer with files has are in
 * host_error.h, so that firmware doesn't carry their texts.
 *
 * An error is a small positive int; BIL_OK is 0. Numbers are stable: they are written to records and
 * sets, so an entry is never renumbered, only added. Names are short and lower case; they appear in
 * JSON output and in `unreadable` lines of a set. What to do now is said by whoever speaks with people.
 *
 * Thread rules: all functions are pure. */
#ifndef BILANCIA_ERROR_H
#define BILANCIA_ERROR_H

#ifdef __cplusplus
extern "C" {
#endif

/* X(number, NAME, "name", "text") */
/* clang-format off */
#define BIL_ERRORS(X) \
    X(0, OK, "ok", "done") \
    /* values */ \
    X(1, RANGE, "range", "the value lies outside its limits") \
    X(2, STEP, "step", "the value lies between two steps") \
    X(3, CHOICE, "choice", "the value is none of the choices") \
    X(4, SYNTAX, "syntax", "the text is no value of this type") \
    X(5, INEXACT, "inexact", "the value has too many decimals") \
    X(6, NO_TEXT, "no_text", "the value has no exact text here") \
    X(7, ENCODING, "encoding", "what came is no value of this type") \
    X(8, SPACE, "space", "the memory given is too small") \
    /* set files */ \
    X(20, SET_CUT, "set_cut", "the file ends before its last line") \
    X(21, SET_ALTERED, "set_altered", "the digest doesn't fit the lines before it") \
    X(22, SET_LINE, "set_line", "the line isn't as the format demands") \
    X(23, SET_ORDER, "set_order", "the line is out of order or doubled") \
    X(24, SET_LONG, "set_long", "the line is too long") \
    X(25, SET_VERSION, "set_version", "the file has another format version") \
    X(26, SET_COUNT, "set_count", "the counts don't fit the lines before it") \
    X(27, SET_AFTER_END, "set_after_end", "something follows the last line") \
    /* does it fit? */ \
    X(30, OTHER_MODEL, "other_model", "this is another model") \
    X(31, OTHER_FIRMWARE, "other_firmware", "the unit has another firmware") \
    X(32, OTHER_HARDWARE, "other_hardware", "the unit has another hardware revision") \
    X(33, OTHER_UNIT, "other_unit", "this is another unit than the copy was read from") \
    X(34, OTHER_TYPE, "other_type", "the parameter has another type here") \
    X(35, UNKNOWN_PARAMETER, "unknown_parameter", "the description doesn't know this parameter") \
    X(36, OTHER_LAYOUT, "other_layout", "the copy has another layout") \
    X(37, VALUE_TEXT, "value_text", "the readable value doesn't fit the raw value") \
    X(39, UNKNOWN_FIRMWARE, "unknown_firmware", "the description doesn't name this firmware") \
    /* links */ \
    X(40, NOT_REACHABLE, "not_reachable", "nothing accepts a connection at this address") \
    X(41, SILENT, "silent", "the device doesn't answer in time") \
    X(42, LOST, "lost", "the connection was lost") \
    X(43, GARBLED, "garbled", "the reply makes no sense") \
    X(44, REFUSED, "refused", "the device refuses the request") \
    X(45, BUSY, "busy", "the device stays busy") \
    X(47, GATEWAY_PATH, "gateway_path", "the gateway has no way to the device") \
    X(48, GATEWAY_SILENT, "gateway_silent", "the gateway answers, the device behind it doesn't") \
    /* jobs */ \
    X(50, PASSWORD, "password", "the device doesn't accept the password") \
    X(51, NO_PASSWORD, "no_password", "the device wants a password") \
    X(52, HOLD, "hold", "the device doesn't let itself be held") \
    X(53, RELEASE, "release", "the device doesn't go back to its former state") \
    X(54, STORE, "store", "the device doesn't confirm that it stored") \
    X(55, RESTART, "restart", "the device doesn't come back after the restart") \
    X(56, FOREIGN_CHANGE, "foreign_change", "something else changes this value, too") \
    X(57, DIFFERS, "differs", "the value read back isn't the value wanted") \
    X(58, DISAGREE, "disagree", "these two parameters reset each other") \
    X(59, DECLINED, "declined", "a person said no") \
    X(60, PERSON, "person", "a step needs a person and nobody can answer") \
    X(61, UNREADABLE, "unreadable", "the value could not be read") \
    X(62, LEFT_HELD, "left_held", "it was held before this write") \
    X(63, BAD_RESULT, "bad_result", "the result doesn't belong to the action") \
    X(64, SAFETY_COPY, "safety_copy", "the safety copy could not be saved") \
    X(65, RECORD, "record", "the record could not be saved") \
    X(66, NOTHING_READ, "nothing_read", "not one value could be read") \
    X(67, RULE, "rule", "these values break a rule between them") \
    X(68, NO_TRIAL, "no_trial", "what is written lasts at once: no trial") \
    X(69, ADDRESS_TAKEN, "address_taken", "another device answers at the new address") \
    X(70, NOT_IDLE, "not_idle", "the machine didn't stand in time") \
    X(71, NO_RESET, "no_reset", "this model has no factory reset") \
    X(72, INTERRUPTED, "interrupted", "the device was switched off or restarted in the middle") \
    X(73, RESTART_UNSEEN, "restart_unseen", "in force and stored; the restart wasn't seen") \
    X(74, LET_GO, "let_go", "it isn't held any more: somebody let it go") \
    X(75, AT_WORK, "at_work", "the device is still at work on it") \
    X(76, START, "start", "the machine isn't at work again") \
    X(77, NOT_STANDING, "not_standing", "the machine doesn't stand as it was left") \
    X(78, CHANGING, "changing", "the device changes while it is read") \
    X(79, NO_IDENTITY, "no_identity", "nothing tells this unit from another one of its model") \
    X(105, ROUNDED, "rounded", "the device rounds it") \
    X(106, FIXED, "fixed", "it differs, and the device takes no value for it") \
    X(107, LACKS, "lacks", "the copy has no value for it") \
    X(108, BAD_CALL, "bad_call", "the call makes no sense") \
    X(109, CANCELLED, "cancelled", "it was cancelled") \
    X(110, TABLE, "table", "the table contradicts itself") \
    X(111, SESSION_TAKEN, "session_taken", "somebody else has the session of the device") \
    X(112, ACCOUNT_LOCKED, "account_locked", "the device has locked the account") \
    X(113, NOT_TRUSTED, "not_trusted", "nothing proves who answers there") \
    X(114, SENT_ELSEWHERE, "sent_elsewhere", "what answers there sends elsewhere")
/* clang-format on */

/* BIL_OK, BIL_E_RANGE, ... */
typedef enum bil_error {
    BIL_ERROR_UNKNOWN = -1, /* no such name */
#define BIL_ERROR_ENUM(number, NAME, name, text) BIL_E_##NAME = (number),
    BIL_ERRORS(BIL_ERROR_ENUM)
#undef BIL_ERROR_ENUM
        BIL_OK = BIL_E_OK
} bil_error;

/* A transfer ends in one of five ways; other actions of a job use `done` and `refused` (no, or failed). */
typedef enum bil_outcome {
    BIL_DONE,
    BIL_REFUSED,  /* the device said no; `code` tells its reason */
    BIL_BUSY,     /* the device said: later */
    BIL_NOT_SENT, /* nothing left this computer */
    BIL_UNKNOWN   /* a reply was lost or late: it may have happened */
} bil_outcome;

/* The short name. Never NULL: an unknown number gives "unknown". The sentences take room: who wants them makes a table
 * of them by BIL_ERRORS, as host_error.h has one. */
const char *bil_error_name(int error);

/* The error with this name, or BIL_ERROR_UNKNOWN. `name` needs no terminator. */
int bil_error_from_name(const char *name, unsigned long length);

#ifdef __cplusplus
}
#endif

#endif
