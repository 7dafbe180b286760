#include "show/plain.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "show/terminal.h"

static bool locale_is_plain(void)
{
    static const char *const names[] = {"LC_ALL", "LC_CTYPE", "LANG"};
    const char *value = NULL;
    for (size_t i = 0; i < sizeof names / sizeof names[0] && !(value && *value); i++)
        value = getenv(names[i]);
    if (!value || !*value)
        return false;
    const char *set = strchr(value, '.');
    return !set || (strncasecmp(set + 1, "utf-8", 5) != 0 && strncasecmp(set + 1, "utf8", 4) != 0);
}

bool plain_wanted(FILE *out)
{
    static int locale = -1;
    if (out != stdout && out != stderr)
        return false;
    if (locale < 0)
        locale = locale_is_plain();
    const char *terminal = getenv("TERM");
    return locale || (terminal && strcmp(terminal, "dumb") == 0 && isatty(fileno(out)));
}

static char plain_of(uint32_t character)
{
    static const struct {
        uint16_t character;
        char plain;
    } list[] = {{0x2713, '+'}, {0x2717, 'x'}, {0x2260, '#'}, {0x2248, '~'}, {0x00b7, '-'}, {0x2192, '>'}, {0x2605, '*'},
                {0x25b8, '>'}, {0x25c2, '<'}, {0x25cb, 'o'}, {0x2014, '-'}, {0x2013, '-'}, {0x2026, '~'}, {0x2514, '`'},
                {0x00b0, 'o'}, {0x00b5, 'u'}, {0x03bc, 'u'}, {0x03a9, 'O'}, {0x00b2, '2'}, {0x00b3, '3'}, {0x00b1, '+'},
                {0x00d7, 'x'}, {0x00e4, 'a'}, {0x00f6, 'o'}, {0x00fc, 'u'}, {0x00c4, 'A'}, {0x00d6, 'O'}, {0x00dc, 'U'},
                {0x00df, 's'}, {0x00e0, 'a'}, {0x00e8, 'e'}, {0x00e9, 'e'}, {0x00ec, 'i'}, {0x00f2, 'o'}, {0x00f9, 'u'},
                {0x00e7, 'c'}, {0x00f1, 'n'}};
    for (size_t i = 0; i < sizeof list / sizeof list[0]; i++)
        if (list[i].character == character)
            return list[i].plain;
    return '?';
}

void plain_put(FILE *out, const char *text, size_t length)
{
    for (size_t at = 0; at < length;) {
        uint32_t character;
        size_t bytes;
        terminal_character(text + at, &character, &bytes);
        putc(character < 0x80 ? (int)character : plain_of(character), out);
        at += bytes;
    }
}
