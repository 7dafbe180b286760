#include "show/columns.h"

#include <string.h>

#include "show/terminal.h"

size_t shown_width(const char *text)
{
    size_t width = 0;
    for (; *text; text++)
        width += ((unsigned char)*text & 0xc0) != 0x80;
    return width;
}

bool screen_takes(const screen *l, size_t width)
{
    return l->whole || l->width >= width;
}

void put_cell(FILE *file, const char *text, size_t width)
{
    static const char blanks[] = "                                                                                ";
    size_t all = shown_width(text), most = all > width ? width - 1 : width, bytes = 0;
    for (size_t shown = 0; text[bytes]; bytes++) {
        shown += ((unsigned char)text[bytes] & 0xc0) != 0x80;
        if (shown > most)
            break;
    }
    terminal_put(file, text, bytes);
    if (all > width)
        terminal_put(file, "…", SIZE_MAX);
    else if (width - all < sizeof blanks)
        fwrite(blanks, 1, width - all, file);
}
