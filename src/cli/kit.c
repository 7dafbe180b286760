/* bilancia kit: one archive file with all that a rebuild needs. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/site_cli.h"
#include "host/site/kit.h"
#include "show/need.h"
#include "show/sheet.h"

typedef struct kit_call {
    char *firmware, *why, *who;
    int with_tool;
} kit_call;

static int add(kit *k, const char *path, const char *folder, const char *name)
{
    int error = kit_add(k, path, folder, name);
    return error ? say_error(path, error, error == BIL_E_CALL ? "too many files, or two of one name" : NULL) : -1;
}

/* The texts to add are the arguments behind the file; the sheet is made beside and taken away again. */
static int fill(kit *k, open_site *h, const device_row *owner, const copy_row *copy, const kit_call *wish,
                const char **texts, char *sheet)
{
    char path[STORAGE_PATH], why[600];
    copy_path(&h->place, copy, path);
    snprintf(k->device, sizeof k->device, "%s", owner->name);
    snprintf(k->who, sizeof k->who, "%s", person(wish->who));
    snprintf(k->why, sizeof k->why, "%s", wish->why ? wish->why : "");
    snprintf(k->firmware, sizeof k->firmware, "%s", copy->firmware);
    int fd = mkstemp(sheet);
    FILE *out = fd < 0 ? NULL : fdopen(fd, "w");
    if (!out)
        return say_error(sheet, BIL_E_FILE_WRITE, NULL);
    catalogue m;
    int error = catalogue_open(&m, NULL);
    if (!error)
        error = take_models(h, &m);
    if (!error)
        error = sheet_write(path, &m, out, why, sizeof why);
    if (fclose(out) != 0 && !error)
        error = storage_error();
    if (error)
        return say_error("", error, why);
    int code = add(k, path, "", "copy.bset");
    if (code < 0)
        code = add(k, sheet, "", "sheet.txt");
    char folder[STORAGE_PATH];
    site_path(&h->place, "", "descriptions", folder);
    char name[SET_TEXT + 10];
    snprintf(name, sizeof name, "%s.yaml", copy->model); /* what a copy calls its model may lead anywhere */
    snprintf(path, sizeof path, "%.3800s/%.400s", folder, name);
    if (code < 0 && index_takes_name(name, ".yaml") && storage_is_there(path))
        code = add(k, path, "", "description.yaml");
    if (code < 0 && wish->firmware)
        code = add(k, wish->firmware, "firmware", NULL);
    if (code < 0 && wish->with_tool)
        code = add(k, "/proc/self/exe", "tool", "bilancia");
    for (; code < 0 && *texts; texts++)
        code = add(k, *texts, "texts", NULL);
    return code;
}

static int make(open_site *h, const char *which, const char *file, const kit_call *wish, const char **texts)
{
    device_row owner;
    copy_row copy;
    int error = find_copy(h, which, &owner, &copy);
    if (error)
        return exit_code_of(error);
    char folder[STORAGE_PATH], path[STORAGE_PATH], why[STORAGE_PATH + 300], sheet[] = "/tmp/bilancia-sheet-XXXXXX";
    const char *name = folder_of(file, folder), *storage = card_text(&owner, "storage");
    kit *k = calloc(1, sizeof *k);
    int code;
    if (!k)
        no_memory();
    if (storage[0] && kit_lies_on(folder, storage)) {
        snprintf(why, sizeof why, "%s is on the device's own disk (%s), which a rebuild wipes", folder, storage);
        code = say_error(file, BIL_E_ON_DEVICE, why);
    } else if (index_verify(&h->index, &copy) == COPY_DAMAGED) {
        code = say_error(which, BIL_E_SET_ALTERED, NULL);
    } else {
        code = fill(k, h, &owner, &copy, wish, texts, sheet);
        if (code < 0) {
            error = kit_save(k, folder, name, path, why, sizeof why);
            json_t *list = NULL;
            if (!error)
                error = kit_check(path, &list, why, sizeof why); /* what was written, not what was meant */
            json_decref(list);
            code = error ? say_error("", error, why) : EXIT_DONE;
            if (!error)
                say("%s✓ kit%s  %s: %zu files, read back and whole\n", good(), plain(), path, k->count);
            if (!error && !storage[0])
                say("It must not lie on the device that is about to be wiped.\n");
        }
    }
    unlink(sheet);
    free(k);
    device_row_free(&owner);
    return code;
}

static int check(const char *path)
{
    json_t *list;
    char why[600], what[STORAGE_PATH + 20];
    int error = kit_check(path, &list, why, sizeof why);
    if (error) {
        snprintf(what, sizeof what, "%s", path);
        json_decref(list);
        return say_error(what, error, why);
    }
    say("%s✓ whole%s  the kit of %s, made %s by %s, firmware %s\n", good(), plain(),
        json_string_value(json_object_get(list, "device")), json_string_value(json_object_get(list, "when")),
        json_string_value(json_object_get(list, "who")), json_string_value(json_object_get(list, "firmware")));
    size_t i;
    json_t *one;
    json_array_foreach(json_object_get(list, "files"), i, one)
        say("  %10lld  %s\n", (long long)json_integer_value(json_object_get(one, "bytes")),
            json_string_value(json_object_get(one, "name")));
    json_decref(list);
    return EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    kit_call wish = {0};
    char *given = NULL;
    struct poptOption options[] = {
        {"firmware", 0, POPT_ARG_STRING, &wish.firmware, 0, "the firmware to go back to", "FILE"},
        {"with-tool", 0, POPT_ARG_NONE, &wish.with_tool, 0, "this tool too", NULL},
        {"why", 0, POPT_ARG_STRING, &wish.why, 0, "a note on why", "TEXT"},
        WHO_OPTION(wish.who),
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 2, 60);
    if (code >= 0)
        return code;
    open_site h;
    if (!note_is_good(wish.who) || !note_is_good(wish.why))
        code = say_error("--why, --who", BIL_E_CALL, NOTE_WANTED);
    else if (strcmp(c.arguments[0], "check") == 0 && c.count == 2)
        code = check(c.arguments[1]);
    else if (strcmp(c.arguments[0], "make") != 0 || c.count < 3)
        code =
            say_error(c.arguments[0], BIL_E_CALL, "say kit make DEVICE#COPY FILE.zip TEXTS..., or kit check FILE.zip");
    else if (enter_site(&h, given) != BIL_OK)
        code = EXIT_FILE;
    else {
        code = make(&h, c.arguments[1], c.arguments[2], &wish, c.arguments + 3);
        leave_site(&h);
    }
    return call_end(&c, code);
}

const command command_kit = {"kit",
                             "make DEVICE[#COPY] FILE.zip [TEXTS...]  |  kit check FILE.zip",
                             "one archive file with copy, sheet, texts, firmware and tool: all that a rebuild needs",
                             "  bilancia kit make crusher#baseline crusher.zip licence.txt --firmware ed30-2.4.1.bin\n",
                             run,
                             630};
