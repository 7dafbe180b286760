/* bilancia/words.h - what verdicts, events, relations and purposes are called, by programs and by people.
 *
 * Firmware that wants some of them makes tables by the lists that these come from.
 *
 * Thread rules: all functions are pure. */
#ifndef BILANCIA_WORDS_H
#define BILANCIA_WORDS_H

#include "bilancia/compare.h"
#include "bilancia/job.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How a job ended (BIL_VERDICTS): its name for programs, and the sentence for people; "?" for a number that is none. */
const char *bil_verdict_name(bil_verdict verdict);
const char *bil_verdict_text(bil_verdict verdict);

/* An event of a job (bil_event): its name in records, and its sentence for people; "" for a number that is none. */
const char *bil_event_name(unsigned event);
const char *bil_event_text(unsigned event);

/* How two values relate: its name for programs, and its mark for people; "?" for a number that is none. */
const char *bil_relation_name(bil_relation relation);
const char *bil_relation_mark(bil_relation relation);

/* What a write is for: "restore", "replacement", "clone"; "?" for a number that is none. And back, or -1. */
const char *bil_purpose_name(bil_purpose purpose);
int bil_purpose_from_name(const char *name);

#ifdef __cplusplus
}
#endif

#endif
