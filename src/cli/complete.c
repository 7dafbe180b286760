/* bilancia complete: what the shell asks when a person presses the tab key. */
#include <dirent.h>
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"
#include "show/need.h"
#include "sim/unit.h"

/* Nothing that comes from a site is ever run, and nothing of it is left to the shell to take apart: a name goes onto
 * the line quoted, or not at all. */
static const char bash[] =
    "_bilancia_plain() { # what a word on the line means; nothing in it is run\n"
    "    local in=$1 quote= c\n"
    "    REPLY=\n"
    "    while [[ -n $in ]]; do\n"
    "        c=${in:0:1}\n"
    "        in=${in:1}\n"
    "        if [[ $c == '\\' && $quote != \"'\" ]]; then\n"
    "            REPLY+=${in:0:1}\n"
    "            in=${in:1}\n"
    "        elif [[ -n $quote && $c == \"$quote\" ]]; then\n"
    "            quote=\n"
    "        elif [[ -z $quote && ( $c == \"'\" || $c == '\"' ) ]]; then\n"
    "            quote=$c\n"
    "        else\n"
    "            REPLY+=$c\n"
    "        fi\n"
    "    done\n"
    "}\n"
    "_bilancia() {\n"
    "    local rest=${COMP_LINE:0:COMP_POINT} i word gap REPLY lead now offered line\n"
    "    local -a words=() plain=() found=()\n"
    "    # bash splits at = and :, a word of ours may hold both\n"
    "    for ((i = 0; i <= COMP_CWORD; i++)); do\n"
    "        word=${COMP_WORDS[i]}\n"
    "        gap=${rest%%[![:space:]]*}\n"
    "        rest=${rest:${#gap}}\n"
    "        ((i == COMP_CWORD)) && word=$rest\n"
    "        rest=${rest:${#word}}\n"
    "        if ((i > 0)) && [[ -z $gap && ( $word == [=:]* || ${words[${#words[@]}-1]} == *[=:] ) ]]; then\n"
    "            lead=${words[${#words[@]}-1]}\n"
    "            words[${#words[@]}-1]+=$word\n"
    "        else\n"
    "            lead=\n"
    "            words+=(\"$word\")\n"
    "        fi\n"
    "    done\n"
    "    [[ $word == [=:]* ]] && lead+=${word:0:1} word=${word:1}\n"
    "    for line in \"${words[@]:1}\"; do\n"
    "        _bilancia_plain \"$line\"\n"
    "        plain+=(\"$REPLY\")\n"
    "    done\n"
    "    _bilancia_plain \"$lead\"\n"
    "    lead=$REPLY\n"
    "    now=${plain[${#plain[@]}-1]}\n"
    "    COMPREPLY=()\n"
    "    while IFS= read -r line; do\n"
    "        [[ \"${line:0:${#now}}\" == \"$now\" ]] || continue\n"
    "        offered=${line:${#lead}}\n"
    "        case $word in\n"
    "        \\'*) [[ $offered == *\\'* ]] || COMPREPLY+=(\"$offered\") ;;\n"
    "        '\"'*) [[ $offered == *[\\\"\\$\\`\\\\!]* ]] || COMPREPLY+=(\"$offered\") ;;\n"
    "        *) printf -v offered %q \"$offered\" && COMPREPLY+=(\"$offered\") ;;\n"
    "        esac\n"
    "    done < <(bilancia complete -- \"${plain[@]}\" 2>/dev/null)\n"
    "    [[ $now == -* || -n $lead ]] || while IFS= read -r line; do\n"
    "        printf -v offered %q \"$line\" && COMPREPLY+=(\"$offered\")\n"
    "    done < <(compgen -f -X '!*.bset' -- \"$now\")\n"
    "    if [[ ${#COMPREPLY[@]} == 0 && $now != -* ]]; then\n"
    "        compopt -o default\n"
    "    elif [[ ${#COMPREPLY[@]} == 1 && ${COMPREPLY[0]} == *= ]]; then\n"
    "        compopt -o nospace\n"
    "    fi\n"
    "}\n"
    "complete -F _bilancia bilancia\n";

static const char zsh[] = "#compdef bilancia\n"
                          "_bilancia() {\n"
                          "    local -a found open whole\n"
                          "    found=(\"${(@f)$(bilancia complete -- \"${(@Q)words[2,CURRENT]}\" 2>/dev/null)}\")\n"
                          "    open=(${(M)found:#*=})\n"
                          "    whole=(${found:#*=})\n"
                          "    (( $#open )) && compadd -S '' -a -- open\n"
                          "    (( $#whole )) && compadd -a -- whole\n"
                          "    [[ $words[CURRENT] == -* ]] || _files\n"
                          "}\n"
                          "compdef _bilancia bilancia\n";

static const char fish[] = "function __bilancia_words\n"
                           "    set -l words (commandline -opc) (commandline -ct)\n"
                           "    bilancia complete -- $words[2..-1] 2>/dev/null\n"
                           "end\n"
                           "complete -c bilancia -a '(__bilancia_words)'\n";

