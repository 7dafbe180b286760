#include "host/site/archive.h"

#include <bilancia/host_error.h>
#include <dlfcn.h>
#include <stdbool.h>
#include <stdio.h>
#include <string.h>

static const char library[] = "libarchive.so.13";

int archive_load(archive_calls *calls, char *why, size_t size)
{
    void *from = dlopen(library, RTLD_NOW | RTLD_LOCAL);
    bool whole = from != NULL;
    /* ISO C has no way from an object pointer to a function's, POSIX dlsym() asks for one: by copying the bits. */
#define ARCHIVE_FIND(name)                                                                                             \
    {                                                                                                                  \
        void *found = whole ? dlsym(from, "archive_" #name) : NULL;                                                    \
        memcpy(&calls->name, &found, sizeof found);                                                                    \
        whole = whole && found;                                                                                        \
    }
    ARCHIVE_FUNCTIONS(ARCHIVE_FIND)
#undef ARCHIVE_FIND
    if (!whole)
        snprintf(why, size, "%s: %s", library, dlerror());
    return whole ? BIL_OK : BIL_E_LIBRARY;
}
