/* What the cards of a device say together, and whether that lets somebody write.
 *
 * A card is a note about a device; the one that no other follows counts. Where two are left, two places worked without
 * each other, or somebody planted one: then the strictest of each counts until a person decides. */
#ifndef BIL_HOST_SITE_CARD_H
#define BIL_HOST_SITE_CARD_H

#include <jansson.h>
#include <stdbool.h>
#include <stddef.h>

/* The card of these heads (an array of {"id", "note"}, the newest last): as the newest says, but with the strictest
 * limit of all, and only the writers that each of them names. NULL where there is none; a new reference. `disputed`:
 * they differ in anything but who wrote them, when and why. */
json_t *card_of(const json_t *heads, bool *disputed);

/* Does a device's card have what a card must: a name that may be one, texts where texts belong? */
bool card_is_sound(const json_t *card);

/* Names that look alike have the same key (Unicode normalisation NFKC and case folding; UAX 15, UAX 31). `key` of
 * CARD_KEY bytes. */
enum { CARD_KEY = 600 };
void card_key(const char *name, char key[CARD_KEY]);

/* Who wants to write, and how. */
typedef struct card_wish {
    const char *person;
    const char *login; /* whom the computer knows: naming somebody else doesn't pass it by; "": nobody */
    bool tries;        /* values are only tried, or it goes back to what was before */
    bool despite;      /* a person has decided to go on though it isn't clear what the cards say */
} card_wish;
/* May it be? `unclear` says why the cards can't be relied on, or is "". BIL_OK, BIL_E_NOT_ALLOWED, BIL_E_CARD; then
 * `why` tells more. */
int card_allows(const json_t *card, const char *name, const char *unclear, const card_wish *wish, char *why,
                size_t why_size);

#endif
