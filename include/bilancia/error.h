/* bilancia/error.h - every error of the library, in one list.
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
    X(46, ADDRESS, "address", "this is no device address", "write modbus+tcp://host[:port]/unit or modbus+rtu:/dev/NAME?unit=N") \
    X(47, GATEWAY_PATH, "gateway_path", "the gateway has no way to the device", "check the unit number and how the gateway is set up") \
    X(48, GATEWAY_SILENT, "gateway_silent", "the gateway answers, the device behind it doesn't", "check the line between gateway and device, the unit number, and the supply of the device") \
    /* jobs */ \
    X(50, PASSWORD, "password", "the device doesn't accept the password", "check the password; after a factory reset it is the one from the manual") \
    X(51, NO_PASSWORD, "no_password", "the device wants a password and none was given", "give it at the prompt, with --password-fd, or in BILANCIA_PASSWORD") \
    X(52, HOLD, "hold", "the device doesn't enter the state in which it takes values", "look at the device: is it stopped, in service, without a fault?") \
    X(53, RELEASE, "release", "the device doesn't go back to its former state", "look at the device and release it by hand") \
    X(54, STORE, "store", "the device doesn't confirm that it stored the values", "don't switch it off; run the command again") \
    X(55, RESTART, "restart", "the device doesn't come back after the restart", "look at the device; when it answers again, run the command again") \
    X(56, FOREIGN_CHANGE, "foreign_change", "somebody else changes this value at the same time", "find out who, then run the command again") \
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
    /* files, folders and calls */ \
    X(80, FILE_OPEN, "file_open", "the file can't be opened", "check the path and your rights") \
    X(81, FILE_WRITE, "file_write", "the file can't be written", "check the folder and your rights, or choose another with --folder") \
    X(82, DISK_FULL, "disk_full", "the disk is full", "free some space, or choose another folder with --folder") \
    X(83, YAML, "yaml", "the description isn't valid", "mend the line named") \
    X(84, CALL, "call", "the call is wrong", "see --help of the command") \
    X(85, MEMORY, "memory", "the computer has no memory left", "close other programs") \
    X(86, CONTROL, "control", "the simulator doesn't answer on its control channel", "check that it runs and that the path is the one it printed") \
    X(87, LIBRARY, "library", "a library that this needs is not on this computer", "install it (on Debian: libarchive13), then run the command again") \
    X(88, STORED_HIDDEN, "stored_hidden", "the stored values can't be read now", "store or undo what is in force; or restart the device and read it: then what was stored is in force") \
    X(89, CSV, "csv", "the table isn't as it must be", "mend the line named; docs/compare.md tells how a table looks") \
    /* the site */ \
    X(90, NO_SITE, "no_site", "there is no site here", "go to the folder of the site, name it with --site, or make one: bilancia site make FOLDER") \
    X(91, SITE_BROKEN, "site_broken", "the folder of the site is damaged", "bilancia site check names what is wrong") \
    X(92, NO_DEVICE, "no_device", "the site has no such device", "bilancia overview lists its devices; bilancia device adds one") \
    X(93, NO_COPY, "no_copy", "the device has no such copy", "bilancia history lists its copies") \
    X(94, KEPT, "kept", "this copy is kept for good", "the first copy, the baseline and proved copies can't be deleted; mark another baseline first") \
    X(95, DISPUTED, "disputed", "two places of the site say different things", "decide, and say it again: then both agree") \
    X(96, SIGNATURE, "signature", "the copy isn't signed as this device demands", "have it signed by the key named, or take a copy that is") \
    X(97, NOT_ALLOWED, "not_allowed", "this person may not write to this device", "ask somebody whom the site names") \
    X(98, ON_DEVICE, "on_device", "this folder lies on the device that is to be wiped", "choose a folder on another disk") \
    X(99, LINE_IN_USE, "line_in_use", "another program uses this serial port", "end the other program, or wait for it") \
    X(100, NOT_YOURS, "not_yours", "this value can't be changed in a copy", "leave it out: it belongs to the unit, or the device takes no value for it") \
    X(101, DECISIONS, "decisions", "the file of decisions isn't as it must be", "mend the place named; `bilancia settle --help` shows how one looks") \
    X(102, TURN, "turn", "somebody else is writing to this device", "wait until that has ended, then run the command again") \
    X(103, NO_RECORD, "no_record", "there is no record of a write here", "name the device of a site, or the .brec file that the write printed") \
    X(104, RECORD_FORM, "record_form", "this is no record, or its beginning is damaged", "take another one; the saved copies beside it can be written as ever")
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
