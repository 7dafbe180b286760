#include "show/pager.h"

#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "show/plain.h"

static bool fits_the_screen(FILE *spool)
{
    struct winsize size;
    if (!isatty(STDOUT_FILENO) || ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_row == 0)
        return true;
    unsigned lines = 0;
    int c;
    while ((c = getc(spool)) != EOF && lines < size.ws_row)
        lines += c == '\n';
    rewind(spool);
    return lines + 1 < size.ws_row;
}

void say_spooled(FILE *spool, bool for_programs)
{
    char bytes[1 << 15];
    size_t got;
    rewind(spool);
    const char *pager = getenv("PAGER");
    FILE *out = stdout;
    bool plain = !for_programs && plain_wanted(stdout);
    if (!fits_the_screen(spool) && !(pager && !*pager)) {
        setenv("LESS", "FRX", 0);
        if (!plain)
            setenv("LESSCHARSET", "utf-8", 0);
        fflush(stdout);
        signal(SIGPIPE, SIG_IGN); /* who has seen enough closes the pager */
        out = popen(pager ? pager : "less 2>/dev/null || cat", "w");
    }
    while (out && !plain && (got = fread(bytes, 1, sizeof bytes, spool)) > 0)
        fwrite(bytes, 1, got, out);
    while (out && plain && fgets(bytes, sizeof bytes, spool)) /* a line at a time: no character is cut in two */
        plain_put(out, bytes, strlen(bytes));
    if (out && out != stdout)
        pclose(out);
}
