/* bilancia/kit.h - the kit: one archive file (ZIP) with all that a rebuild needs (docs/site.md tells what lies in it).
 *
 * Thread rules: as host.h. */
#ifndef BILANCIA_KIT_H
#define BILANCIA_KIT_H

#include "bilancia/site.h"

#ifdef __cplusplus
extern "C" {
#endif

/* X(NAME, "name", "text"): what a kit may have beside its copy; the text says what it is for. */
/* clang-format off */
#define BIL_KIT_PARTS(X) \
    X(SHEET, "sheet", "the values on paper") \
    X(DESCRIPTION, "description", "the description of the model: only a tool that has it built in can write the copy") \
    X(FIRMWARE, "firmware", "the firmware to go back to") \
    X(TEXTS, "texts", "licences and notes") \
    X(TOOL, "tool", "the tool that writes it")
/* clang-format on */

/* What a kit may have beside its copy. */
typedef enum bil_kit_part {
#define BIL_KIT_ENUM(NAME, name, text) BIL_KIT_##NAME,
    BIL_KIT_PARTS(BIL_KIT_ENUM)
#undef BIL_KIT_ENUM
        BIL_KIT_PART_COUNT
} bil_kit_part;

/* Its name for programs, and a text for people; "?" for a number that is none. */
const char *bil_kit_part_name(bil_kit_part part);
const char *bil_kit_part_text(bil_kit_part part);

/* What goes into a kit beside the copy: paths of files, or NULL. Nothing needs to outlive the call. The description of
 * the copy's model goes in where it is a file: that of the site, or one that the program added. */
typedef struct bil_kit_wish {
    size_t struct_size;
    const char *why;
    const char *sheet, *firmware, *tool;
    const char *const *texts;
    size_t text_count;
} bil_kit_wish;

/* A kit, as it was found whole. */
typedef struct bil_kit {
    size_t struct_size; /* the caller's; what lies behind it isn't told */
    const char *path;   /* as it was made, or as given */
    const char *device, *who, *why, *when, *firmware;
    const char
        *storage; /* of one that was made: where the device's own disk appears, which it must not lie on; or "" */
    size_t file_count;
    uint32_t lacks; /* 1 << bil_kit_part for each that it doesn't have */
} bil_kit;

/* Makes a kit of DEVICE#COPY as a new file, and looks at every byte of what was written. BIL_E_ON_DEVICE (that file
 * would lie on the disk that a rebuild wipes), BIL_E_SET_ALTERED (a damaged copy), BIL_E_FILE_OPEN, BIL_E_CALL (too
 * many files, or two of one name), BIL_E_DISK_FULL, BIL_E_FILE_WRITE. `kit` may be NULL; its texts are good until the
 * host's next kit. */
int bil_kit_make(bil_site *site, const char *which, const char *file, const bil_kit_wish *wish, bil_kit *kit);

/* Looks at every byte: each file against the list in the kit, and the copy against itself; `each` (or NULL) is told the
 * files. BIL_E_FILE_OPEN, BIL_E_SET_ALTERED, BIL_E_SET_CUT. (bil_site_take_in takes the copy of a kit.) */
int bil_kit_check(bil_host *host, const char *file, void (*each)(void *ctx, const char *name, uint64_t bytes),
                  void *ctx, bil_kit *kit);

#ifdef __cplusplus
}
#endif

#endif
