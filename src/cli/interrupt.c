#include "cli/interrupt.h"

#include <errno.h>
#include <poll.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static const int signals[] = {SIGINT, SIGTERM, SIGHUP};
enum { SIGNALS = sizeof signals / sizeof signals[0] };
static struct sigaction before[SIGNALS];
static atomic_int came;
static bil_host *_Atomic writes; /* whose write is to end */

static void on_signal(int number)
{
    static const char words[] = "\nbilancia: it ends as soon as that is safe; once more ends it at once\n";
    int error = errno;
    if (atomic_exchange(&came, 1)) {
        signal(number, SIG_DFL);
        raise(number);
        return;
    }
    if (write(STDERR_FILENO, words, sizeof words - 1) < 0) /* the terminal may be gone */
        error = errno;
    bil_host *host = writes;
    if (host)
        bil_cancel(host);
    errno = error;
}

void interrupt_begin(bil_host *host)
{
    struct sigaction action = {.sa_handler = on_signal, .sa_flags = SA_RESTART}; /* files are written as a whole */
    sigemptyset(&action.sa_mask);
    atomic_store(&came, 0);
    writes = host;
    for (size_t i = 0; i < SIGNALS; i++)
        sigaction(signals[i], &action, &before[i]);
}

void interrupt_end(void)
{
    for (size_t i = 0; i < SIGNALS; i++)
        sigaction(signals[i], &before[i], NULL);
    writes = NULL;
}

bool interrupted(void *ctx)
{
    (void)ctx;
    return atomic_load(&came);
}

bool line_typed(char *line, size_t size)
{
    struct pollfd input = {.fd = STDIN_FILENO, .events = POLLIN};
    while (!interrupted(NULL)) {
        int ready = poll(&input, 1, -1); /* no signal starts that anew */
        if (ready < 0 && errno == EINTR)
            continue;
        if (ready < 0 || !fgets(line, (int)size, stdin))
            return false;
        line[strcspn(line, "\n")] = '\0';
        return true;
    }
    return false;
}