/* The model of what stands on the line, so that ids fit it; NULL: any. */
static const char *model_of(const char *word, const char *site_given, char *model)
{
    char place[STORAGE_PATH];
    set_origin *o = malloc(sizeof *o);
    bil_set_totals totals;
    bool found = false;
    if (!o)
        no_memory();
    if (strchr(word, '#') || storage_ends_with(word, ".bset"))
        found = place_of(word, site_given, place) == BIL_OK && set_file_glance(place, o, &totals) == BIL_OK;
    if (found)
        snprintf(model, SET_TEXT, "%s", o->model);
    free(o);
    return found ? model : NULL;
}

static void put_ids(const char *const *words, size_t count, const char *ending, bool groups)
{
    catalogue m;
    char model[SET_TEXT];
    const char *only = NULL;
    if (catalogue_at_hand(&m, NULL, NULL) != BIL_OK)
        return;
    for (size_t i = 1; i + 1 < count && !only; i++)
        only = model_of(words[i], NULL, model);
    for (size_t i = 0; i < m.count; i++) {
        const bil_description *d = m.list[i];
        char before[BIL_ID_MAX + 1] = "", group[BIL_ID_MAX + 1];
        for (uint16_t k = 0; k < d->count && (!only || strcmp(only, d->model) == 0); k++) {
            if (bil_class_left_out((bil_class)d->params[k].cls))
                continue;
            snprintf(group, sizeof group, "%.*s", (int)strcspn(d->params[k].id, "."), d->params[k].id);
            if (!groups)
                say("%s%s\n", d->params[k].id, ending);
            else if (strcmp(group, before) != 0)
                puts(group);
            strcpy(before, group);
        }
    }
}

static bool put_name(void *ctx, const device_row *row)
{
    static const char *const which[] = {"last", "first", "baseline", "stored", "factory"};
    const char *word = ctx;
    if (!site_name_is_good(row->name) || !terminal_is_clean(row->name))
        return true;
    puts(row->name);
    for (size_t i = 0; strchr(word, '#') && i < sizeof which / sizeof which[0]; i++)
        say("%s#%s\n", row->name, which[i]);
    return true;
}

static void put_devices(const char *word)
{
    open_site h;
    char why[STORAGE_PATH + 300];
    if (site_find(&h.place, NULL, why, sizeof why) != BIL_OK || enter_site(&h, NULL) != BIL_OK)
        return;
    index_devices(&h.index, put_name, (void *)(uintptr_t)word);
    leave_site(&h);
}

static const command *named(const char *name)
{
    for (const command *const *c = commands(); *c; c++)
        if (strcmp((*c)->name, name) == 0)
            return *c;
    return NULL;
}

static void suggest(const char *const *words, size_t count)
{
    const command *c = count ? named(words[0]) : NULL;
    const char *word = count ? words[count - 1] : "", *before = count > 2 ? words[count - 2] : "";
    if (count <= 1) {
        for (const command *const *all = commands(); *all; all++)
            puts((*all)->name);
    } else if (!c) {
        return;
    } else if (strcmp(before, "--group") == 0 || strcmp(before, "-g") == 0) {
        put_ids(words, count, "", true);
    } else if (strcmp(before, "--match") == 0 || strcmp(before, "-m") == 0) {
        put_ids(words, count, "", false);
    } else if (strcmp(before, "--decide") == 0) {
        put_ids(words, count, "=", false);
    } else if (strcmp(before, "--class") == 0) {
        fputs("setup\nplace\ncalibration\nunit\n", stdout);
    } else if (word[0] == '-') {
        c->run(c, 2, (const char *[]){c->name, LIST_OPTIONS, NULL});
    } else if (strcmp(c->name, "simulate") == 0) {
        for (const sim_model *const *model = sim_models; *model; model++)
            puts((*model)->name);
    } else {
        put_devices(word);
        if (strcmp(c->name, "edit") == 0 && count > 2)
            put_ids(words, count, "=", false);
    }
}

static int run(const command *self, int argc, const char **argv)
{
    struct poptOption options[] = {HELP_OPTION, POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 1000);
    if (code >= 0)
        return code;
    bool alone = c.count == 1 && argc == 2;
    if (alone && strcmp(c.arguments[0], "bash") == 0)
        fputs(bash, stdout);
    else if (alone && strcmp(c.arguments[0], "zsh") == 0)
        fputs(zsh, stdout);
    else if (alone && strcmp(c.arguments[0], "fish") == 0)
        fputs(fish, stdout);
    else if (alone)
        return call_end(&c, say_error(c.arguments[0], BIL_E_CALL, "for bash, zsh or fish?"));
    else
        suggest(c.arguments, (size_t)c.count);
    return call_end(&c, EXIT_DONE);
}

const command command_complete = {"complete",
                                  "bash|zsh|fish",
                                  "what a shell needs to complete commands, names and ids",
                                  "  source <(bilancia complete bash)          in ~/.bashrc\n"
                                  "  source <(bilancia complete zsh)           in ~/.zshrc, behind compinit\n"
                                  "  bilancia complete fish | source           in ~/.config/fish/config.fish\n",
                                  run,
                                  720};
