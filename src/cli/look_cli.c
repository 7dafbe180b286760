#include "cli/look_cli.h"

#include <string.h>

#include "show/need.h"

bool progress_of_reading(void *ctx, const bil_job_progress *p)
{
    (void)ctx;
    progress_line("Reading", "values", p->done, p->total, p->read_requests);
    return false;
}

bool filter_is_given(const filter_words *words)
{
    return words->group || words->match || words->cls || words->safety;
}

int look_wish_of(const filter_words *words, bil_look_wish *wish)
{
    int cls = words->cls ? bil_class_from_name(words->cls, strlen(words->cls)) : -1;
    *wish = (bil_look_wish){.struct_size = sizeof *wish,
                            .group = words->group,
                            .pattern = words->match,
                            .cls = cls + 1,
                            .safety = words->safety,
                            .progress = progress_of_reading};
    return words->cls && cls < 0 ? say_error(words->cls, BIL_E_CALL, "a class is setup, place, calibration or unit")
                                 : -1;
}

int report_wanted(const char *path)
{
    char why[200];
    return path && !report_is_good(path, why, sizeof why) ? say_error(path, BIL_E_CALL, why) : -1;
}

int look_through(showing *s, bil_look *look, size_t count)
{
    bil_look_counts counts;
    int error = show_look(s, look);
    bil_look_counted(look, &counts);
    bil_look_close(look);
    if (error)
        return say_error(s->what, error, s->why[0] ? s->why : NULL);
    return count > 1 && counts.differing ? EXIT_DIFFERENT : EXIT_DONE;
}

int look_at(library *l, showing *s, const char *const *sides, size_t count, bil_look_wish *wish)
{
    bil_look *look;
    wish->all = s->all;
    progress_line("Connecting", "", 0, 0, 0);
    int error = bil_look_open(l->host, sides, count, wish, &look);
    progress_clear();
    return error ? library_failed(l, error) : look_through(s, look, count);
}
