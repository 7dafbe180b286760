#include "show/next.h"

#include <stdio.h>

#include "show/terminal.h"

enum { OPTION = 4 * 4096 + 40 };

static char site_option[OPTION], job_options[2 * OPTION];

void next_like(const char *site, const char *description)
{
    char word[OPTION - 40];
    site_option[0] = job_options[0] = '\0';
    if (site && *site)
        snprintf(site_option, sizeof site_option, " --site %s", pasted(site, word, sizeof word));
    if (description && *description)
        snprintf(job_options, sizeof job_options, "%s --description %s", site_option,
                 pasted(description, word, sizeof word));
    else
        snprintf(job_options, sizeof job_options, "%s", site_option);
}

const char *next_site(void)
{
    return site_option;
}

const char *next_job(void)
{
    return job_options;
}
