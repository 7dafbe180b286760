/* What changed while somebody turned the knobs? Reads a device twice and compares.   what_changed ADDRESS */
#include <bilancia/look.h>
#include <stdio.h>

int main(int argc, char **argv)
{
    bil_host *host;
    bil_device *device;
    bil_copy *before;
    bil_look *look;
    bil_finding one;
    if (argc != 2 || bil_host_open(&host, NULL) != BIL_OK)
        return 2;
    int error = bil_device_open(host, argv[1], &device);
    if (!error)
        error = bil_device_read(device, NULL);
    if (!error)
        error = bil_copy_of_device(device, &before);
    if (!error)
        puts("Read. Change something at the drive, then press Enter."), getchar();
    if (!error)
        error = bil_device_read(device, NULL);
    if (!error)
        error = bil_look_at(host, before, device, NULL, &look);
    unsigned changed = 0;
    for (; !error && bil_look_next(look, &one) == 1; changed++)
        printf("%s\n", one.id);
    if (error)
        fprintf(stderr, "%s\n", bil_host_trouble(host));
    else
        printf("%u changed\n", changed);
    bil_host_close(host);
    return error ? 4 : 0;
}
