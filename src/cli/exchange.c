/* bilancia take-in, hand-out, share: copies that come from elsewhere, that go elsewhere, and a second place for all. */
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"
#include "host/site/pass.h"
#include "host/site/share.h"

extern const command command_take_in, command_hand_out;

/* ---- take in, hand out ---- */

static int take_in(open_site *h, const char *file, const char *name, const char *from, const char *why, const char *who)
{
    set_origin o;
    device_row owner;
    char reason[STORAGE_PATH + 600], path[STORAGE_PATH];
    int error = find_device(h, name, &owner);
    if (error)
        return exit_code_of(error);
    error = site_take_in(&h->index, &owner, file, from ? from : "", why ? why : "", person(who), &o, path, reason,
                         sizeof reason);
    if (!error)
        say("%s✓ taken in%s for %s: %s %s, serial number %s, read %s\n%s\n", good(), plain(), owner.name, o.vendor,
            o.model, o.serial, o.when, path);
    device_row_free(&owner);
    return error ? say_error(reason[0] ? "" : h->place.path, error, reason) : EXIT_DONE;
}

static int hand_out(open_site *h, const char *which, const char *to)
{
    device_row owner;
    copy_row copy;
    char why[STORAGE_PATH + 300];
    int error = find_copy(h, which, &owner, &copy);
    if (error)
        return exit_code_of(error);
    error = site_hand_out(&h->index, &copy, to, why, sizeof why);
    if (!error)
        say("%s✓ handed out%s  %s/%s\n", good(), plain(), to, copy.file);
    device_row_free(&owner);
    return error ? say_error(why[0] ? "" : to, error, why) : EXIT_DONE;
}

/* ---- share ---- */

static int share(open_site *h, const char *path, const char *who)
{
    char why[STORAGE_PATH + 300];
    share_count count;
    int error = site_share(&h->place, path, &count, why, sizeof why);
    if (error)
        return say_error(why[0] ? "" : path, error, why[0] ? why : NULL);
    char *whole = realpath(path, NULL);
    bool news = count.there || count.here;
    if (news) {
        error = note_add(&h->place, "", "second_place", person(who), json_pack("{s:s}", "place", whole ? whole : path),
                         NULL);
        share_count again;
        if (!error)
            error = site_share(&h->place, path, &again, why, sizeof why); /* the other place learns of it, too */
    }
    say("%s✓ both have everything%s  %s: %u file%s added there, %u here\n", good(), plain(), whole ? whole : path,
        count.there, count.there == 1 ? "" : "s", count.here);
    free(whole);
    if (error)
        return say_error(path, error, NULL);
    if (count.passed_over) {
        snprintf(why, sizeof why, "%u file%s couldn't be read and stayed where %s, such as %.3000s", count.passed_over,
                 count.passed_over == 1 ? "" : "s", count.passed_over == 1 ? "it is" : "they are", count.clash);
        return say_error("", BIL_E_SITE_BROKEN, why);
    }
    if (count.clashes == 0)
        return EXIT_DONE;
    snprintf(
        why, sizeof why,
        "%u file%s with another content in the other place, such as %.3000s; bilancia site check names the damaged one",
        count.clashes, count.clashes == 1 ? " has its name" : "s have their names", count.clash);
    return say_error("", BIL_E_SITE_BROKEN, why);
}

/* ---- calls ---- */

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL, *why = NULL, *from = NULL;
    bool takes = self == &command_take_in, hands = self == &command_hand_out;
    struct poptOption why_option = {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why", "TEXT"};
    struct poptOption from_option = {"from", 0, POPT_ARG_STRING, &from, 0, "where it comes from", "TEXT"};
    struct poptOption options[6] = {SITE_OPTION(given), WHO_OPTION(who), HELP_OPTION,
                                    POPT_TABLEEND,      POPT_TABLEEND,   POPT_TABLEEND};
    if (takes) {
        options[3] = why_option;
        options[4] = from_option;
    }
    int wanted = takes || hands ? 2 : 1;
    call c;
    int code = call_begin(&c, self, argc, argv, options, wanted, wanted);
    if (code >= 0)
        return code;
    open_site h;
    if (!note_is_good(who) || !note_is_good(why) || !note_is_good(from)) {
        code = say_error("", BIL_E_CALL, NOTE_WANTED);
    } else {
        int error = enter_site(&h, given);
        if (error) {
            code = exit_code_of(error);
        } else {
            code = takes   ? take_in(&h, c.arguments[0], c.arguments[1], from, why, who)
                   : hands ? hand_out(&h, c.arguments[0], c.arguments[1])
                           : share(&h, c.arguments[0], who);
            leave_site(&h);
        }
    }
    return call_end(&c, code);
}

const command command_take_in = {"take-in",
                                 "[options] COPY.bset DEVICE",
                                 "adds a copy from elsewhere to a device of the site",
                                 "  bilancia take-in from-supplier.bset crusher --from \"Esempio, by mail\"\n",
                                 run,
                                 240};
const command command_hand_out = {"hand-out",
                                  "[options] DEVICE[#COPY] FOLDER",
                                  "puts a copy of the site into another folder, whole",
                                  "  bilancia hand-out crusher#baseline /media/stick\n",
                                  run,
                                  250};
const command command_share = {
    "share",
    "[options] FOLDER",
    "brings the site and a second place of it together",
    "  bilancia share /media/stick/poggio-finto\n"
    "What either has, both have afterwards; nothing is ever replaced. An empty folder becomes a second place.\n",
    run,
    260};
