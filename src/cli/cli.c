#include "cli/cli.h"

#include <pwd.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <time.h>
#include <unistd.h>

#include "host/base/arena.h"
#include "host/base/float_text.h"
#include "host/describe/load.h"

/* ---- calls ---- */

static void help(const command *self, poptContext context)
{
    say("%s\n\nUsage: bilancia %s %s\n\n", self->summary, self->name, self->arguments);
    poptPrintHelp(context, stdout, 0);
    say("\nExample:\n");
    fputs(self->example, stdout);
}

int call_begin(call *c, const command *self, int argc, const char **argv, struct poptOption *options, int least,
               int most)
{
    if (argc == 2 && strcmp(argv[1], LIST_OPTIONS) == 0) {
        for (struct poptOption *o = options; o->longName; o++)
            say("--%s%s\n", o->longName, o->argInfo == POPT_ARG_NONE ? "" : "=");
        return EXIT_DONE;
    }
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

bool use_colour(FILE *file)
{
    const char *term = getenv("TERM"), *no = getenv("NO_COLOR");
    return isatty(fileno(file)) && !(no && *no) && term && strcmp(term, "dumb") != 0;
}

static const char *colour(tint t)
{
    return tint_code(screen().colour, t);
}

const char *bold(void)
{
    return colour(TINT_BOLD);
}
const char *good(void)
{
    return colour(TINT_GOOD);
}
const char *bad(void)
{
    return colour(TINT_BAD);
}
const char *warn(void)
{
    return colour(TINT_WARN);
}
const char *plain(void)
{
    return colour(TINT_PLAIN);
}

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
        return EXIT_REFUSED;
    case BIL_E_BUSY:
    case BIL_E_NOTHING_READ:
        return EXIT_INCOMPLETE;
    default:
        return (error >= BIL_E_SET_CUT && error <= BIL_E_SET_AFTER_END) || error >= BIL_E_FILE_OPEN ? EXIT_FILE
                                                                                                    : EXIT_REFUSED;
    }
}

static int tell_error(const char *colour, const char *what, int error, const char *why)
{
    progress_clear();
    tell(stderr, "bilancia: %s%s%s%s%s\n", colour, what, *colour ? plain() : "", *what ? ": " : "",
         why && *why ? why : bil_host_error_text(error));
    if (*bil_error_advice(error))
        tell(stderr, "  What to do: %s.\n", bil_error_advice(error));
    return exit_code_of(error);
}

int say_error(const char *what, int error, const char *why)
{
    return tell_error("", what, error, why);
}

int say_verdict(const char *verdict, int error, const char *why)
{
    return tell_error(bad(), verdict, error, why);
}

look screen(void)
{
    static size_t width; /* asked once: rows come by the million */
    static bool colour;
    struct winsize size;
    if (width == 0) {
        bool known = ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0;
        width = !known ? 80 : size.ws_col < 16 ? 16 : size.ws_col < 200 ? size.ws_col : 200;
        colour = use_colour(stdout);
    }
    return (look){stdout, width, colour};
}

size_t screen_width(void)
{
    return screen().width;
}

void param_text(const bil_image *image, uint16_t index, char *out, size_t size)
{
    if (image->state[index] == BIL_ABSENT) {
        snprintf(out, size, "(unknown)");
        return;
    }
    bil_item item;
    char token[BIL_TOKEN];
    bil_image_item_told(image, index, &host_floats, token, &item);
    item_text(&item, image->description, out, size);
}

/* ---- things at hand ---- */

int models_open(models *m, const char *file)
{
    static loaded_description loaded; /* lives as long as the program */
    *m = (models){0};
    if (file) {
        char why[400];
        int error = description_load(&loaded, file, why, sizeof why);
        if (error) {
            say_error("", error, why);
            return error;
        }
        m->list[m->count++] = &loaded.table;
        m->given = loaded.table.model;
    }
    for (const bil_description *const *one = descriptions_built_in; *one && m->count < MODELS_MAX; one++)
        m->list[m->count++] = *one;
    return BIL_OK;
}

const char *folder_of(const char *path, char *folder)
{
    const char *slash = strrchr(path, '/');
    snprintf(folder, STORAGE_PATH, "%.*s", slash ? (int)(slash - path) + (slash == path) : 1, slash ? path : ".");
    return slash ? slash + 1 : path;
}

const char *person(const char *option)
{
    if (option)
        return option;
    struct passwd *user = getpwuid(getuid());
    return user && bil_text_is_printable(user->pw_name, strlen(user->pw_name)) ? user->pw_name : "";
}

bool note_is_good(const char *note)
{
    return !note || (strlen(note) < SET_TEXT && bil_text_is_printable(note, strlen(note)));
}

/* ---- progress ---- */

static bool progress_shown;

void progress_line(const char *what, uint32_t done, uint32_t total, uint32_t requests)
{
    if (!isatty(STDERR_FILENO))
        return;
    if (total)
        tell(stderr, "\r\033[K%s: %u of %u values, %u requests", what, done, total, requests);
    else
        tell(stderr, "\r\033[K%s", what);
    fflush(stderr);
    progress_shown = true;
}

void progress_clear(void)
{
    if (progress_shown)
        fputs("\r\033[K", stderr);
    progress_shown = false;
}

/* ---- devices ---- */

void progress_of_reading(void *ctx, const bil_job *job, const bil_action *action)
{
    (void)ctx;
    (void)action;
    bil_job_progress p;
    bil_job_progress_of(job, &p);
    progress_line("Reading", p.done, p.total, p.read_requests);
}

int device_read(device *dev, const char *where, const models *m, bil_job_progress *progress)
{
    char why[500];
    progress_line("Connecting", 0, 0, 0);
    int error = device_open(dev, where, m, why, sizeof why);
    if (error)
        return say_error(where, error, why);
    bil_verdict verdict;
    error = device_read_all(dev, progress_of_reading, progress, &verdict);
    progress_clear();
    if (error == BIL_OK)
        return -1;
    device_close(dev);
    say_error(where, error, NULL);
    return verdict == BIL_VERDICT_INCOMPLETE ? EXIT_INCOMPLETE : exit_code_of(error);
}
