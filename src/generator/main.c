/* The generator: a description in YAML to a const table in C.   bilancia-table FILE.yaml NAME > table.c */
#include <stdio.h>
#include <string.h>

#include "host/describe/load.h"

/* Is it an identifier that C and C++ leave to programs? */
static bool is_name(const char *name)
{
    static const char *const words[] = {
        "alignas",  "alignof",  "and",      "asm",      "auto",      "bool",     "break",     "case",     "catch",
        "char",     "class",    "const",    "continue", "decltype",  "default",  "delete",    "do",       "double",
        "else",     "enum",     "explicit", "export",   "extern",    "false",    "float",     "for",      "friend",
        "goto",     "if",       "inline",   "int",      "long",      "mutable",  "namespace", "new",      "not",
        "nullptr",  "operator", "or",       "private",  "protected", "public",   "register",  "restrict", "return",
        "short",    "signed",   "sizeof",   "static",   "struct",    "switch",   "template",  "this",     "throw",
        "true",     "try",      "typedef",  "typename", "union",     "unsigned", "using",     "virtual",  "void",
        "volatile", "wchar_t",  "while",    "xor"};
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++)
        if (strcmp(name, words[i]) == 0)
            return false;
    size_t length = strspn(name, "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_");
    bool digit = name[0] >= '0' && name[0] <= '9', reserved = name[0] == '_' || strstr(name, "__");
    return length > 0 && length <= 63 && !name[length] && !digit && !reserved;
}

int main(int argc, char **argv)
{
    if (argc != 3) {
        fprintf(stderr, "usage: bilancia-table FILE.yaml NAME > table.c\n");
        return 2;
    }
    if (!is_name(argv[2])) {
        fprintf(stderr, "%s: a table is called by an identifier of C: letters, digits and _, such as my_model\n",
                argv[2]);
        return 2;
    }
    loaded_description loaded;
    char why[400];
    if (description_load(&loaded, argv[1], why, sizeof why) != BIL_OK) {
        fprintf(stderr, "%s\n", why);
        return 6;
    }
    description_write_c(&loaded.table, argv[2], stdout);
    description_free(&loaded);
    return fflush(stdout) == 0 && !ferror(stdout) ? 0 : 6;
}
