/* bilancia note, baseline, name, delete: what people say of a copy afterwards. */
#include <string.h>
#include <unistd.h>

#include "cli/site_cli.h"
#include "host/site/keeping.h"

extern const command command_note, command_name, command_delete;

static int add(open_site *h, const device_row *owner, const char *kind, const char *who, json_t *body)
{
    int error = note_add(&h->place, owner->folder, kind, person(who), body, NULL);
    return error ? say_error(h->place.path, error, NULL) : EXIT_DONE;
}

/* ---- note ---- */

static int note(open_site *h, const char *where, const char *text, const char *who)
{
    device_row owner;
    copy_row copy;
    bool of_copy = strchr(where, '#') != NULL;
    int error = of_copy ? find_copy(h, where, &owner, &copy) : find_device(h, where, &owner);
    if (error)
        return exit_code_of(error);
    json_t *body = json_pack("{s:s}", "text", text);
    if (of_copy)
        json_object_set_new(body, "about", json_string(copy.digest));
    int code = add(h, &owner, "note", who, body);
    if (code == EXIT_DONE)
        say("%s✓ noted%s  on %s%s\n", good(), plain(), of_copy ? "a copy of " : "", owner.name);
    device_row_free(&owner);
    return code;
}

/* ---- baseline ---- */

static int baseline(open_site *h, const char *where, const char *why, const char *who)
{
    device_row owner;
    copy_row copy;
    int error = find_copy(h, where, &owner, &copy);
    if (error)
        return exit_code_of(error);
    int code;
    if (index_verify(&h->index, &copy) == COPY_DAMAGED) {
        code = say_error(where, BIL_E_SET_ALTERED, NULL);
    } else {
        json_t *after = index_heads(&h->index, owner.folder, "baseline");
        code = add(h, &owner, "baseline", who,
                   json_pack("{s:s,s:s,s:o}", "about", copy.digest, "text", why ? why : "", "after", after));
        if (code == EXIT_DONE)
            say("%s★ baseline%s  of %s: copy %d of %s\n", good(), plain(), owner.name, copy.place, copy.when);
    }
    device_row_free(&owner);
    return code;
}

/* ---- name ---- */

static int give_name(open_site *h, const char *where, const char *name, const char *who)
{
    device_row owner;
    copy_row copy;
    if (!index_name_is_good(name))
        return say_error(
            name, BIL_E_CALL,
            "a name begins with a small letter and has small letters, digits, - and _; last, first, baseline, "
            "stored, factory, kept and what looks like a digest are taken");
    int error = find_copy(h, where, &owner, &copy);
    if (error)
        return exit_code_of(error);
    json_t *after = index_name_heads(&h->index, owner.folder, name);
    int code =
        add(h, &owner, "named", who, json_pack("{s:s,s:s,s:o}", "about", copy.digest, "name", name, "after", after));
    if (code == EXIT_DONE)
        say("%s✓ named%s  copy %d of %s is %s#%s\n", good(), plain(), copy.place, owner.name, owner.name, name);
    device_row_free(&owner);
    return code;
}

/* ---- delete ---- */

static int delete (open_site *h, const char *where, const char *why, const char *who, bool yes)
{
    device_row owner;
    copy_row copy;
    if (!strchr(where, '#'))
        return say_error(where, BIL_E_CALL, "say which copy: DEVICE#12; bilancia history lists them");
    int error = find_copy(h, where, &owner, &copy);
    if (error)
        return exit_code_of(error);
    say("Copy %d of %s, read %s by %s%s%s\n", copy.place, owner.name, copy.when,
        copy.who[0] ? copy.who : "nobody named", copy.why[0] ? ": " : "", copy.why);
    int code = EXIT_DONE;
    if (!yes) {
        char answer[16] = "";
        if (!isatty(STDIN_FILENO)) {
            code = say_error(where, BIL_E_PERSON, "nobody can be asked here; say --yes to agree beforehand");
        } else {
            tell(stderr, "Delete this copy for good? It can't be brought back. [yes/no] ");
            if (!fgets(answer, sizeof answer, stdin) || strcmp(answer, "yes\n") != 0)
                code = say_error(where, BIL_E_DECLINED, "nothing was deleted");
        }
    }
    if (code == EXIT_DONE) {
        error = keeping_delete(&h->index, &owner, &copy, why, person(who));
        code = error ? say_error(where, error, NULL) : EXIT_DONE;
        if (!error)
            say("%s✓ deleted%s for good; a note says that, when, and by whom\n", good(), plain());
    }
    device_row_free(&owner);
    return code;
}

/* ---- calls ---- */

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL, *why = NULL;
    int yes = 0;
    bool notes = self == &command_note, deletes = self == &command_delete, names = self == &command_name;
    struct poptOption yes_option = {"yes", 'y', POPT_ARG_NONE, &yes, 0, "agree beforehand; nothing is asked", NULL};
    struct poptOption why_option = {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why", "TEXT"};
    struct poptOption options[6] = {SITE_OPTION(given), WHO_OPTION(who), HELP_OPTION,
                                    POPT_TABLEEND,      POPT_TABLEEND,   POPT_TABLEEND};
    if (!notes && !names)
        options[3] = why_option;
    if (deletes)
        options[4] = yes_option;
    call c;
    int code = call_begin(&c, self, argc, argv, options, notes || names ? 2 : 1, notes || names ? 2 : 1);
    if (code >= 0)
        return code;
    open_site h;
    if (!note_is_good(who) || !note_is_good(why) || (notes && !note_is_good(c.arguments[1]))) {
        code = say_error("", BIL_E_CALL, NOTE_WANTED);
    } else {
        int error = enter_site(&h, given);
        if (error) {
            code = exit_code_of(error);
        } else {
            code = notes     ? note(&h, c.arguments[0], c.arguments[1], who)
                   : names   ? give_name(&h, c.arguments[0], c.arguments[1], who)
                   : deletes ? delete (&h, c.arguments[0], why, who, yes)
                             : baseline(&h, c.arguments[0], why, who);
            leave_site(&h);
        }
    }
    return call_end(&c, code);
}

const command command_note = {"note",
                              "[options] DEVICE[#COPY] TEXT",
                              "adds a note to a device or to one of its copies",
                              "  bilancia note kneader-2#last \"after the gear box was changed\"\n",
                              run,
                              190};
const command command_baseline = {"baseline",
                                  "[options] DEVICE[#COPY]",
                                  "marks the copy that counts as right for a device",
                                  "  bilancia baseline kneader-2#last --why \"accepted by the plant\"\n",
                                  run,
                                  200};
const command command_name = {"name",
                              "[options] DEVICE[#COPY] NAME",
                              "gives a copy a name of its own, for a product or a season",
                              "  bilancia name kneader-2#last summer      from now on it is kneader-2#summer\n"
                              "The same name given to another copy of the device goes over to that.\n",
                              run,
                              210};
const command command_delete = {"delete",
                                "[options] DEVICE#COPY",
                                "deletes a copy for good",
                                "  bilancia delete kneader-2#7 --why \"read during a test\"\n"
                                "The first copy, the baseline and proved copies are kept.\n",
                                run,
                                220};
