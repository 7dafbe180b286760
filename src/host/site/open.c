#include "host/site/open.h"

int open_site_at(open_site *s, const char *given, char *why, size_t size)
{
    int error = site_find(&s->place, given, why, size);
    return error ? error : index_open(&s->index, &s->place, why, size);
}

bool open_site_close(open_site *s)
{
    bool whole = !index_broken(&s->index);
    if (!whole)
        index_forget(&s->place);
    index_close(&s->index);
    return whole;
}

bool open_site_fresh(open_site *s, const char *name)
{
    device_row row;
    char why[400];
    if (index_find(&s->index, name, &row, why, sizeof why) != BIL_OK)
        return true;
    bool good = index_reread(&s->index, row.folder, true);
    device_row_free(&row);
    return good;
}
