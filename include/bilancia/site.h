/* bilancia/site.h - the devices, copies, records and notes of one plant: a folder of plain files (docs/site.md).
 *
 * Everything in it is only ever added, so that several people and programs may work in it at once, and two copies of a
 * site are brought together by putting their files into one folder. What it says comes from other people's computers:
 * texts were looked at (printable UTF-8), and what can't be read or was altered doesn't count.
 *
 * What a call gives by pointer or to a hook belongs to the site and is good until the next call with it, or until the
 * hook comes back. A hook that returns false ends the list, which is no error.
 *
 * Thread rules: as host.h. */
#ifndef BILANCIA_SITE_H
#define BILANCIA_SITE_H

#include "bilancia/copy.h"

#ifdef __cplusplus
extern "C" {
#endif

/* An open site; see host.h for handles. */
typedef struct bil_site bil_site;

/* A copy as the site knows it. */
typedef struct bil_site_copy {
    const char *path, *digest, *parent, *values_digest;
    const char *when, *who, *why, *serial, *model, *firmware, *from; /* as bil_copy_info */
    int values, unreadable;
    int place;    /* among the copies of its device: 1 is the first; others may come between later */
    bool whole;   /* it was looked at as a whole, and is */
    bool damaged; /* cut or altered */
    /* By which people call it (DEVICE#14): it is in the file's name and stays, whatever is deleted or comes from
     * another place; 0: it has none, and goes by its digest. */
    unsigned number;
} bil_site_copy;

/* A device as the site knows it. */
typedef struct bil_site_device {
    const char *name, *folder;                         /* what people call it; its folder in the site */
    const char *address, *group, *model;               /* model: the one expected there, or "" */
    const char *limit, *writers, *signed_by, *storage; /* as in bil_card */
    const char *changed, *changed_by, *changed_why;    /* when its card was changed last, by whom, and why; or "" */
    const char *baseline;                              /* digest of the copy that counts as right, or "" */
    bool baseline_disputed, disputed;                  /* two places of the site say different things */
    bool retired;                                      /* out of service */
    bool asked, answers, unstored;                     /* what is known of the last read, where there was one */
    int copies;
    const bil_site_copy *last; /* the newest that was read from it; NULL where there is none */
} bil_site_device;

/* Opens the site in this folder; NULL: the host's. What it knows quickly is brought up to date. BIL_E_NO_SITE,
 * BIL_E_SITE_FILE, BIL_E_SITE_BROKEN. On an error *site is NULL. */
int bil_site_open(bil_host *host, const char *folder, bil_site **site);

/* Makes one; the folder may be there, but no site. BIL_E_CALL, BIL_E_FILE_WRITE. */
int bil_site_make(bil_host *host, const char *folder, const char *name, bil_site **site);

/* NULL does nothing. */
void bil_site_close(bil_site *site);

/* Where it lies, whole; and what it is called. */
const char *bil_site_folder(const bil_site *site);
const char *bil_site_name(const bil_site *site);

/* ---- how devices stand ---- */

/* X(NAME, "name", "text"): what may be so of a device, the ones to look at first first. The first ones are what jobs
 * left behind, as their records say; then what its copies and the last question tell. */
/* clang-format off */
#define BIL_STANDINGS(X) \
    X(HELD, "held", "still held by a write") \
    X(UNFINISHED, "unfinished", "a write isn't finished") \
    X(ON_TRIAL, "on_trial", "values on trial") \
    X(TEST_FAILED, "test_failed", "a test failed") \
    X(TESTS_OPEN, "tests_open", "not tried since the last write") \
    X(EXCHANGED, "exchanged", "another unit, not taken in") \
    X(DRIFTED, "drifted", "differs from the baseline") \
    X(NO_ANSWER, "no_answer", "doesn't answer") \
    X(LONG_AGO, "long_ago", "not asked for long") \
    X(DISPUTED, "disputed", "two places of the site disagree") \
    X(TWO_BASELINES, "two_baselines", "two baselines were marked") \
    X(DAMAGED, "damaged", "the last copy is damaged") \
    X(UNSTORED, "unstored", "values not stored yet") \
    X(UNPROVED, "unproved", "stored, not seen after a restart") \
    X(NO_COPY, "no_copy", "no copy yet") \
    X(NO_BASELINE, "no_baseline", "no baseline marked") \
    X(WELL, "well", "as the baseline") \
    X(RETIRED, "retired", "out of service")
/* clang-format on */

/* What may be so of a device. */
typedef enum bil_standing {
#define BIL_STANDING_ENUM(NAME, name, text) BIL_STANDING_##NAME,
    BIL_STANDINGS(BIL_STANDING_ENUM)
#undef BIL_STANDING_ENUM
        BIL_STANDING_COUNT
} bil_standing;

/* Its name for programs, and a text for people; "?" for a number that is none. */
const char *bil_standing_name(bil_standing standing);
const char *bil_standing_text(bil_standing standing);

/* How one device stands. */
typedef struct bil_site_standing {
    const bil_site_device *device;
    bil_standing first;     /* of what is so, the one to look at first */
    uint32_t all;           /* 1 << bil_standing for each that is so */
    int drift;              /* values of the last copy that differ from the baseline; -1: not known */
    const char *asked;      /* when it was asked last, as far as this computer knows, or "" */
    const char *record;     /* of what was left behind: the file; "" where nothing was */
    const char *began, *by; /* and when that write was begun, and by whom */
    bool elsewhere;         /* that record isn't the site's: it goes by the file, not by the device's name */
    unsigned tests_failed, tests_open;
    const char *why, *since; /* where it doesn't answer: what was seen, and when that was news; or "" */
    const char *unit;        /* where it was exchanged: the serial number of the unit that belongs there */
} bil_site_standing;

/* What a site has in all. */
typedef struct bil_site_sum {
    size_t struct_size;
    unsigned devices, copies;
    unsigned first[BIL_STANDING_COUNT]; /* devices by what is to be looked at first */
    unsigned only_here;                 /* copies made since the last second copy of the site */
    const char *second, *second_when;   /* where and when that was; "" where there is none */
} bil_site_sum;

/* How each device stands, the ones to look at first first, then by group and name; `sum` (or NULL) what there is in
 * all, known before the first call of `each` (or NULL). */
int bil_site_overview(bil_site *site, bil_site_sum *sum, bool (*each)(void *ctx, const bil_site_standing *standing),
                      void *ctx);

/* The same of one device. */
int bil_site_standing_of(bil_site *site, const char *device, const bil_site_standing **standing);

/* A test of function or safety that a write left to people, or a warning of the device that was to be over. */
typedef struct bil_site_test {
    bool warning;
    bool answered, passed;
    const char *what;
} bil_site_test;

/* Each test of the last write to a device that changed something. BIL_E_NO_RECORD where there was none. */
int bil_site_tests(bil_site *site, const char *device, bool (*each)(void *ctx, const bil_site_test *test), void *ctx);

/* What a person says of one of them. BIL_E_NO_RECORD, BIL_E_CALL (there is no such test). */
int bil_site_tried(bil_site *site, const char *device, const char *what, bool passed);

/* ---- devices and copies ---- */

/* Each device, by name. */
int bil_site_devices(bil_site *site, bool (*each)(void *ctx, const bil_site_device *device), void *ctx);

/* One, by name, folder or address. BIL_E_NO_DEVICE; BIL_E_DISPUTED where it may be two. */
int bil_site_device_of(bil_site *site, const char *name, const bil_site_device **device);

/* The device as which a unit was read last, other than this one (NULL: any), by what its copies say: then it was moved,
 * or one of the addresses is wrong. BIL_E_NO_DEVICE where it wasn't. Its `last` is the newest copy of that unit. */
int bil_site_unit(bil_site *site, const char *model, const char *serial, const char *other_than,
                  const bil_site_device **device);

/* The copies of a device, from the newest on; at most `most` (0: all). */
int bil_site_copies(bil_site *site, const char *device, int most, bool (*each)(void *ctx, const bil_site_copy *copy),
                    void *ctx);

/* One copy: DEVICE#WHICH, where WHICH is last (also without #), first, baseline, its number, a name that somebody gave
 * it, or at least three digits of its digest; the whole file is looked at, unless it didn't change since.
 * BIL_E_NO_DEVICE, BIL_E_NO_COPY; BIL_E_DISPUTED where it may be two: bil_host_why names them. */
int bil_site_copy_of(bil_site *site, const char *which, const bil_site_copy **copy);

/* A few words of a person. */
typedef struct bil_site_words {
    const char *who, *when, *text;
} bil_site_words;

/* One copy in the history of its device. */
typedef struct bil_site_past {
    const bil_site_copy *copy;                       /* looked at as a whole */
    bool has_before, has_baseline;                   /* is there a copy before it, and a baseline? */
    int from_before, from_baseline;                  /* in how many values it differs from those; -1: not known */
    bool baseline;                                   /* it is the one that counts as right */
    bool proved, is_signed, taken_in, offline, sent; /* what happened to it; `sent`: it was written to the device */
    bool other_unit;                                 /* than the copy before it */
    const char *const *names;                        /* that it goes by */
    size_t name_count;
    const bil_site_words *notes; /* on it */
    size_t note_count;
} bil_site_past;

/* The history of a device, from the newest copy on; at most `most` (0: all). */
int bil_site_history(bil_site *site, const char *device, int most, bool (*each)(void *ctx, const bil_site_past *past),
                     void *ctx);

/* One job that wrote to a device, or was to, as its record says. */
typedef struct bil_site_job {
    const char *record; /* the file */
    const char *when, *who, *why;
    const char *kind;                /* "write", "reset", "undo", "trial" */
    const char *serial;              /* of the unit */
    const char *copy;                /* the file that was written, or "" */
    const char *groups;              /* only these, or "" */
    const char *verdict;             /* by name (bil_verdict_name); "" where it was broken off */
    unsigned planned, written;       /* values; `written` is known once it came to an end */
    bool held, unfinished, on_trial; /* what it left, unless a later one went on with it */
    bool undone;                     /* a later one went back to what was before it */
    bool foreign;                    /* another computer's */
    unsigned tests_failed, tests_open;
} bil_site_job;

/* Every job that wrote to a device, the newest first; at most `most` (0: all). Those that this computer began when the
 * unit was reached otherwise than through this site are among them. */
int bil_site_jobs(bil_site *site, const char *device, int most, bool (*each)(void *ctx, const bil_site_job *job),
                  void *ctx);

/* In how many values of the work, the place and the calibration two copies differ (both DEVICE#WHICH); or minus an
 * error. */
int bil_site_drift(bil_site *site, const char *one, const char *other);

/* Each note of a device ("" or NULL: of the site), oldest first, as JSON (RFC 8259): its kind ("note", "baseline",
 * "signature", ...), who wrote it and when, and what it is about. `which` names one copy, or is NULL for all. */
int bil_site_notes(bil_site *site, const char *device, const char *kind,
                   bool (*each)(void *ctx, const char *kind, const char *json), void *ctx);

/* ---- what people say ---- */

/* A note to a device, or to one of its copies (DEVICE#WHICH). */
int bil_site_note(bil_site *site, const char *which, const char *text);

/* From now on this copy counts as right for its device. BIL_E_SET_ALTERED where it is damaged. */
int bil_site_baseline(bil_site *site, const char *which, const char *why);

/* A name for a copy: a small letter, then small letters, digits, - and _, at most 40. BIL_E_CALL where it can't be one.
 */
int bil_site_name_copy(bil_site *site, const char *which, const char *name);

/* Takes one of these back: from now on no copy of this device goes by this name, or (`name` NULL) none counts as right.
 * BIL_E_NO_DEVICE; BIL_E_NO_COPY where none did. */
int bil_site_take_back(bil_site *site, const char *device, const char *name);

/* What stands on the card of a device. NULL: as it was; "": taken away. */
typedef struct bil_card {
    size_t struct_size;
    const char *name, *address, *group, *model;
    const char *limit;   /* "reading", "trials" */
    const char *writers; /* who may write to it, with commas between; "": everybody. The user that the program runs as
                          * counts beside the one who acts: naming somebody else passes nothing */
    const char
        *signed_by;      /* only copies signed with the key of this name are written, and no reset; the site knows it */
    const char *storage; /* where the device's own disk appears on this computer */
    const char *why;
    bool retired, in_service;
} bil_card;

/* Adds a device, by `card` with a name and an address; and changes one. BIL_E_CALL, BIL_E_ADDRESS, BIL_E_NO_DEVICE. */
int bil_site_add(bil_site *site, const bil_card *card);
int bil_site_change(bil_site *site, const char *device, const bil_card *card);

/* ---- many at once ---- */

/* How the read of one device ended. */
typedef enum bil_read_end {
    BIL_READ_SAVED,     /* a new copy */
    BIL_READ_SAME,      /* read, and the values are those of the last copy: nothing was saved */
    BIL_READ_UNCHANGED, /* the device's own counter says that nothing changed: nothing was read */
    BIL_READ_PARTLY,    /* a new copy, with values that could not be read */
    BIL_READ_FAILED
} bil_read_end;

/* One device that was read. Texts are good during the call that gives it. */
typedef struct bil_read_one_of_many {
    const char *device;
    bil_read_end end;
    int error;
    const char *why;  /* what was seen; or "" */
    const char *path; /* of a new copy; or "" */
    unsigned values, unreadable, requests;
    bool unstored;
    size_t index; /* among the devices that are read, counted from 0 */
    const char *address;
    int system_error;           /* errno of the try to connect, where that failed; else 0 */
    const char *model, *serial; /* of the unit that was read; or "" */
} bil_read_one_of_many;

/* Its name for programs; "?" for a number that is none. */
const char *bil_read_end_name(bil_read_end end);

/* How many devices are read, and what came out. */
typedef struct bil_read_many {
    size_t struct_size;
    const char *why;   /* for the copies; or NULL */
    bool only_changed; /* a copy is saved only of devices that changed */
    unsigned at_once;  /* lines beside each other; 0: as many as is sensible */
    /* After each device, by threads of the library; false: none is begun any more. */
    bool (*each)(void *ctx, const bil_read_one_of_many *one, size_t finished, size_t count);
    void *ctx;
    unsigned saved, same, partly, failed; /* what came out */
} bil_read_many;

/* Reads devices of the site (names, folders, groups or addresses; `count` 0: all in service) and saves their values as
 * copies. How each read ended is noted. BIL_E_NO_DEVICE where a name means nothing. */
int bil_site_read(bil_site *site, const char *const *names, size_t count, bil_read_many *many);

/* ---- keeping ---- */

/* Deletes one copy for good, with a note that says so. BIL_E_KEPT: the first, the baseline and proved ones stay. */
int bil_site_delete(bil_site *site, const char *which, const char *why);

/* Which old copies go, and what came out. */
typedef struct bil_thinning {
    size_t struct_size;
    int days, weeks, months; /* all of so many days (at least one) stay; then one a week, then one a month; then none */
    const char *only;        /* of this device or group; NULL: of all */
    bool deletes;            /* else it is only told what would go */
    void (*each)(void *ctx, const bil_site_device *device, const bil_site_copy *copy); /* that goes; may be NULL */
    void *ctx;
    unsigned gone, stay; /* what came out */
} bil_thinning;

/* Thins out old copies by a rule. The first, the newest, the baseline and those that somebody noted something on
 * stay, and so does one whose time makes no sense. */
int bil_site_thin(bil_site *site, bil_thinning *thinning);

/* A copy that nobody read here (a file, or the one in a kit, kit.h), for a device, with a note on where it is `from`
 * and a `text` (may be NULL); `taken`, where it isn't NULL, becomes what the site knows of it; one that the device has
 * already stays as it is. And one of the site into another folder, byte for byte. BIL_E_OTHER_MODEL, BIL_E_CALL
 * (another device of the site has it), BIL_E_SET_... */
int bil_site_take_in(bil_site *site, const char *device, const char *file, const char *from, const char *text,
                     const bil_site_copy **taken);
int bil_site_hand_out(bil_site *site, const char *which, const char *folder);

/* What was brought where. */
typedef struct bil_share_counts {
    unsigned there, here; /* files added to the other place, and to this one */
    unsigned clashes;     /* the same name with another content: one of them is damaged */
    unsigned passed_over; /* files that couldn't be read */
    const char *clash;    /* one of those two kinds, or "" */
} bil_share_counts;

/* Brings two places of one site together; `other` is made when it isn't there. `counts` may be NULL. */
int bil_site_share(bil_site *site, const char *other, bil_share_counts *counts);

/* What a check found. */
typedef struct bil_site_state {
    size_t struct_size;
    /* Each thing that isn't as it should be: `what` names it for programs, `where` says where, `why` is for people; not
     * `harms`: only to be known. May be NULL. */
    void (*found)(void *ctx, const char *what, const char *where, const char *why, bool harms);
    void *ctx;
    unsigned devices, copies, notes, findings, harmful; /* what was looked at, and came out */
} bil_site_state;

/* Looks at every file of the site again. BIL_OK, also where something was found. */
int bil_site_check(bil_site *site, bil_site_state *state);

/* ---- signatures (Ed25519, RFC 8032) ---- */

/* Makes a key in a new file, and tells the site its public half under a name. BIL_E_DISPUTED where it has another. */
int bil_site_make_key(bil_site *site, const char *name, const char *file);

/* Tells the site which public half (64 hex digits) belongs to a name. `decide`: for this person at this computer that
 * is the key, whatever notes say. BIL_E_DISPUTED, BIL_E_CALL. */
int bil_site_trust(bil_site *site, const char *name, const char *hex, bool decide);

/* Signs a copy with the key in a file, for its device or for any; `by`, where it isn't NULL, becomes the name that the
 * site knows the key by. BIL_E_SIGNATURE where it doesn't know it, BIL_E_NO_KEY, BIL_E_SET_ALTERED. */
int bil_site_sign(bil_site *site, const char *which, const char *file, bool for_any, const char **by);

#ifdef __cplusplus
}
#endif

#endif
