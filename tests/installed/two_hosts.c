/* Two programs in one: each thread has a host of its own, finds, reads and compares.   two_hosts SITE ADDRESS ADDRESS
 */
#include <bilancia/find.h>
#include <bilancia/look.h>
#include <bilancia/site.h>
#include <pthread.h>
#include <stdio.h>

static const char *site_folder;

static void *work(void *ctx)
{
    const char *address = (const char *)ctx;
    bil_host *host;
    bil_device *device;
    bil_copy *copy;
    bil_site *site;
    bil_read_many many = {.struct_size = sizeof many, .only_changed = true, .at_once = 8};
    bil_host_config config = {.struct_size = sizeof config, .who = "anna", .site = site_folder};
    int error = bil_host_open(&host, &config);
    for (int i = 0; i < 3 && !error; i++) {
        error = bil_device_open(host, address, &device);
        if (!error)
            error = bil_device_read(device, NULL);
        if (!error)
            error = bil_copy_of_device(device, &copy);
        if (!error)
            error = bil_look_differing(copy, device);
        if (!error)
            error = bil_find(host, &address, 1, NULL);
        if (!error)
            error = bil_site_open(host, NULL, &site);
        if (!error)
            error = bil_site_read(site, NULL, 0, &many);
    }
    if (error)
        fprintf(stderr, "%s\n", bil_host_trouble(host));
    bil_host_close(host);
    return error ? NULL : ctx;
}

int main(int argc, char **argv)
{
    pthread_t threads[2];
    int good = argc == 4;
    site_folder = argv[1];
    for (int i = 0; i < 2 && good; i++)
        pthread_create(&threads[i], NULL, work, argv[2 + i]);
    for (int i = 0; i < 2 && argc == 4; i++) {
        void *result;
        pthread_join(threads[i], &result);
        good = good && result;
    }
    return good ? 0 : 1;
}
