#include "cli.h"

#include <pwd.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <time.h>
#include <unistd.h>

#include "../host/arena.h"
#include "../host/description_yaml.h"
#include "../host/float_text.h"

extern const bil_description bil_description_ed_30, bil_description_ec_8;

/* ---- calls ---- */

static void help(const command *self, poptContext context)
{
    printf("%s\n\nUsage: bilancia %s %s\n\n", self->summary, self->name, self->arguments);
    poptPrintHelp(context, stdout, 0);
    printf("\nExample:\n%s", self->example);
}

int call_begin(call *c, const command *self, int argc, const char **argv, struct poptOption *options, int least,
               int most)
{
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
        fprintf(stderr, "bilancia %s: %s: %s\n", self->name, poptBadOption(c->context, 0), poptStrerror(option));
    } else if (c->count < least || c->count > most) {
        if (c->count > most)
            fprintf(stderr, "bilancia %s: \"%s\" is one argument too many\n", self->name, c->arguments[most]);
        else
            fprintf(stderr, "bilancia %s: %d argument%s wanted, %d given\n", self->name, least,
                    least == 1 ? " is" : "s are", c->count);
    } else {
        return -1;
    }
    fprintf(stderr, "  Usage: bilancia %s %s\n  More with: bilancia %s --help\n", self->name, self->arguments,
            self->name);
    return call_end(c, EXIT_CALL);
}

int call_end(call *c, int exit_code)
{
    for (struct poptOption *o = c->options; o->longName; o++)
        if (o->argInfo == POPT_ARG_STRING)
            free(*(char **)o->arg);
    poptFreeContext(c->context);
    return exit_code;
}

/* ---- words ---- */

bool use_colour(FILE *file)
{
    const char *term = getenv("TERM"), *no = getenv("NO_COLOR");
    return isatty(fileno(file)) && !(no && *no) && term && strcmp(term, "dumb") != 0;
}

static const char *colour(const char *code)
{
    static int on = -1;
    if (on < 0)
        on = use_colour(stdout);
    return on ? code : "";
}

const char *bold(void)
{
    return colour("\033[1m");
}
const char *good(void)
{
    return colour("\033[1;32m");
}
const char *bad(void)
{
    return colour("\033[1;31m");
}
const char *warn(void)
{
    return colour("\033[33m");
}
const char *plain(void)
{
    return colour("\033[0m");
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
        return EXIT_REFUSED;
    case BIL_E_BUSY:
    case BIL_E_NOTHING_READ:
        return EXIT_INCOMPLETE;
    default:
        return (error >= BIL_E_SET_CUT && error <= BIL_E_SET_AFTER_END) || error >= BIL_E_FILE_OPEN ? EXIT_FILE
                                                                                                    : EXIT_REFUSED;
    }
}

int say_error(const char *what, int error, const char *why)
{
    progress_clear();
    fflush(stdout);
    fprintf(stderr, "bilancia: %s%s%s\n", what, *what ? ": " : "", why && *why ? why : bil_error_text(error));
    if (*bil_error_advice(error))
        fprintf(stderr, "  What to do: %s.\n", bil_error_advice(error));
    return exit_code_of(error);
}

size_t shown_width(const char *text)
{
    size_t width = 0;
    for (; *text; text++)
        width += ((unsigned char)*text & 0xc0) != 0x80;
    return width;
}

void put_cell(FILE *file, const char *text, size_t width)
{
    static const char blanks[] = "                                                                                ";
    size_t all = shown_width(text), most = all > width ? width - 1 : width, bytes = 0;
    for (size_t shown = 0; text[bytes]; bytes++) {
        shown += ((unsigned char)text[bytes] & 0xc0) != 0x80;
        if (shown > most)
            break;
    }
    fwrite(text, 1, bytes, file);
    if (all > width)
        fputs("…", file);
    else if (width - all < sizeof blanks)
        fwrite(blanks, 1, width - all, file);
}

size_t screen_width(void)
{
    static size_t width; /* asked once: rows come by the million */
    struct winsize size;
    if (width == 0)
        width = ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_col < 40 ? 80
                : size.ws_col < 200                                              ? size.ws_col
                                                                                 : 200;
    return width;
}

size_t pair_width(void)
{
    return screen_width() >= 110 ? 22 : 15;
}

