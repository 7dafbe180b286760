/* bilancia/error.h - every error of the portable part, in one list; those that only a computer with files has are in
 * host_error.h, so that firmware doesn't carry their texts.
 *
 * An error is a small positive int; BIL_OK is 0. Numbers are stable: they are written to records and
 * sets, so an entry is never renumbered, only added. Names are short and lower case; they appear in
 * JSON output and in `unreadable` lines of a set. The advice says what a person can do now.
 *
 * Thread rules: all functions are pure. */
#ifndef BILANCIA_ERROR_H
#define BILANCIA_ERROR_H

/* X(number, NAME, "name", "text", "what to do now") */
/* clang-format off */
#define BIL_ERRORS(X) \
    X(0, OK, "ok", "done", "") \
    /* values */ \
    X(1, RANGE, "range", "the value lies outside its limits", "give a value within the limits shown") \
    X(2, STEP, "step", "the value lies between two steps", "give a multiple of the step shown") \
    X(3, CHOICE, "choice", "the value is none of the choices", "give one of the choices shown") \
    X(4, SYNTAX, "syntax", "the text is no value of this type", "write it as `show` prints it") \
    X(5, INEXACT, "inexact", "the value has more decimals than the parameter can hold", "round it to the decimals that `show` prints") \
    X(6, NO_TEXT, "no_text", "the value has no exact text here", "use the raw value") \
    X(7, ENCODING, "encoding", "the cells hold no value of this type", "check that the description fits the firmware of the unit") \
    X(8, SPACE, "space", "the memory given is too small", "ask the matching size function and give that much") \
    /* set files */ \
    X(20, SET_CUT, "set_cut", "the file ends before its last line", "take another copy: this one was cut while it was written or copied") \
    X(21, SET_ALTERED, "set_altered", "the digest doesn't fit the lines before it", "take another copy: this one was altered after it was written") \
    X(22, SET_LINE, "set_line", "the line isn't in the form that the format demands", "take another copy, or check where this file comes from") \
    X(23, SET_ORDER, "set_order", "the line is out of order or doubled", "take another copy: this one wasn't written by a sound program") \
    X(24, SET_LONG, "set_long", "the line is longer than the format allows", "take another copy: this one wasn't written by a sound program") \
    X(25, SET_VERSION, "set_version", "the file has another format version", "use the version of this tool that wrote the file") \
    X(26, SET_COUNT, "set_count", "the counts in the last line don't fit the lines before it", "take another copy: this one was altered after it was written") \
    X(27, SET_AFTER_END, "set_after_end", "something follows the last line", "take another copy: this one was altered after it was written") \
    /* does it fit? */ \
    X(30, OTHER_MODEL, "other_model", "this is another model", "check the address, or take the copy that belongs to this model") \
    X(31, OTHER_FIRMWARE, "other_firmware", "the unit has another firmware", "bring the unit to the firmware of the copy, read a fresh copy from a unit with this firmware, or say --despite firmware='THE REASON'") \
    X(32, OTHER_HARDWARE, "other_hardware", "the unit has another hardware revision", "use a description that names this hardware revision") \
    X(33, OTHER_UNIT, "other_unit", "this is another unit than the copy was read from", "check the address; for another unit say what for: --as replacement or --as clone") \
    X(34, OTHER_TYPE, "other_type", "the parameter has another type here", "use the description that the copy was made with") \
    X(35, UNKNOWN_PARAMETER, "unknown_parameter", "the description doesn't know this parameter", "use the description that the copy was made with") \
    X(36, OTHER_LAYOUT, "other_layout", "the copy was made with another layout of this description", "use the description that the copy was made with") \
    X(37, VALUE_TEXT, "value_text", "the readable value doesn't fit the raw value", "take another copy, or check where this file comes from") \
    X(38, UNKNOWN_MODEL, "unknown_model", "no description matches what answers there", "give the description of this model with --description") \
    X(39, UNKNOWN_FIRMWARE, "unknown_firmware", "the description doesn't name the firmware of this unit", "it may be read; for writing use a description that names this firmware") \
    /* links */ \
    X(40, NOT_REACHABLE, "not_reachable", "nothing accepts a connection at this address", "check address and port, the supply of the device, the cable, and that its interface is switched on") \
    X(41, SILENT, "silent", "the device doesn't answer in time", "check the unit number in the address and that the device has finished starting") \
    X(42, LOST, "lost", "the connection was lost", "check cable and supply, then run the command again") \
    X(43, GARBLED, "garbled", "the reply makes no sense", "check that the device speaks this protocol at this port") \
    X(44, REFUSED, "refused", "the device refuses the request", "check the state of the device and the firmware named in the description") \
    X(45, BUSY, "busy", "the device stays busy", "wait until it has finished, then run the command again") \
    X(47, GATEWAY_PATH, "gateway_path", "the gateway has no way to the device", "check the unit number and how the gateway is set up") \
    X(48, GATEWAY_SILENT, "gateway_silent", "the gateway answers, the device behind it doesn't", "check the line between gateway and device, the unit number, and the supply of the device") \
    X(99, LINE_IN_USE, "line_in_use", "another program uses this serial port", "end the other program, or wait for it") \
    /* jobs */ \
    X(50, PASSWORD, "password", "the device doesn't accept the password", "check the password; after a factory reset it is the one from the manual; an account may also be locked after wrong ones, or expired: look at the device") \
    X(51, NO_PASSWORD, "no_password", "the device wants a password and none was given", "give it at the prompt, with --password-fd, or in BILANCIA_PASSWORD") \
    X(52, HOLD, "hold", "the device doesn't enter the state in which it takes values", "look at the device: is it stopped, in service, without a fault?") \
    X(53, RELEASE, "release", "the device doesn't go back to its former state", "look at the device and release it by hand") \
    X(54, STORE, "store", "the device doesn't confirm that it stored the values", "don't switch it off; run the command again") \
    X(55, RESTART, "restart", "the device doesn't come back after the restart", "look at the device; when it answers again, run the command again") \
    X(56, FOREIGN_CHANGE, "foreign_change", "somebody else, or the device itself, changes this value at the same time", "find out who, then run the command again") \
    X(57, DIFFERS, "differs", "the value read back isn't the value wanted", "look at the parameter named; the device may have rejected or changed it") \
    X(58, DISAGREE, "disagree", "these two parameters reset each other again and again", "check the two values; the device takes only one of them") \
    X(59, DECLINED, "declined", "a person said no", "nothing was written; run the command again when you are ready") \
    X(60, PERSON, "person", "a step needs a person and nobody can answer", "run the command in a terminal") \
    X(61, UNREADABLE, "unreadable", "the value could not be read", "the record names the parameter and the reason") \
    X(62, LEFT_HELD, "left_held", "the device was already held before this write", "it stays held; release it at the device once you know who held it") \
    X(63, BAD_RESULT, "bad_result", "the result doesn't belong to the action", "this is a fault of the program that drives the job") \
    X(64, SAFETY_COPY, "safety_copy", "the safety copy could not be saved", "free space or choose another folder; nothing was written to the device") \
    X(65, RECORD, "record", "the record could not be saved", "free space or choose another folder") \
    X(66, NOTHING_READ, "nothing_read", "not one value could be read", "check that the description fits the unit") \
    X(67, RULE, "rule", "these values break a rule between them", "change one of the two; or say --despite rules='THE REASON'") \
    X(68, NO_TRIAL, "no_trial", "what is written to this model lasts at once, so that it can't be tried", "write it for good, or leave it") \
    X(69, ADDRESS_TAKEN, "address_taken", "another device answers at the address that the values bring", "take that device off the line, or change the address in the copy") \
    X(70, NOT_IDLE, "not_idle", "the machine didn't stand by itself in time", "the values are in force and stored; prove it later: run the same write again") \
    X(71, NO_RESET, "no_reset", "this model has no command for a factory reset", "reset it by hand as its manual says, then read it") \
    X(72, INTERRUPTED, "interrupted", "the device was switched off or restarted in the middle: a value isn't what it was", "see to its supply, then finish or go back as said below")
/* clang-format on */

/* BIL_OK, BIL_E_RANGE, ... */
typedef enum bil_error {
    BIL_ERROR_UNKNOWN = -1, /* no such name */
#define BIL_ERROR_ENUM(number, NAME, name, text, advice) BIL_E_##NAME = (number),
    BIL_ERRORS(BIL_ERROR_ENUM)
#undef BIL_ERROR_ENUM
        BIL_OK = BIL_E_OK
} bil_error;

/* The short name, the sentence, and the advice. Never NULL: an unknown number gives "unknown" and "". */
const char *bil_error_name(int error);
const char *bil_error_text(int error);
const char *bil_error_advice(int error);

/* The error with this name, or BIL_ERROR_UNKNOWN. `name` needs no terminator. */
int bil_error_from_name(const char *name, unsigned long length);

#endif
