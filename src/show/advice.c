/* What to do now, for each error of both lists: it names commands, so firmware doesn't carry it. */
#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "show/advice.h"
#include "show/next.h"
#include "show/terminal.h"

/* X(NAME, "what to do now") */
/* clang-format off */
#define ADVICE(X) \
    X(RANGE, "give a value within the limits shown") \
    X(STEP, "give a multiple of the step shown") \
    X(CHOICE, "give one of the choices shown") \
    X(SYNTAX, "write it as `show` prints it") \
    X(INEXACT, "round it to the decimals that `show` prints") \
    X(NO_TEXT, "use the raw value") \
    X(ENCODING, "check that the description fits the firmware of the unit") \
    X(SPACE, "ask the matching size function and give that much") \
    X(SET_CUT, "take another copy: this one was cut while it was written or copied") \
    X(SET_ALTERED, "take another copy: this one was altered after it was written") \
    X(SET_LINE, "take another copy, or check where this file comes from") \
    X(SET_ORDER, "take another copy: this one wasn't written by a sound program") \
    X(SET_LONG, "take another copy: this one wasn't written by a sound program") \
    X(SET_VERSION, "use the version of this tool that wrote the file") \
    X(SET_COUNT, "take another copy: this one was altered after it was written") \
    X(SET_AFTER_END, "take another copy: this one was altered after it was written") \
    X(OTHER_MODEL, "check the address, or take the copy that belongs to this model") \
    X(OTHER_FIRMWARE, "bring the unit to the firmware of the copy, read a fresh copy from a unit with this firmware[, or say --despite firmware='THE REASON']") \
    X(OTHER_HARDWARE, "use a description that names this hardware revision") \
    X(OTHER_UNIT, "check the address[; for another unit say what for: --as replacement or --as clone]") \
    X(OTHER_TYPE, "use the description that the copy was made with") \
    X(UNKNOWN_PARAMETER, "use the description that the copy was made with") \
    X(OTHER_LAYOUT, "use the description that the copy was made with") \
    X(VALUE_TEXT, "take another copy, or check where this file comes from") \
    X(UNKNOWN_MODEL, "a description of this model is wanted[: --description FILE], here or in the site") \
    X(UNKNOWN_FIRMWARE, "it may be read; for writing use a description that names this firmware") \
    X(NOT_REACHABLE, "check address and port, the supply of the device, the cable, and that its interface is switched on") \
    X(SILENT, "check the unit number in the address and that the device has finished starting") \
    X(LOST, "check cable and supply, then run the command again") \
    X(GARBLED, "check that the device speaks this protocol at this port") \
    X(REFUSED, "check the state of the device and the firmware named in the description") \
    X(BUSY, "wait until it has finished, then run the command again") \
    X(GATEWAY_PATH, "check the unit number and how the gateway is set up") \
    X(GATEWAY_SILENT, "check the line between gateway and device, the unit number, and the supply of the device") \
    X(LINE_IN_USE, "end the other program, or wait for it") \
    X(PASSWORD, "check the password; after a factory reset it is the one from the manual; an account may also be locked after wrong ones, or expired: look at the device") \
    X(NO_PASSWORD, "give it at the prompt[, with --password-fd], or in BILANCIA_PASSWORD") \
    X(HOLD, "look at the device: is it stopped, in service, without a fault?") \
    X(RELEASE, "look at the device, and release or lock it by hand") \
    X(STORE, "don't switch it off; run the command again") \
    X(RESTART, "look at the device; when it answers again, run the command again") \
    X(FOREIGN_CHANGE, "find out who, then run the command again") \
    X(DIFFERS, "look at the parameter named; the device may have rejected or changed it") \
    X(DISAGREE, "check the two values; the device takes only one of them") \
    X(DECLINED, "nothing was written; run the command again when you are ready") \
    X(PERSON, "run the command in a terminal") \
    X(UNREADABLE, "the record names the parameter and the reason") \
    X(LEFT_HELD, "it stays held; release it at the device once you know who held it") \
    X(BAD_RESULT, "this is a fault of the program that drives the job") \
    X(SAFETY_COPY, "free space or choose another folder; nothing was written to the device") \
    X(RECORD, "free space or choose another folder") \
    X(NOTHING_READ, "check that the description fits the unit") \
    X(RULE, "change one of the two[; or say --despite rules='THE REASON']") \
    X(NO_TRIAL, "write it for good, or leave it") \
    X(ADDRESS_TAKEN, "take that device off the line, or change the address in the copy") \
    X(NOT_IDLE, "the values are in force and stored; prove it later: run the same write again") \
    X(NO_RESET, "reset it by hand as its manual says, then read it") \
    X(INTERRUPTED, "see to its supply; then do what is said below, or run the command again") \
    X(RESTART_UNSEEN, "switch it off and on when that does no harm, then run the same write again: it proves what is there") \
    X(LET_GO, "don't let the machine work before that is put right: find out who, then finish or go back as said below") \
    X(AT_WORK, "wait until it has finished, then run the command again") \
    X(START, "look at the machine and start it by hand, as its manual says") \
    X(NOT_STANDING, "look at the machine: start it by hand when it is safe") \
    X(CHANGING, "wait until nobody changes anything at the device, then read it again") \
    X(NO_IDENTITY, "look at its name plate[; when it is the one that is meant say so: --as restore, replacement or clone]") \
    X(SESSION_TAKEN, "end the other session (a terminal, a panel, another computer), then run the command again") \
    X(ACCOUNT_LOCKED, "wait until it opens again, or have it opened at the device; don't try another password now") \
    X(NOT_TRUSTED, "compare that key with the one that the device shows or its papers have; when it is the same, put it behind the address: /?key=DIGITS") \
    X(NEW_THERE, "when that is the device run the command in a terminal, which asks; or say it: bilancia find ADDRESS --known-as 'WHAT IT SAYS'") \
    X(OTHER_THERE, "look who is there: another device, or somebody in between; when it is right, bilancia find ADDRESS --known-as 'WHAT IT SAYS'") \
    X(SENT_ELSEWHERE, "look who that is; when it is the device, use that address") \
    X(ADDRESS, "write modbus+tcp://host[:port]/unit, modbus+rtu:/dev/NAME?unit=N, console+tcp://host:port, console+serial:/dev/NAME?speed=9600, http://host[:port] or https://host[:port]") \
    X(FILE_OPEN, "check the path and your rights") \
    X(FILE_WRITE, "check the folder and your rights[, or choose another with --folder]") \
    X(DISK_FULL, "free some space[, or choose another folder with --folder]") \
    X(YAML, "mend the line named") \
    X(CALL, "see --help of the command") \
    X(MEMORY, "close other programs") \
    X(CONTROL, "check that it runs and that the path is the one it printed") \
    X(STORED_HIDDEN, "store or undo what is in force; or restart the device and read it: then what was stored is in force") \
    X(CSV, "mend the line named; docs/compare.md tells how a table looks") \
    X(NO_SITE, "go to the folder of the site[, name it with --site], or make one: bilancia site make FOLDER") \
    X(SITE_BROKEN, "what is wrong: bilancia site check@") \
    X(SITE_FILE, "bring site.json from another place of this site, or as it was; nothing else of the site is lost") \
    X(NO_DEVICE, "its devices: bilancia overview@; to add one: bilancia device add NAME ADDRESS@") \
    X(NO_COPY, "its copies: bilancia history %@") \
    X(KEPT, "the first copy, the baseline and proved copies can't be deleted; mark another baseline first") \
    X(DISPUTED, "name the one that is meant; what is said anew counts at both places") \
    X(SIGNATURE, "have it signed by the key named, or take a copy that is") \
    X(NOT_ALLOWED, "ask somebody whom its card names; what that says: bilancia device show %@") \
    X(ON_DEVICE, "choose a folder on another disk") \
    X(NOT_YOURS, "leave it out: it belongs to the unit, or the device takes no value for it") \
    X(DECISIONS, "mend the place named; how one looks: bilancia settle --help") \
    X(TURN, "wait until that has ended, then run the command again; what is stuck ends with the program that has it[, or is set aside with --despite turn='THE REASON']") \
    X(NO_RECORD, "name the device of a site, or the .brec file that the write printed") \
    X(DESCRIPTORS, "close other programs, or raise the limit: ulimit -n 1024") \
    X(CARD, "who wrote what: bilancia site check@; to let it be as it is here: bilancia device change %@[, or for this once --despite card='THE REASON']") \
    X(PASSPHRASE, "give the one under which the secrets were sealed; without one they stay sealed, and are entered by hand") \
    X(SEAL, "see that libsodium is installed; use the version of this tool that sealed it, or seal the secret anew[: bilancia edit COPY --seal ID]") \
    X(UNSHOWN, "try at the machine what needs it") \
    X(NO_KEY, "give the file with the secret half: a PEM file of an Ed25519 key") \
    X(FOREIGN, "look at what it asks for and at the machine; or begin anew with a copy that you chose") \
    X(RECORD_FORM, "take another one; the saved copies beside it can be written as ever")
