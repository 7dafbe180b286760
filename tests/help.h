/* What several tests need: random numbers with a fixed seed, images, a simulated unit to read and write. */
#ifndef TESTS_HELP_H
#define TESTS_HELP_H

#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <cmocka.h>

#include "bilancia/compare.h"
#include "bilancia/console.h"
#include "bilancia/http.h"
#include "bilancia/run.h"
#include "host/base/float_text.h"
#include "port/digest.h"
#include "sim/link.h"
#include "sim/stream.h"

extern const bil_description bil_description_ed_30, bil_description_ec_8, bil_description_ew_4, bil_description_el_16,
    bil_description_en_2;
extern const sim_model sim_ed30, sim_ec8, sim_ew4, sim_el16, sim_en2;

/* xorshift64*: the same numbers in every run. */
typedef struct dice {
    uint64_t state;
} dice;
uint64_t roll(dice *d);
uint32_t roll_below(dice *d, uint32_t limit);

/* A character as UTF-8 (RFC 3629), also where there is none with that number; returns the bytes, a NUL stands behind.
 */
size_t utf8_of(uint32_t character, char text[5]);

/* How many rounds of chance a test plays: `usual`, times what BILANCIA_ROUNDS says (see scripts/campaign). */
unsigned rounds(unsigned usual);

bil_image new_image(const bil_description *description);
void free_image(bil_image *image);

/* Files of devices, small ones, in memory: what was read, and what a test put there. */
enum { STORE_FILES = 60, STORE_BYTES = 400 };
typedef struct small_files {
    struct {
        uint8_t raw[BIL_FILE_RAW], bytes[STORE_BYTES];
    } files[STORE_FILES];
    size_t count;
    uint8_t moving[STORE_BYTES]; /* just now */
    size_t size, at;
    bool begun;
} small_files;
/* The value of such bytes, which are at hand from then on. */
void files_put(small_files *s, const void *bytes, size_t size, uint8_t raw[BIL_FILE_RAW]);

/* A simulated unit on the in-process link, with jobs run on it. */
typedef struct bench {
    sim_unit *unit;
    sim_link sim;
    bil_cell_link over;
    sim_stream stream; /* of one that is asked in words */
    bil_console_link words;
    bil_http_link documents; /* of one that has such */
    char room[64 * 1024];
    bil_link link;
    bil_clock clock;
    const bil_description *description;
    bil_image have, want;
    small_files files;
    const char *password, *sealed; /* for slot 1; for the one behind those that unlock */
    /* of a device that wants a login first: what it said of itself, how often a password was asked for, and why none
     * is given */
    char says[100];
    unsigned asked;
    bil_error shut_out;
    char serial[64], firmware[64];
    bil_job_progress progress;
    bil_purpose purpose;
    void *job; /* memory of the last job */
    /* hooks of a test; may be NULL */
    bool (*ask)(void *ctx, const bil_action *action);
    bool (*record)(void *ctx, const bil_action *action);
    bool (*save)(void *ctx, const bil_image *have);
    void (*before)(void *ctx, const bil_job *job, const bil_action *action);
    void *ctx;
} bench;

void bench_open(bench *b, const sim_model *model, const bil_description *description, bool as_delivered);
/* The same, of one that is asked in words: over a line, which is always there. */
void bench_open_line(bench *b, const sim_model *model, const bil_description *description);
void bench_close(bench *b);
/* Reads all; what was read becomes what is wanted when `keep`. */
bil_action bench_read(bench *b, bool keep);
bil_job_config bench_config(bench *b);
bil_action bench_write(bench *b, bil_job_config config);

/* Index of a parameter; fails the test when there is none. */
uint16_t index_of(const bil_description *description, const char *id);
/* Sets a wanted value by its text. */
void want_text(bench *b, const char *id, const char *text);
void assert_text(const bil_image *image, const char *id, const char *text);

#endif
