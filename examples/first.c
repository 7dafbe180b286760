/* The first twenty lines of docs/library.md: is the device as its copy, and if not, writes it.   first ADDRESS COPY */
#include <bilancia/look.h>
#include <bilancia/write.h>
#include <stdio.h>

#include "bilancia/words.h"

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    (void)which;
    (void)ctx;
    return !may_ask && snprintf(out, size, "mill-30") > 0;
}

int main(int argc, char **argv)
{
    bil_host *host = NULL;
    bil_device *crusher;
    bil_copy *copy;
    bil_ending end = {.struct_size = sizeof end};
    bil_write_wish wish = {.struct_size = sizeof wish, .yes = true, .why = "after the reset", .password = password};
    int error = argc == 3 ? bil_host_open(&host, NULL) : BIL_E_CALL;
    if (!error)
        error = bil_device_open(host, argv[1], &crusher);
    if (!error)
        error = bil_copy_open(host, argv[2], &copy);
    if (!error)
        printf("%d values differ\n", bil_look_differing(copy, crusher));
    if (!error)
        error = bil_write(crusher, copy, &wish, &end);
    printf("%s\n", error ? host ? bil_host_trouble(host) : "first ADDRESS COPY" : bil_verdict_text(end.verdict));
    bil_host_close(host); /* closes all that it opened */
    return error || end.verdict != BIL_VERDICT_VERIFIED;
}
