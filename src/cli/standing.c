#include "cli/standing.h"

#include <stdlib.h>

#include "show/next.h"
#include "show/screen.h"
#include "show/standing.h"

void put_next_steps(FILE *out, const bil_site_standing *one, bil_standing s, int indent)
{
    next_step *steps = calloc(NEXT_MOST, sizeof *steps);
    size_t count = steps ? standing_next(one, s, steps) : 0;
    for (size_t i = 0; i < count; i++)
        tell(out, "%*s%s%-13s%s %s%s\n", indent, "", tint_code(the_screen().colour, TINT_BOLD), steps[i].what_for,
             plain(), steps[i].command, next_site());
    free(steps);
}

void put_standing(const bil_site_standing *one)
{
    char line[600];
    for (int i = 0; i < BIL_STANDING_COUNT; i++) {
        bil_standing s = (bil_standing)i;
        if (!(one->all >> i & 1) || s == BIL_STANDING_WELL || s == BIL_STANDING_RETIRED)
            continue;
        say("%s%s%s %s\n", tint_code(the_screen().colour, standing_tint(s)), standing_mark(s), plain(),
            standing_line(one, s, line, sizeof line));
        put_next_steps(stdout, one, s, 2);
    }
}

json_t *standing_json(const bil_site_standing *one)
{
    json_t *states = json_array(), *next = json_array();
    next_step *steps = calloc(NEXT_MOST, sizeof *steps);
    for (int s = 0; s < BIL_STANDING_COUNT; s++) {
        if (!(one->all >> s & 1))
            continue;
        json_array_append_new(states, json_string(bil_standing_name((bil_standing)s)));
        size_t count = steps ? standing_next(one, (bil_standing)s, steps) : 0;
        for (size_t i = 0; i < count; i++)
            json_array_append_new(next, json_sprintf("%s%s", steps[i].command, next_site()));
    }
    free(steps);
    json_t *row = json_pack("{s:s,s:o,s:o,s:o,s:o}", "state", bil_standing_name(one->first), "states", states, "next",
                            next, "differs_from_baseline", one->drift >= 0 ? json_integer(one->drift) : json_null(),
                            "last_asked", one->asked[0] ? json_string(one->asked) : json_null());
    if (one->why[0])
        json_object_set_new(row, "why", json_string(one->why));
    if (one->record[0])
        json_object_set_new(row, "record", json_string(one->record));
    return row;
}
