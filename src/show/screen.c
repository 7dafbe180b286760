#include "show/screen.h"

#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <time.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/look/side.h"
#include "show/advice.h"
#include "show/age.h"

bool use_colour(FILE *file)
{
    const char *term = getenv("TERM"), *no = getenv("NO_COLOR");
    return isatty(fileno(file)) && !(no && *no) && term && strcmp(term, "dumb") != 0;
}

static const char *colour(tint t)
{
    return tint_code(the_screen().colour, t);
}

const char *bold(void)
{
    return colour(TINT_BOLD);
}
const char *good(void)
{
    return colour(TINT_GOOD);
}
const char *bad(void)
{
    return colour(TINT_BAD);
}
const char *warn(void)
{
    return colour(TINT_WARN);
}
const char *plain(void)
{
    return colour(TINT_PLAIN);
}

screen the_screen(void)
{
    static size_t width; /* asked once: rows come by the million */
    static bool colour;
    struct winsize size;
    if (width == 0) {
        bool known = ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0;
        width = !known ? 80 : size.ws_col < 16 ? 16 : size.ws_col < 200 ? size.ws_col : 200;
        colour = use_colour(stdout);
    }
    return (screen){stdout, width, colour, !isatty(STDOUT_FILENO)};
}

size_t screen_width(void)
{
    return the_screen().width;
}

void put_wrapped(FILE *out, const char *text, int indent)
{
    size_t most = screen_width() - (size_t)indent, used = 0;
    while (*text) {
        size_t word = strcspn(text, " ");
        if (used == 0 || used + 1 + word > most) {
            if (used)
                putc('\n', out);
            tell(out, "%*s", indent, "");
            used = 0;
        } else {
            putc(' ', out);
            used++;
        }
        tell(out, "%.*s", (int)word, text);
        used += word;
        text += word + (text[word] == ' ');
    }
    putc('\n', out);
}

void param_text(const bil_image *image, uint16_t index, char *out, size_t size)
{
    if (image->state[index] == BIL_ABSENT) {
        snprintf(out, size, "(unknown)");
        return;
    }
    bil_item item;
    char token[BIL_TOKEN];
    bil_image_item_told(image, index, &host_floats, token, &item);
    item_text(&item, image->description, out, size);
}

static bool progress_shown;

static uint64_t now_ms(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000 + (uint64_t)now.tv_nsec / 1000000;
}

void progress_line(const char *what, const char *of, uint32_t done, uint32_t total, uint32_t requests)
{
    static const char *before = "";
    static uint64_t began;
    char left[40] = "";
    if (!isatty(STDERR_FILENO))
        return;
    if (strcmp(what, before) != 0 || done == 0) {
        before = what;
        began = now_ms();
    }
    left_text(now_ms() - began, done, total, left, sizeof left);
    tell(stderr, "\r\033[K%s", what);
    if (total)
        tell(stderr, ": %u of %u %s", done, total, of);
    if (requests)
        tell(stderr, ", %u request%s", requests, requests == 1 ? "" : "s");
    if (left[0])
        tell(stderr, ", %s left", left);
    fflush(stderr);
    progress_shown = true;
}

void progress_file(const char *what, const char *id, uint64_t done, uint64_t all)
{
    static uint64_t shown, began;
    static char before[BIL_ID_MAX + 1];
    char left[40] = "";
    uint64_t now = now_ms();
    if (strcmp(id, before) != 0 || done == 0) {
        snprintf(before, sizeof before, "%s", id);
        began = shown = now;
    }
    if (!isatty(STDERR_FILENO) || now - shown < 250)
        return;
    shown = now;
    left_text(now - began, (uint32_t)(done >> 10), (uint32_t)(all >> 10), left, sizeof left);
    tell(stderr, "\r\033[K%s %s: %.1f", what, id, (double)done / 1e6);
    if (all)
        tell(stderr, " of %.1f", (double)all / 1e6);
    tell(stderr, " MB%s%s%s", left[0] ? ", " : "", left, left[0] ? " left" : "");
    fflush(stderr);
    progress_shown = true;
}

void progress_clear(void)
{
    if (progress_shown)
        fputs("\r\033[K", stderr);
    progress_shown = false;
}

static const char *const *offered; /* options of the command that runs */

void advise_with(const char *const *options)
{
    offered = options;
}

/* Words of a message behind the first `used` columns; at a terminal none of them is broken at its edge. */
static void tell_words(const char *text, size_t used)
{
    struct winsize size;
    bool wraps = isatty(STDERR_FILENO) && ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 20;
    for (bool first = true; *text; first = false) {
        bool command = strncmp(text, "bilancia ", strlen("bilancia ")) == 0; /* stays on one line, to be pasted */
        size_t word = strcspn(text, command ? ";" : " "), shown = 0;
        word += text[word] == ';';
        for (size_t i = 0; i < word; i++)
            shown += ((unsigned char)text[i] & 0xc0) != 0x80;
        if (wraps && used + !first + shown > size.ws_col && used > 4) {
            tell(stderr, "\n    ");
            used = 4;
        } else if (!first) {
            tell(stderr, " ");
            used++;
        }
        tell(stderr, "%.*s", (int)word, text);
        used += shown;
        text += word + (text[word] == ' ');
    }
    tell(stderr, "\n");
}

void tell_trouble(bool grave, const char *what, int error, const char *why)
{
    char advice[20 + ADVICE_TEXT] = "  What to do: ";
    size_t begin = strlen(advice);
    progress_clear();
    bool named = *what && !(why && strncmp(why, what, strlen(what)) == 0); /* a place in a file begins with its name */
    tell(stderr, "bilancia: %s%s%s%s", grave ? bad() : "", named ? what : "", grave ? plain() : "", named ? ": " : "");
    tell_words(why && *why ? why : bil_host_error_text(error), strlen("bilancia: ") + (named ? strlen(what) + 2 : 0));
    advice_for(error, what, offered, advice + begin, ADVICE_TEXT);
    if (!advice[begin])
        return;
    tell(stderr, "  ");
    tell_words(advice + 2, 2);
}
