/* A program outside, as C11 and as C++17, with the installed library: reads a device, saves a copy, sets a value,
 * compares, writes the copy back. Says how that ended, and what differed before.   program ADDRESS */
#include <bilancia/bilancia.h>
#include <bilancia/find.h>
#include <bilancia/look.h>
#include <bilancia/site.h>
#include <bilancia/write.h>
#include <stdio.h>
#include <string.h>

#include "bilancia/words.h"

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    (void)which;
    (void)ctx;
    snprintf(out, size, "mill-30");
    return !may_ask;
}

static void tell(const bil_host *host, const char *what, int error)
{
    printf("%s: %s\n", what, error ? bil_host_trouble(host) : "ok");
}

int main(int argc, char **argv)
{
    bil_host *host = NULL;
    bil_device *device;
    bil_copy *copy;
    bil_ending end;
    bil_write_wish wish;
    const char *change[] = {"limit.torque=77"};
    if (argc != 2 || bil_host_open(&host, NULL) != BIL_OK)
        return 2;
    memset(&wish, 0, sizeof wish);
    wish.struct_size = sizeof wish;
    wish.yes = true;
    wish.password = password;
    memset(&end, 0, sizeof end);
    end.struct_size = sizeof end;
    int error = bil_device_open(host, argv[1], &device);
    tell(host, "open", error);
    if (!error)
        error = bil_device_read(device, NULL);
    if (!error)
        error = bil_copy_of_device(device, &copy);
    if (!error)
        error = bil_copy_save(copy, ".", "from outside");
    if (!error)
        error = bil_set(device, change, 1, &wish, &end);
    tell(host, "set", error);
    if (!error)
        printf("%d differ\n", bil_look_differing(copy, device));
    if (!error)
        error = bil_write(device, copy, &wish, &end);
    tell(host, "write", error);
    if (!error)
        printf("%s, %u written, %d differ\n", bil_verdict_text(end.verdict), end.written,
               bil_look_differing(copy, device));
    bil_host_close(host);
    return error || end.verdict != BIL_VERDICT_VERIFIED;
}
