#include "show/html.h"

#include <stdlib.h>
#include <string.h>

#include "port/digest.h"
#include "show/need.h"
#include "show/terminal.h"

static const char html_style[] =
    ":root{color-scheme:light dark;--ink:#22262a;--paper:#fbfaf6;--line:#d8d3c4;--soft:#5c6158;--bad:#a8201a;"
    "--warn:#805300;--good:#2d6a2f;--curve:#4c6b1f;--tint:#fdf1d7;--head:#f1eee2}"
    "@media(prefers-color-scheme:dark){:root{--ink:#e8e6df;--paper:#1c1f1a;--line:#3c4238;--soft:#a5aa9c;--bad:#ff8a80;"
    "--warn:#f0c060;--good:#9bd08f;--curve:#b5d37a;--tint:#38311c;--head:#262a23}}"
    "body{font:16px/1.45 system-ui,sans-serif;color:var(--ink);background:var(--paper);margin:2rem "
    "auto;max-width:76rem;padding:0 1rem}"
    "h1{font-size:1.5rem;margin:0}p{margin:.3rem 0;color:var(--soft)}"
    "table{border-collapse:collapse;width:100%}caption{text-align:left;color:var(--soft);padding:.3rem 0}"
    "th,td{text-align:left;padding:.45rem .6rem;border-bottom:1px solid var(--line);vertical-align:top}"
    "thead th{color:var(--soft);font-weight:600;border-bottom:2px solid var(--line)}"
    "tbody th{font-weight:600}small{color:var(--soft);font-weight:400}"
    "@media print{:root{color-scheme:light;--paper:#fff}body{margin:0;max-width:none}tr{break-inside:avoid}}";

void html_text(FILE *file, const char *text)
{
    while (*text) {
        uint32_t character;
        size_t bytes;
        bool whole = terminal_character(text, &character, &bytes);
        if (!whole)
            fprintf(file, "&lt;%02x&gt;", (unsigned)(uint8_t)*text);
        else if (!terminal_takes(character))
            fprintf(file, "&lt;U+%04X&gt;", (unsigned)character);
        else if (character < 0x80 && strchr("&<>\"'", (int)character))
            fprintf(file, "&#%u;", (unsigned)character);
        else
            fwrite(text, 1, bytes, file);
        text += bytes;
    }
}

void html_begin(FILE *file, const char *title, const char *style, const char *script)
{
    size_t size = sizeof html_style + strlen(style);
    char *styles = need(size, 1), of_style[DIGEST_POLICY] = "", of_script[DIGEST_POLICY] = "";
    snprintf(styles, size, "%s%s", html_style, style);
    if (!digest_policy(styles, strlen(styles), of_style) ||
        (script && !digest_policy(script, strlen(script), of_script)))
        no_memory();
    fprintf(file,
            "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" "
            "content=\"width=device-width,initial-scale=1\"><meta http-equiv=\"Content-Security-Policy\" "
            "content=\"default-src 'none';style-src '%s';script-src '%s';base-uri 'none';form-action 'none'\"><title>",
            of_style, script ? of_script : "none");
    html_text(file, title);
    fprintf(file, "</title><style>%s</style></head>\n<body>", styles);
    free(styles);
}

void html_end(FILE *file, const char *script)
{
    if (script)
        fprintf(file, "<script>%s</script>", script);
    fputs("</body></html>\n", file);
}
