#include "host/base/person.h"

#include <errno.h>
#include <pwd.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "bilancia/value.h"
#include "host/base/folders.h"

static person_limit limit_in(const char *path)
{
    char word[32] = "", more[2];
    FILE *file = fopen(path, "r");
    if (!file)
        return errno == ENOENT || errno == ENOTDIR ? LIMIT_NONE : LIMIT_READING;
    int words = fscanf(file, "%31s %1s", word, more);
    fclose(file);
    return words == 1 && strcmp(word, "trials") == 0 ? LIMIT_TRIALS : LIMIT_READING;
}

person_limit limit_of_person(char *from, size_t size)
{
    char own[STORAGE_PATH];
    if (own_folder(OWN_CONFIG, false, own))
        strcat(own, "/limit");
    const char *paths[] = {"/etc/bilancia/limit", own};
    person_limit strictest = LIMIT_NONE;
    for (size_t i = 0; i < 2; i++) {
        person_limit one = paths[i][0] ? limit_in(paths[i]) : LIMIT_NONE;
        if (one > strictest) {
            strictest = one;
            snprintf(from, size, "%s", paths[i]);
        }
    }
    return strictest;
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
    return !note || (strlen(note) < NOTE_TEXT && bil_text_is_printable(note, strlen(note)));
}
