#include "cli/cli.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "show/need.h"

/* ---- calls ---- */

static void help(const command *self, poptContext context)
{
    say("%s\n\nUsage: bilancia %s %s\n\n", self->summary, self->name, self->arguments);
    char *options = NULL; /* popt's own first line is another usage */
    size_t size = 0;
    FILE *memory = open_memstream(&options, &size);
    if (!memory)
        no_memory();
    poptPrintHelp(context, memory, 0);
    fclose(memory);
    const char *first = options ? strchr(options, '\n') : NULL;
    say("Options:");
    fputs(first ? first : "\n", stdout); /* the tool's own words */
    free(options);
    say("\nExample:\n");
    fputs(self->example, stdout);
}

/* What the command has is what it may be advised. */
static void note_options(const struct poptOption *options)
{
    enum { MOST = 60 };
    static const char *names[MOST + 1];
    size_t count = 0;
    for (; options[count].longName && count < MOST; count++)
        names[count] = options[count].longName;
    names[count] = NULL;
    advise_with(names);
}

int call_begin(call *c, const command *self, int argc, const char **argv, struct poptOption *options, int least,
               int most)
{
    if (argc == 2 && strcmp(argv[1], LIST_OPTIONS) == 0) {
        for (struct poptOption *o = options; o->longName; o++)
            say("--%s%s\n", o->longName, o->argInfo == POPT_ARG_NONE ? "" : "=");
        return EXIT_DONE;
    }
    note_options(options);
    *c = (call){.context = poptGetContext("bilancia", argc, argv, options, 0), .options = options};
    poptSetOtherOptionHelp(c->context, "[options]");
    int option;
    while ((option = poptGetNextOpt(c->context)) > 0)
        if (option == 'h') {
            help(self, c->context);
            return call_end(c, EXIT_DONE);
        }
    c->arguments = poptGetArgs(c->context);
    while (c->arguments && c->arguments[c->count])
        c->count++;
    if (option < -1) {
        tell(stderr, "bilancia %s: %s: %s\n", self->name, poptBadOption(c->context, 0), poptStrerror(option));
    } else if (c->count < least || c->count > most) {
        if (c->count > most)
            tell(stderr, "bilancia %s: \"%s\" is one argument too many\n", self->name, c->arguments[most]);
        else
            tell(stderr, "bilancia %s: %d argument%s wanted, %d given\n", self->name, least,
                 least == 1 ? " is" : "s are", c->count);
    } else {
        return -1;
    }
    tell(stderr, "  Usage: bilancia %s %s\n  More with: bilancia %s --help\n", self->name, self->arguments, self->name);
    return call_end(c, EXIT_CALL);
}

int call_end(call *c, int exit_code)
{
    for (struct poptOption *o = c->options; o->longName; o++)
        if (o->argInfo == POPT_ARG_STRING) {
            free(*(char **)o->arg);
        } else if (o->argInfo == POPT_ARG_ARGV) {
            char **words = *(char ***)o->arg;
            for (char **word = words; word && *word; word++)
                free(*word);
            free(words);
        }
    poptFreeContext(c->context);
    return exit_code;
}

/* ---- words ---- */

int exit_code_of(int error)
{
    switch (error) {
    case BIL_OK:
        return EXIT_DONE;
    case BIL_E_ADDRESS:
    case BIL_E_CALL:
    case BIL_E_NO_DEVICE:
    case BIL_E_NO_COPY:
    case BIL_E_NO_RECORD:
        return EXIT_CALL;
    case BIL_E_NOT_REACHABLE:
    case BIL_E_SILENT:
    case BIL_E_LOST:
    case BIL_E_GARBLED:
    case BIL_E_CONTROL:
    case BIL_E_GATEWAY_PATH:
    case BIL_E_GATEWAY_SILENT:
    case BIL_E_LINE_IN_USE:
        return EXIT_NOT_REACHABLE;
    case BIL_E_VALUE_TEXT:
    case BIL_E_RECORD:
    case BIL_E_SAFETY_COPY:
        return EXIT_FILE;
    case BIL_E_UNKNOWN_MODEL:
    case BIL_E_KEPT:
    case BIL_E_DISPUTED:
    case BIL_E_SIGNATURE:
    case BIL_E_NOT_ALLOWED:
    case BIL_E_ON_DEVICE:
    case BIL_E_STORED_HIDDEN:
    case BIL_E_NOT_YOURS:
    case BIL_E_TURN:
    case BIL_E_CARD:
    case BIL_E_FOREIGN:
    case BIL_E_PASSPHRASE:
    case BIL_E_NEW_THERE:
    case BIL_E_OTHER_THERE:
        return EXIT_REFUSED;
    case BIL_E_BUSY:
    case BIL_E_NOTHING_READ:
        return EXIT_INCOMPLETE;
    default:
        /* what only a computer with files has; the core doesn't know those */
        return (error >= BIL_E_SET_CUT && error <= BIL_E_SET_AFTER_END) || strcmp(bil_error_name(error), "unknown") == 0
                   ? EXIT_FILE
                   : EXIT_REFUSED;
    }
}

int say_error(const char *what, int error, const char *why)
{
    tell_trouble(false, what, error, why);
    return exit_code_of(error);
}

int exit_code_of_ending(const bil_ending *end)
{
    if (end->held)
        return EXIT_HELD;
    if (end->already)
        return EXIT_DONE;
    switch (end->verdict) {
    case BIL_VERDICT_VERIFIED:
    case BIL_VERDICT_WITH_EXCEPTIONS:
    case BIL_VERDICT_IN_FORCE:
    case BIL_VERDICT_ON_TRIAL:
        return EXIT_DONE;
    case BIL_VERDICT_NOT_PROVED:
    case BIL_VERDICT_INCOMPLETE:
        return EXIT_INCOMPLETE;
    default:
        return end->file_error ? EXIT_FILE : exit_code_of(end->cause);
    }
}

void say_json(json_t *json)
{
    tell_json(stdout, json, JSON_INDENT(2));
    putchar('\n');
}
