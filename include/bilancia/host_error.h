/* bilancia/host_error.h - the errors that only a computer with files, a person and a site has.
 *
 * They go on with the numbers of error.h and keep to its rules: never renumbered, only added.
 *
 * Thread rules: all functions are pure. */
#ifndef BILANCIA_HOST_ERROR_H
#define BILANCIA_HOST_ERROR_H

#include "bilancia/error.h"

/* X(number, NAME, "name", "text", "what to do now") */
/* clang-format off */
#define BIL_HOST_ERRORS(X) \
    X(46, ADDRESS, "address", "this is no device address", "write modbus+tcp://host[:port]/unit or modbus+rtu:/dev/NAME?unit=N") \
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
    X(100, NOT_YOURS, "not_yours", "this value can't be changed in a copy", "leave it out: it belongs to the unit, or the device takes no value for it") \
    X(101, DECISIONS, "decisions", "the file of decisions isn't as it must be", "mend the place named; `bilancia settle --help` shows how one looks") \
    X(102, TURN, "turn", "somebody else is writing to this device", "wait until that has ended, then run the command again") \
    X(103, NO_RECORD, "no_record", "there is no record of a write here", "name the device of a site, or the .brec file that the write printed") \
    X(104, RECORD_FORM, "record_form", "this is no record, or its beginning is damaged", "take another one; the saved copies beside it can be written as ever")
/* clang-format on */

/* BIL_E_ADDRESS, BIL_E_FILE_OPEN, ... */
enum {
#define BIL_ERROR_ENUM(number, NAME, name, text, advice) BIL_E_##NAME = (number),
    BIL_HOST_ERRORS(BIL_ERROR_ENUM)
#undef BIL_ERROR_ENUM
};

/* As bil_error_name and the others, for the errors of both lists. */
const char *error_name(int error);
const char *error_text(int error);
const char *error_advice(int error);

#endif
