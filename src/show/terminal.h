/* Texts on their way to a terminal, or into a text file that somebody will look at in one. Names, values and messages
 * come from other people's files, from devices and from folders: control characters would move the cursor or change
 * what stands there, and characters that turn the direction of writing would make it read otherwise than it is. */
#ifndef BIL_SHOW_TERMINAL_H
#define BIL_SHOW_TERMINAL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>

/* May this character (a code point) go out as it is? Not control characters (C0, C1, DEL), line and paragraph
 * separators, characters that steer the direction (UAX 9), joiners without width at the ends of words, nor tags. */
bool terminal_takes(uint32_t character);
/* The character at the beginning of a text and its bytes; false, and one byte, where that isn't UTF-8 (RFC 3629). */
bool terminal_character(const char *text, uint32_t *character, size_t *bytes);

/* Is every character one that goes out as it is? */
bool terminal_is_clean(const char *text);
/* The first `length` bytes of a text at most, with <U+202E> in place of a character and <9b> in place of a byte that
 * doesn't go out as it is. */
void terminal_put(FILE *out, const char *text, size_t length);

/* As fprintf and printf. What stands in the format goes out as it is, and so do the codes of colours (tint_code); each
 * text that %s brings goes through terminal_put. Conversions: d i u x c s, with h hh l ll z and width, and f with l.
 * What was said on stdout before goes out before anything is told on stderr. */
int tell(FILE *out, const char *format, ...) __attribute__((format(printf, 2, 3)));
int say(const char *format, ...) __attribute__((format(printf, 1, 2)));

/* What a word of so many ends with. */
static inline const char *plural(unsigned count)
{
    return count == 1 ? "" : "s";
}

/* A word for a command line that can be pasted into a shell: in quotes where it needs them. `out` of `size` bytes takes
 * four times its bytes and three more. Returns `out`. */
const char *pasted(const char *word, char *out, size_t size);

/* A document for programs, which a person may look at all the same: what doesn't go out as it is becomes \uXXXX. The
 * reference is taken; NULL (what couldn't be put together) comes out as null. `flags` as json_dumps takes them. */
struct json_t;
void tell_json(FILE *out, struct json_t *json, size_t flags);

#endif
