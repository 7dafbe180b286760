/* bilancia/device.h - a device at an address: who it is, and its values.
 *
 * Thread rules: as host.h. */
#ifndef BILANCIA_DEVICE_H
#define BILANCIA_DEVICE_H

#include "bilancia/host.h"
#include "bilancia/image.h"
#include "bilancia/run.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A device that is spoken to; see host.h for handles. */
typedef struct bil_device bil_device;

/* Connects, and finds out by which description it goes. `where` is an address (modbus+tcp://HOST[:PORT]/UNIT,
 * modbus+rtu:/dev/NAME?unit=N[&speed=N][&parity=P][&stop=N], console+tcp://HOST:PORT,
 * console+serial:/dev/NAME[?speed=N][&parity=P][&stop=N], http://HOST[:PORT], https://HOST[:PORT][/?key=DIGITS]) or the
 * name of a device of the host's site. BIL_E_ADDRESS, BIL_E_NO_DEVICE, BIL_E_DISPUTED, BIL_E_UNKNOWN_MODEL, or what the
 * line says: BIL_E_NOT_REACHABLE, BIL_E_SILENT, ... On an error *device is NULL. */
int bil_device_open(bil_host *host, const char *where, bil_device **device);

/* The same, not spoken to yet: whatever needs it connects. What asks for its description, its image or what it says of
 * itself is to be asked after bil_device_read. BIL_E_ADDRESS, BIL_E_NO_DEVICE, BIL_E_DISPUTED. */
int bil_device_named(bil_host *host, const char *where, bil_device **device);

/* The same over a link of the program's own: `link` and `clock` stay its, and outlive the device. `name` is what
 * messages and copies call the place. `clock` with ops NULL: that of this computer. */
int bil_device_open_link(bil_host *host, const char *name, bil_link link, bil_clock clock, bil_device **device);

/* Lets the line go. NULL does nothing. */
void bil_device_close(bil_device *device);

/* By which description it goes; it lives as long as the host. NULL where it wasn't spoken to yet. */
const bil_description *bil_device_description(const bil_device *device);

/* Where it answers: the address, or the name of the link. */
const char *bil_device_address(const bil_device *device);

/* What it says of itself, as text: vendor, model, hardware, firmware, serial number, name; "" where it says nothing. */
const char *bil_device_says(const bil_device *device, bil_identity what);

/* How a read is watched. */
typedef struct bil_read_wish {
    size_t struct_size;
    /* After each action of the job, for a person who waits: values so far, and the requests that it took. True ends the
     * read (BIL_E_CANCELLED). May be NULL. */
    bool (*progress)(void *ctx, const bil_job_progress *progress);
    void *ctx;
    /* Only these groups of parameters, and single files by their ids, with commas between; NULL: all. What tells who
     * answers comes along. A copy of less than all is saved in a folder that is named, not in a site. */
    const char *groups;
    bool without_files;
    /* While a file comes, which may take long: how many of its bytes are there. `all` is 0, since nobody knows. May be
     * NULL. */
    void (*moving)(void *ctx, const char *id, uint64_t done, uint64_t all);
} bil_read_wish;

/* Reads every value that a copy has, with the least requests; it takes at most so many reply times. `wish` NULL: nobody
 * watches. BIL_OK where values can't be read, too: they are marked in the image (BIL_UNREADABLE, with a cause).
 * BIL_E_NOTHING_READ, BIL_E_CHANGING, BIL_E_CANCELLED, or what the line says. */
int bil_device_read(bil_device *device, const bil_read_wish *wish);

/* The values of a copy that the device keeps by itself, by its number from 1, in place of those in force; what it
 * doesn't keep is absent afterwards, but for who it is. BIL_E_NO_COPY, or as bil_device_read. */
int bil_device_read_kept(bil_device *device, unsigned copy, const bil_read_wish *wish);

/* Is this parameter a file of what the device measured (class live), which no copy has? False where the device wasn't
 * spoken to yet. */
bool bil_device_collects(const bil_device *device, uint16_t index);

/* Such a file, by its id: saved as a file in this folder, or, NULL, where
 * copies of this device go, in a site in the folder "collected" beside them. The name is that of a copy that is made
 * now, with the id. `path` of `size` bytes becomes "" where the device has none of it. Of the wish only `progress`
 * (asked with all zeros) and `moving` count; NULL: nobody watches. BIL_E_UNKNOWN_PARAMETER where `id` is no such file,
 * or as bil_device_read. */
int bil_device_collect(bil_device *device, const char *id, const char *folder, const bil_read_wish *wish, char *path,
                       size_t size);

/* What the last read took. */
void bil_device_counts(const bil_device *device, bil_job_progress *counts);

/* The values as last read, by the device's own description: before a read only who it is. The image is the device's. */
const bil_image *bil_device_image(const bil_device *device);

/* One value as text, with its unit of measure ("12.5 A"), as last read. `text` has `size` bytes, BIL_VALUE_TEXT + 20
 * suffice. BIL_E_UNKNOWN_PARAMETER, BIL_E_UNREADABLE (or the cause), BIL_E_NO_TEXT. */
int bil_device_value(bil_device *device, const char *id, char *text, size_t size);

/* A value, as last read, that doesn't fit the description: refused, no value of its type, outside its limits, a choice
 * that isn't named, a text that looks padded otherwise, a float that looks turned round. */
typedef struct bil_misfit {
    size_t struct_size;
    const char *id, *name; /* of the parameter; they live as long as its description */
    const char *why;       /* a sentence, often with what may be meant */
    int cause;             /* a bil_error, or BIL_OK where it is only unusual */
    uint16_t next;         /* where to go on */
    char value[BIL_VALUE_TEXT];
} bil_misfit;

/* The next one of them, in the order of ids: all zero but for its struct_size before the first one, and then as the
 * call before has left it. False behind the last one. */
bool bil_device_misfit(bil_device *device, bil_misfit *misfit);

/* Does it say that values in force aren't stored yet, so that a power cut would lose them? False where its model can't
 * tell, or doesn't answer. A copy made of it afterwards tells its site so when it is saved. */
bool bil_device_unstored(bil_device *device);

#ifdef __cplusplus
}
#endif

#endif