/* clang-format on */

/* What stands in brackets names an option, and goes only to a command that has it. */
static bool goes(const char *part, const char *end, const char *const *options)
{
    const char *dashes = strstr(part, "--");
    if (!options || !dashes || dashes >= end)
        return true;
    size_t length = strcspn(dashes + 2, " =,;]");
    for (size_t i = 0; options[i]; i++)
        if (strlen(options[i]) == length && memcmp(options[i], dashes + 2, length) == 0)
            return true;
    return false;
}

static const char *text_of(int error)
{
    static const struct {
        int error;
        const char *advice;
    } list[] = {
#define ENTRY(NAME, advice) {(int)BIL_E_##NAME, advice},
        ADVICE(ENTRY)
#undef ENTRY
    };
    for (size_t i = 0; i < sizeof list / sizeof list[0]; i++)
        if (list[i].error == error)
            return list[i].advice;
    return "";
}

/* The device of DEVICE#WHICH as a word to be pasted; what is none becomes what a person puts one in for. */
static const char *device_of(const char *about, char *out, size_t size)
{
    char name[300];
    size_t length = strcspn(about, "#");
    if (length == 0 || length >= sizeof name || memchr(about, '/', length))
        return "DEVICE";
    snprintf(name, sizeof name, "%.*s", (int)length, about);
    return pasted(name, out, size);
}

void advice_for(int error, const char *about, const char *const *options, char *out, size_t size)
{
    size_t used = 0;
    char device[4 * 300 + 3];
    const char *text = text_of(error);
    for (const char *at = text; *at && used + 1 < size; at++) {
        const char *end = *at == '[' ? strchr(at, ']') : NULL;
        if (end && !goes(at, end, options))
            at = end;
        else if (*at == '@' || *at == '%')
            used += (size_t)snprintf(out + used, size - used, "%s",
                                     *at == '@' ? next_site() : device_of(about, device, sizeof device));
        else if (*at != '[' && *at != ']')
            out[used++] = *at;
    }
    if (*text && !strstr(text, "bilancia ") && used < size) /* a command has no dot at its end */
        used += (size_t)snprintf(out + used, size - used, ".");
    out[used < size ? used : size - 1] = '\0';
}
