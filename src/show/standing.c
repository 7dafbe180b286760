#include "show/standing.h"

#include <string.h>

#include "show/terminal.h"

static const struct {
    const char *mark;
    tint tint;
    const char *next[NEXT_MOST]; /* each %s is the device, quoted; a record where that is meant */
    const char *what_for[NEXT_MOST];
} all[BIL_STANDING_COUNT] = {
    [BIL_STANDING_HELD] = {"✗", TINT_BAD, {"bilancia resume %s", "bilancia undo %s"}, {"to finish", "to go back"}},
    [BIL_STANDING_UNFINISHED] = {"✗",
                                 TINT_BAD,
                                 {"bilancia resume %s", "bilancia undo %s"},
                                 {"to finish", "to go back"}},
    [BIL_STANDING_ON_TRIAL] = {"!", TINT_WARN, {"bilancia keep %s", "bilancia undo %s"}, {"to keep it", "to go back"}},
    [BIL_STANDING_TEST_FAILED] = {"✗",
                                  TINT_BAD,
                                  {"bilancia tried %s", "bilancia undo %s"},
                                  {"to answer anew", "to go back"}},
    [BIL_STANDING_TESTS_OPEN] = {"!", TINT_WARN, {"bilancia tried %s", NULL}, {"to answer", NULL}},
    [BIL_STANDING_EXCHANGED] = {"≠",
                                TINT_BAD,
                                {"bilancia write %s#baseline %s --as replacement", "bilancia baseline %s#last"},
                                {"to make it as the old one", "to take it as it is"}},
    [BIL_STANDING_DRIFTED] = {"≠", TINT_WARN, {"bilancia compare %s#baseline %s#last", NULL}, {"to look", NULL}},
    [BIL_STANDING_NO_ANSWER] = {"✗", TINT_BAD, {"bilancia read %s", NULL}, {"to ask again", NULL}},
    [BIL_STANDING_LONG_AGO] = {"!", TINT_WARN, {"bilancia read %s", NULL}, {"to ask", NULL}},
    [BIL_STANDING_DISPUTED] = {"!",
                               TINT_BAD,
                               {"bilancia device show %s", "bilancia device change %s"},
                               {"to look", "to let it be so"}},
    [BIL_STANDING_TWO_BASELINES] = {"!",
                                    TINT_WARN,
                                    {"bilancia history %s", "bilancia baseline %s#last"},
                                    {"to look", "to mark one again"}},
    [BIL_STANDING_DAMAGED] = {"✗", TINT_BAD, {"bilancia read %s", NULL}, {"for a new one", NULL}},
    [BIL_STANDING_UNSTORED] = {"!", TINT_WARN, {"bilancia compare %s#stored %s", NULL}, {"to look", NULL}},
    [BIL_STANDING_UNPROVED] = {"·", TINT_PLAIN, {"bilancia write %s#last %s --prove", NULL}, {"to prove it", NULL}},
    [BIL_STANDING_NO_COPY] = {"○", TINT_WARN, {"bilancia read %s", NULL}, {"to make one", NULL}},
    [BIL_STANDING_NO_BASELINE] = {"·", TINT_PLAIN, {"bilancia baseline %s#last", NULL}, {"to mark one", NULL}},
    [BIL_STANDING_WELL] = {"✓", TINT_GOOD, {NULL, NULL}, {NULL, NULL}},
    [BIL_STANDING_RETIRED] = {"–", TINT_PLAIN, {NULL, NULL}, {NULL, NULL}}};

const char *standing_mark(bil_standing s)
{
    return all[s].mark;
}

tint standing_tint(bil_standing s)
{
    return all[s].tint;
}

