#include "html.h"

#include <string.h>

void html_text(FILE *file, const char *text)
{
    while (*text) {
        size_t plain = strcspn(text, "&<>\"'");
        fwrite(text, 1, plain, file);
        text += plain;
        if (*text)
            fprintf(file, "&#%d;", *text++);
    }
}

const char html_style[] =
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