void put_pair(FILE *out, const pair *p)
{
    size_t width = screen_width(), value = pair_width(), rest = width - 29 - 2 * value;
    fprintf(out, "%s%s%s ", warn(), p->mark, plain());
    put_cell(out, p->id, 24);
    putc(' ', out);
    if (shown_width(p->left) > value || shown_width(p->right) > value) {
        fprintf(out, "%s\n    %-11s %s\n    %-11s %s\n", p->name, p->left_label, p->left, p->right_label, p->right);
        return;
    }
    put_cell(out, p->left, value);
    putc(' ', out);
    put_cell(out, p->right, value);
    putc(' ', out);
    if (shown_width(p->name) > rest)
        put_cell(out, p->name, rest);
    else
        fputs(p->name, out);
    putc('\n', out);
}

static void add_unit(const char *unit, char *out, size_t size)
{
    size_t used = strlen(out);
    if (*unit)
        snprintf(out + used, size - used, " %s", unit);
}

static void raw_text(const uint8_t *raw, size_t count, char *out, size_t size)
{
    size_t used = (size_t)snprintf(out, size, "raw ");
    for (size_t i = 0; i < count && used + 3 < size; i++)
        used += (size_t)snprintf(out + used, size - used, "%02x", raw[i]);
}

void param_text(const bil_image *image, uint16_t index, char *out, size_t size)
{
    const bil_param *param = &image->description->params[index];
    if (image->state[index] != BIL_PRESENT) {
        snprintf(out, size, "(%s)",
                 image->state[index] == BIL_ABSENT ? "unknown" : bil_error_name(image->cause[index]));
        return;
    }
    const uint8_t *raw = bil_image_raw(image, index);
    if (bil_value_text(&param->format, raw, &host_floats, out, size) != BIL_OK)
        raw_text(raw, param->format.size, out, size);
    else
        add_unit(param->unit, out, size);
}

void item_text(const bil_item *item, const bil_description *description, char *out, size_t size)
{
    if (item->unreadable) {
        snprintf(out, size, "(%s)", bil_error_name(item->unreadable));
        return;
    }
    char unit[64];
    bil_str_plain(item->unit, unit, sizeof unit);
    int32_t index = description ? bil_description_find(description, item->id.text, item->id.length) : -1;
    const bil_format *format = index < 0 ? NULL : &description->params[index].format;
    bool null = item->value.length == 0 || (item->value.length == 4 && memcmp(item->value.text, "null", 4) == 0);
    if (!null && item->value.text[0] == '"')
        bil_str_plain((bil_str){item->value.text + 1, item->value.length - 2}, out, size);
    else if (!null)
        bil_str_plain(item->value, out, size);
    else if (!format || format->type != item->type || format->size != item->size ||
             bil_value_text(format, item->raw, &host_floats, out, size) != BIL_OK) {
        raw_text(item->raw, item->size, out, size);
        return;
    }
    add_unit(unit, out, size);
}

void age_text(const char *when, char *out, size_t size)
{
    struct tm then = {0};
    if (!strptime(when, "%Y-%m-%dT%H:%M:%SZ", &then)) {
        snprintf(out, size, "of unknown age");
        return;
    }
    double seconds = difftime(time(NULL), timegm(&then));
    static const struct {
        double seconds;
        const char *name;
    } units[] = {{86400, "day"}, {3600, "hour"}, {60, "minute"}, {1, "second"}};
    if (seconds < 0) {
        snprintf(out, size, "dated in the future: check the clock");
        return;
    }
    for (size_t i = 0; i < 4; i++)
        if (seconds >= units[i].seconds || i == 3) {
            long count = (long)(seconds / units[i].seconds);
            snprintf(out, size, "%ld %s%s ago", count, units[i].name, count == 1 ? "" : "s");
            return;
        }
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
    }
    m->list[m->count++] = &bil_description_ed_30;
    m->list[m->count++] = &bil_description_ec_8;
    return BIL_OK;
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
        fprintf(stderr, "\r\033[K%s: %u of %u values, %u requests", what, done, total, requests);
    else
        fprintf(stderr, "\r\033[K%s", what);
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

static void show_reading(void *ctx, const bil_job *job, const bil_action *action)
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
    bil_job *job = device_job(dev, BIL_JOB_READ, (bil_job_config){0});
    runner r = {.link = dev->link, .clock = dev->clock, .progress = show_reading};
    bil_action end = run_job(job, &r);
    bil_job_progress_of(job, progress);
    free(job);
    progress_clear();
    error = (int)end.u.end.cause;
    if (error == BIL_OK)
        return -1;
    device_close(dev);
    say_error(where, error, NULL);
    return end.u.end.verdict == BIL_VERDICT_INCOMPLETE ? EXIT_INCOMPLETE : exit_code_of(error);
}