const char *standing_line(const bil_site_standing *one, bil_standing s, char *out, size_t size)
{
    const char *serial = one->device->last ? one->device->last->serial : "";
    if (s == BIL_STANDING_DRIFTED && one->drift >= 0)
        snprintf(out, size, "%d value%s from the baseline", one->drift, one->drift == 1 ? " differs" : "s differ");
    else if (s == BIL_STANDING_NO_ANSWER && one->since[0])
        snprintf(out, size, "%s since %.10s", bil_standing_text(s), one->since);
    else if (s == BIL_STANDING_LONG_AGO)
        snprintf(out, size, "%s: last on %.10s", bil_standing_text(s), one->asked);
    else if (s == BIL_STANDING_TEST_FAILED)
        snprintf(out, size, "%u test%s failed", one->tests_failed, plural(one->tests_failed));
    else if (s == BIL_STANDING_TESTS_OPEN)
        snprintf(out, size, "%s: %u open%s", bil_standing_text(s), one->tests_open,
                 one->drift == 0 ? "; as the baseline" : "");
    else if (s == BIL_STANDING_EXCHANGED)
        snprintf(out, size, "%s: %.60s instead of %.60s", bil_standing_text(s), serial, one->unit);
    else if (s <= BIL_STANDING_ON_TRIAL && one->began[0])
        snprintf(out, size, "%s; begun on %.10s by %.100s", bil_standing_text(s), one->began,
                 one->by[0] ? one->by : "nobody named");
    else
        snprintf(out, size, "%s", bil_standing_text(s));
    return out;
}

/* The pattern with `word` for each %s. */
static void fill_in(const char *pattern, const char *word, char *out, size_t size)
{
    size_t used = 0;
    for (const char *at = pattern; *at && used + 1 < size;) {
        if (strncmp(at, "%s", 2) == 0) {
            used += (size_t)snprintf(out + used, size - used, "%s", word);
            used = used < size ? used : size - 1;
            at += 2;
        } else {
            out[used++] = *at++;
        }
    }
    out[used] = '\0';
}

/* A name and what stands behind a #, as one word for a shell. */
static void fill_in_device(const char *pattern, const char *name, char *out, size_t size)
{
    char word[4 * 300 + 3], whole[300 + 20], part[20], rest[2048];
    const char *at = strstr(pattern, "%s#");
    if (!at) {
        fill_in(pattern, pasted(name, word, sizeof word), out, size);
        return;
    }
    size_t length = strcspn(at + 2, " ");
    snprintf(part, sizeof part, "%.*s", (int)(length < sizeof part ? length : sizeof part - 1), at + 2);
    snprintf(whole, sizeof whole, "%.280s%s", name, part);
    snprintf(out, size, "%.*s%s", (int)(at - pattern), pattern, pasted(whole, word, sizeof word));
    fill_in_device(at + 2 + length, name, rest, sizeof rest);
    size_t used = strlen(out);
    snprintf(out + used, size - used, "%s", rest);
}

size_t standing_next(const bil_site_standing *one, bil_standing s, next_step out[NEXT_MOST])
{
    size_t count = 0;
    char word[4 * 4096 + 3];
    bool baseline = one->device->baseline[0] != '\0';
    for (size_t i = 0; i < NEXT_MOST && all[s].next[i]; i++) {
        const char *pattern = all[s].next[i];
        if (!one->device->address[0] && strncmp(pattern, "bilancia read", 13) == 0) /* its note is gone */
            pattern = "bilancia device add %s ADDRESS";
        bool lasts = strncmp(pattern, "bilancia keep", 13) == 0 || strncmp(pattern, "bilancia write", 14) == 0;
        bool demanded = s == BIL_STANDING_UNPROVED && one->device->signed_by[0]; /* and the last copy may have none */
        bool damaged = one->all >> BIL_STANDING_DAMAGED & 1 && strncmp(pattern, "bilancia baseline", 17) == 0;
        if (damaged || (s == BIL_STANDING_EXCHANGED && i == 0 && !baseline) || (lasts && one->device->limit[0]) ||
            demanded)
            continue;
        if (s <= BIL_STANDING_ON_TRIAL && one->elsewhere)
            fill_in(pattern, pasted(one->record, word, sizeof word), out[count].command, sizeof out[count].command);
        else
            fill_in_device(pattern, one->device->name, out[count].command, sizeof out[count].command);
        out[count++].what_for = all[s].what_for[i];
    }
    return count;
}
