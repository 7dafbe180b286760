/* bilancia complete: what the shell asks when a person presses the tab key. */
#include <string.h>

#include "cli/library.h"
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

/* The model of what stands on the line, so that ids fit it; false: any. */
static bool model_of(library *l, const char *word, char *model, size_t size)
{
    bil_copy *copy;
    const char *dot = strrchr(word, '.');
    bool is_copy = strchr(word, '#') || (dot && strcmp(dot, ".bset") == 0);
    if (!is_copy || bil_copy_open(l->host, word, &copy) != BIL_OK)
        return false;
    snprintf(model, size, "%s", bil_copy_tells(copy)->model);
    bil_copy_close(copy);
    return true;
}

static void put_ids(library *l, const char *const *words, size_t count, const char *ending, bool groups)
{
    char model[400] = "";
    for (size_t i = 1; i + 1 < count; i++)
        if (model_of(l, words[i], model, sizeof model))
            break;
    const bil_description *d;
    for (size_t i = 0; (d = bil_host_description(l->host, i)); i++) {
        char before[BIL_ID_MAX + 1] = "", group[BIL_ID_MAX + 1];
        for (uint16_t k = 0; k < d->count && (!model[0] || strcmp(model, d->model) == 0); k++) {
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

static bool put_name(void *ctx, const bil_site_device *device)
{
    static const char *const which[] = {"last", "first", "baseline", "stored", "factory"};
    const char *word = ctx;
    if (!terminal_is_clean(device->name) || strpbrk(device->name, "/#"))
        return true;
    puts(device->name);
    for (size_t i = 0; strchr(word, '#') && i < sizeof which / sizeof which[0]; i++)
        say("%s#%s\n", device->name, which[i]);
    return true;
}

static void put_devices(library *l, const char *word)
{
    if (library_site(l) == BIL_OK && l->site)
        bil_site_devices(l->site, put_name, (void *)(uintptr_t)word);
}

static const command *named(const char *name)
{
    for (const command *const *c = commands(); *c; c++)
        if (strcmp((*c)->name, name) == 0)
            return *c;
    return NULL;
}

static void suggest(library *l, const char *const *words, size_t count)
{
    const command *c = count ? named(words[0]) : NULL;
    const char *word = count ? words[count - 1] : "", *before = count > 2 ? words[count - 2] : "";
    if (count <= 1) {
        for (const command *const *all = commands(); *all; all++)
            puts((*all)->name);
    } else if (!c) {
        return;
    } else if (strcmp(before, "--group") == 0 || strcmp(before, "-g") == 0) {
        put_ids(l, words, count, "", true);
    } else if (strcmp(before, "--match") == 0 || strcmp(before, "-m") == 0) {
        put_ids(l, words, count, "", false);
    } else if (strcmp(before, "--decide") == 0) {
        put_ids(l, words, count, "=", false);
    } else if (strcmp(before, "--class") == 0) {
        fputs("setup\nplace\ncalibration\nunit\n", stdout);
    } else if (word[0] == '-') {
        c->run(c, 2, (const char *[]){c->name, LIST_OPTIONS, NULL});
    } else if (strcmp(c->name, "simulate") == 0) {
        for (const sim_model *const *model = sim_models; *model; model++)
            puts((*model)->name);
    } else {
        put_devices(l, word);
        if (strcmp(c->name, "edit") == 0 && count > 2)
            put_ids(l, words, count, "=", false);
    }
}

static int run(const command *self, int argc, const char **argv)
{
    struct poptOption options[] = {HELP_OPTION, POPT_TABLEEND};
    library l = {0};
    l.quiet = true; /* nothing is said on a line that a person types */
    int code = library_begin(&l, self, argc, argv, options, 1, 1000, false);
    if (code >= 0)
        return code;
    const char **words = l.c.arguments;
    bool alone = l.c.count == 1 && argc == 2;
    if (alone && strcmp(words[0], "bash") == 0)
        fputs(bash, stdout);
    else if (alone && strcmp(words[0], "zsh") == 0)
        fputs(zsh, stdout);
    else if (alone && strcmp(words[0], "fish") == 0)
        fputs(fish, stdout);
    else if (alone)
        return library_end(&l, say_error(words[0], BIL_E_CALL, "for bash, zsh or fish?"));
    else
        suggest(&l, words, (size_t)l.c.count);
    return library_end(&l, EXIT_DONE);
}

const command command_complete = {"complete",
                                  "bash|zsh|fish",
                                  "what a shell needs to complete commands, names and ids",
                                  "  source <(bilancia complete bash)          in ~/.bashrc\n"
                                  "  source <(bilancia complete zsh)           in ~/.zshrc, behind compinit\n"
                                  "  bilancia complete fish | source           in ~/.config/fish/config.fish\n",
                                  run,
                                  720};
