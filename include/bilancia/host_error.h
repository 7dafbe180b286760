/* bilancia/host_error.h - the errors that only a computer with files, a person and a site has.
 *
 * They go on with the numbers of error.h and keep to its rules: never renumbered, only added.
 *
 * Thread rules: all functions are pure. */
#ifndef BILANCIA_HOST_ERROR_H
#define BILANCIA_HOST_ERROR_H

#include "bilancia/error.h"

#ifdef __cplusplus
extern "C" {
#endif

/* X(number, NAME, "name", "text") */
/* clang-format off */
#define BIL_HOST_ERRORS(X) \
    X(46, ADDRESS, "address", "this is no device address") \
    X(38, UNKNOWN_MODEL, "unknown_model", "no description matches what answers there") \
    X(99, LINE_IN_USE, "line_in_use", "another program uses this serial port") \
    /* files, folders and calls */ \
    X(80, FILE_OPEN, "file_open", "the file can't be opened") \
    X(81, FILE_WRITE, "file_write", "the file can't be written") \
    X(82, DISK_FULL, "disk_full", "the disk is full") \
    X(83, YAML, "yaml", "the description isn't valid") \
    X(84, CALL, "call", "the call is wrong") \
    X(85, MEMORY, "memory", "the computer has no memory left") \
    X(86, CONTROL, "control", "the simulator doesn't answer on its control channel") \
    X(88, STORED_HIDDEN, "stored_hidden", "the stored values can't be read now") \
    X(89, CSV, "csv", "the table isn't as it must be") \
    /* the site */ \
    X(90, NO_SITE, "no_site", "there is no site here") \
    X(91, SITE_BROKEN, "site_broken", "the folder of the site is damaged") \
    X(124, SITE_FILE, "site_file", "what makes this folder a site can't be read") \
    X(92, NO_DEVICE, "no_device", "the site has no such device") \
    X(93, NO_COPY, "no_copy", "the device has no such copy") \
    X(94, KEPT, "kept", "this copy is kept for good") \
    X(95, DISPUTED, "disputed", "two places of the site say different things") \
    X(96, SIGNATURE, "signature", "the copy isn't signed as this device demands") \
    X(97, NOT_ALLOWED, "not_allowed", "this person may not write to this device") \
    X(98, ON_DEVICE, "on_device", "this folder lies on the device that is to be wiped") \
    X(100, NOT_YOURS, "not_yours", "this value can't be changed in a copy") \
    X(101, DECISIONS, "decisions", "the file of decisions isn't as it must be") \
    X(102, TURN, "turn", "somebody else is writing to this device") \
    X(120, DESCRIPTORS, "descriptors", "this program may open no more files and connections") \
    X(121, CARD, "card", "it isn't clear what the site allows for this device") \
    X(122, NO_KEY, "no_key", "this is no key file, or it can't be read") \
    X(123, FOREIGN, "foreign", "this record isn't of this computer") \
    X(103, NO_RECORD, "no_record", "there is no record of a write here") \
    X(104, RECORD_FORM, "record_form", "this is no record, or its beginning is damaged") \
    X(125, NO_BYTES, "no_bytes", "the bytes of a file aren't at hand") \
    X(126, PASSPHRASE, "passphrase", "this isn't the passphrase") \
    X(127, SEAL, "seal", "it is sealed in a way that this program doesn't open") \
    X(128, UNSHOWN, "unshown", "the device took it, and shows it to nobody: nothing proves it") \
    X(129, NEW_THERE, "new_there", "it wants a password before it says who it is, and nobody has agreed to that yet") \
    X(130, OTHER_THERE, "other_there", "what answers there calls itself otherwise than it did: no password went there")
/* clang-format on */

/* BIL_E_ADDRESS, BIL_E_FILE_OPEN, ... */
enum {
#define BIL_ERROR_ENUM(number, NAME, name, text) BIL_E_##NAME = (number),
    BIL_HOST_ERRORS(BIL_ERROR_ENUM)
#undef BIL_ERROR_ENUM
};

/* As bil_error_name and the others, for the errors of both lists. */
const char *bil_host_error_name(int error);
const char *bil_host_error_text(int error);

#ifdef __cplusplus
}
#endif

#endif
