/* bilancia/console.h - links to devices that are asked in words, over a serial line or TCP: a question, an answer of
 * some lines, and the prompt.
 *
 * What is said stands in the description as patterns. In one that is sent, {key} stands for the name of a value, {row}
 * and {column} for the first word of that name and what follows it, {value} for the value. In one that is looked for in
 * a line, text between the braces is skipped, but for {key} and {row}, which have to be those of the value, and {value}
 * or the name of the column, where the value stands; it ends where what follows it in the pattern begins, the last one
 * with the line. {code} is a number that the device gives as its reason, {who} the one who has the session. A blank in
 * such a pattern is one or more. A brace that means itself is written twice.
 *
 * A file goes in pieces: {file} stands for its name, {offset} for how many bytes lie before this piece, {value} for its
 * bytes, two lower case hex digits each. A piece without any ends it, in both directions; so a file of no bytes is
 * none. How many bytes a piece has that is read is the device's choice; one that is written has `write_most` of its
 * space, at most BIL_CONSOLE_PIECE.
 *
 * Everything that comes in is doubted: a line is at most BIL_CONSOLE_LINE bytes of text, a tab in it counts as a
 * blank between values; an answer at most BIL_CONSOLE_MOST, in at most BIL_CONSOLE_PAGES pages, and comes no slower
 * than 100 characters a second. The prompt is one only where a line begins and nothing follows. What comes unasked
 * gives the connection up.
 *
 * Thread rules: as link.h. */
#ifndef BILANCIA_CONSOLE_H
#define BILANCIA_CONSOLE_H

#include "bilancia/stream.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Limits of what is said and heard, in bytes but for the pages. */
#define BIL_CONSOLE_LINE 500
#define BIL_CONSOLE_MOST 65536
#define BIL_CONSOLE_PAGES 500
#define BIL_CONSOLE_HEARD 80
#define BIL_CONSOLE_PIECE 80

/* How a model lets somebody in on a new connection. Patterns, as those of lines; questions end without an end of line.
 */
typedef struct bil_console_login {
    const char *greets;  /* the line that shows which model it is, before the first question */
    const char *whom;    /* asks for the user; NULL: it asks for the password alone */
    const char *user;    /* who logs in; NULL where it doesn't ask for that */
    const char *asks;    /* asks for the password */
    const char *refuses; /* refuses that; NULL: it asks again */
    const char *locked;  /* the account is; or NULL */
} bil_console_login;

/* How one model speaks. Patterns are those of lines; NULL: it says nothing of this kind. */
typedef struct bil_console {
    const char *prompt;  /* it waits for a question: this, with nothing behind it */
    const char *ends;    /* what ends a question: a carriage return, a line feed, or both */
    const char *discard; /* forgets a line that somebody began, and is sent before anything else; or NULL */
    const char *done;    /* a write was taken; NULL: the prompt says so */
    const char *refuses; /* the device refuses */
    const char *later;   /* it is busy */
    const char *taken;   /* on connecting: somebody else has the session */
    const char *more;    /* at the end of a page, with no end of line: a blank brings the next one; not a pattern */
    bool echo;           /* it repeats each question as the first line of the answer */
    const bil_console_login *login; /* NULL: it lets in whoever connects */
} bil_console;

/* The memory of a link over a stream; the caller's, as long as the link is used. */
typedef struct bil_console_link {
    bil_stream stream;
    bil_clock clock;
    const bil_float_ops *floats;
    bil_doorman doorman; /* to be set behind bil_console_link_over, where a device wants a login */
    bool open;           /* the prompt was the last that came */
    /* Of the last answer: the first line that no pattern fits, or who has the session; bytes that aren't printable are
     * dots; of a login the greeting. "" where there was none, or a secret was said. */
    char heard[BIL_CONSOLE_HEARD + 1];
    char piece[64], line[BIL_CONSOLE_LINE + 1], said[BIL_CONSOLE_LINE + 4];
} bil_console_link;

/* Makes a link of a stream. `floats` is for values that are floats (value.h), or NULL. What it is given outlives it;
 * `memory` needs no clearing before. A transfer for a description without a console is refused. */
bil_link bil_console_link_over(bil_console_link *memory, bil_stream stream, bil_clock clock,
                               const bil_float_ops *floats);

/* How many words a format has, where it has any. */
uint16_t bil_words_of(const bil_format *format);

/* ---- patterns and values, for tests and for whoever speaks such words by other means ---- */

/* A part of a text; `text` is NULL where there is none. */
typedef struct bil_part {
    const char *text;
    size_t length;
} bil_part;

/* Puts key and value into a pattern, NUL-terminated; either may be NULL. BIL_E_SPACE when `size` is too small. */
int bil_pattern_fill(const char *pattern, const char *key, const char *value, char *out, size_t size);

/* Does the line look like the pattern, for the value of this name (NULL: for any)? `found` becomes what stands for
 * {value}, {code} or {who}, or for the column of the name; its text is NULL where the pattern has none of them. */
bool bil_pattern_fits(const char *pattern, const char *key, const char *line, size_t length, bil_part *found);

/* A value as it is said, NUL-terminated, and back: its text, but for choices and bools, which are the words of its
 * format, or their numbers where it has none, and an empty text, which is the word of the format. As bil_value_text and
 * bil_value_parse. */
int bil_value_say(const bil_format *format, const uint8_t *raw, const bil_float_ops *floats, char *out, size_t size);
int bil_value_hear(const bil_format *format, const char *text, size_t length, const bil_float_ops *floats,
                   uint8_t *raw);

#ifdef __cplusplus
}
#endif

#endif
