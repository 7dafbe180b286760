/* The generator: a description in YAML to a const table in C.   bilancia-table FILE.yaml NAME > table.c */
#include <stdio.h>

#include "host/describe/load.h"

int main(int argc, char **argv)
{
    if (argc != 3) {
        fprintf(stderr, "usage: bilancia-table FILE.yaml NAME > table.c\n");
        return 2;
    }
    loaded_description loaded;
    char why[400];
    if (description_load(&loaded, argv[1], why, sizeof why) != BIL_OK) {
        fprintf(stderr, "%s\n", why);
        return 6;
    }
    description_write_c(&loaded.table, argv[2], stdout);
    description_free(&loaded);
    return fflush(stdout) == 0 && !ferror(stdout) ? 0 : 6;
}
