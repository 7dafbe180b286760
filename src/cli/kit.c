/* bilancia kit: one archive file with all that a rebuild needs. */
#include "bilancia/kit.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "bilancia/look.h"
#include "cli/library.h"
#include "show/sheet.h"

typedef struct kit_call {
    library l;
    char *firmware, *why;
    int with_tool;
} kit_call;

/* What whoever rebuilds will miss. */
static void say_lacks(const bil_kit *kit)
{
    bool first = true;
    for (unsigned part = 0; part < BIL_KIT_PART_COUNT; part++)
        if (kit->lacks >> part & 1) {
            if (first)
                say("%s!%s It lacks\n", warn(), plain());
            say("    %-12s %s\n", bil_kit_part_name((bil_kit_part)part), bil_kit_part_text((bil_kit_part)part));
            first = false;
        }
}

/* The copy as a person reads it, in a file of its own; -1 or the exit code. */
static int put_sheet(library *l, const char *which, char *path)
{
    bil_look *look;
    bil_look_wish wish = {.struct_size = sizeof wish, .all = true};
    int error = bil_look_open(l->host, &which, 1, &wish, &look);
    if (error)
        return library_failed(l, error);
    int fd = mkstemp(path);
    FILE *out = fd < 0 ? NULL : fdopen(fd, "w");
    error = out ? sheet_write(look, out) : BIL_E_FILE_WRITE;
    if (out && fclose(out) != 0 && !error)
        error = BIL_E_FILE_WRITE;
    bil_look_close(look);
    return error ? say_error(path, error, NULL) : -1;
}

static int make(kit_call *c, const char *which, const char *file, const char **texts, size_t count)
{
    library *l = &c->l;
    const bil_site_copy *copy;
    char sheet[] = "/tmp/bilancia-sheet-XXXXXX", whole[DEVICE_NAME + 20];
    int error = bil_site_open(l->host, NULL, &l->site);
    if (!error)
        error = bil_site_copy_of(l->site, which, &copy);
    if (error)
        return library_failed(l, error);
    snprintf(whole, sizeof whole, "%s%s", which, strchr(which, '#') ? "" : "#last");
    int code = put_sheet(l, whole, sheet);
    if (code < 0) {
        bil_kit_wish wish = {.struct_size = sizeof wish,
                             .why = c->why,
                             .sheet = sheet,
                             .firmware = c->firmware,
                             .tool = c->with_tool ? "/proc/self/exe" : NULL,
                             .texts = texts,
                             .text_count = count};
        bil_kit kit = {.struct_size = sizeof kit};
        error = bil_kit_make(l->site, which, file, &wish, &kit);
        code = error ? library_failed(l, error) : EXIT_DONE;
        if (!error) {
            say("%s✓ kit%s  %s: %zu files, read back and whole\n", good(), plain(), kit.path, kit.file_count);
            say_lacks(&kit);
            if (!kit.storage[0])
                say("It must not lie on the device that is about to be wiped.\n");
        }
    }
    unlink(sheet);
    return code;
}

typedef struct list {
    size_t count;
    char lines[64][320];
} list;

static void keep(void *ctx, const char *name, uint64_t bytes)
{
    list *files = ctx;
    if (files->count < sizeof files->lines / sizeof files->lines[0])
        snprintf(files->lines[files->count++], sizeof files->lines[0], "  %10llu  %s", (unsigned long long)bytes, name);
}

static int check(library *l, const char *path)
{
    static list files;
    bil_kit kit = {.struct_size = sizeof kit};
    int error = bil_kit_check(l->host, path, keep, &files, &kit);
    if (error)
        return library_failed(l, error);
    say("%s✓ whole%s  the kit of %s, made %s by %s, firmware %s\n", good(), plain(), kit.device, kit.when, kit.who,
        kit.firmware);
    for (size_t i = 0; i < files.count; i++)
        say("%s\n", files.lines[i]);
    say_lacks(&kit);
    char word[4 * 4200 + 3], device[4 * DEVICE_NAME + 3];
    error = library_site(l); /* what is wrong with it doesn't concern the kit */
    say("To have its copy in a site: bilancia take-in %s %s%s\n", pasted(path, word, sizeof word),
        kit.device[0] ? pasted(kit.device, device, sizeof device) : "DEVICE",
        !error && l->site ? next_site() : " --site FOLDER");
    return EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    kit_call c = {0};
    struct poptOption options[] = {
        {"firmware", 0, POPT_ARG_STRING, &c.firmware, 0, "the firmware to go back to", "FILE"},
        {"with-tool", 0, POPT_ARG_NONE, &c.with_tool, 0, "this tool too", NULL},
        {"why", 0, POPT_ARG_STRING, &c.why, 0, "a note on why", "TEXT"},
        WHO_OPTION(c.l.who),
        SITE_OPTION(c.l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&c.l, self, argc, argv, options, 2, 60, false);
    if (code >= 0)
        return code;
    const char **words = c.l.c.arguments;
    int count = c.l.c.count;
    code = library_takes(&c.l, "--why", c.why);
    if (code >= 0)
        return library_end(&c.l, code);
    if (strcmp(words[0], "check") == 0 && count == 2)
        code = check(&c.l, words[1]);
    else if (strcmp(words[0], "make") == 0 && count >= 3)
        code = make(&c, words[1], words[2], words + 3, (size_t)count - 3);
    else
        code = say_error(words[0], BIL_E_CALL, "say kit make DEVICE#COPY FILE.zip TEXTS..., or kit check FILE.zip");
    return library_end(&c.l, code);
}

const command command_kit = {"kit",
                             "make DEVICE[#COPY] FILE.zip [TEXTS...]  |  kit check FILE.zip",
                             "one archive file with copy, sheet, texts, firmware and tool: all that a rebuild needs",
                             "  bilancia kit make crusher#baseline crusher.zip licence.txt --firmware ed30-2.4.1.bin\n",
                             run,
                             630};
