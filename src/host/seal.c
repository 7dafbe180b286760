#include "seal.h"

#include <string.h>

#include "../port/signature.h"

static void to_hex(const uint8_t *bytes, size_t count, char *hex)
{
    for (size_t i = 0; i < count; i++)
        snprintf(hex + 2 * i, 3, "%02x", bytes[i]);
}

static bool from_hex(const char *hex, uint8_t *bytes, size_t count)
{
    if (!hex || strlen(hex) != 2 * count || strspn(hex, "0123456789abcdef") != 2 * count)
        return false;
    for (size_t i = 0; i < count; i++) {
        unsigned value;
        if (sscanf(hex + 2 * i, "%2x", &value) != 1)
            return false;
        bytes[i] = (uint8_t)value;
    }
    return true;
}

static size_t message(const char *digest, char out[100])
{
    return (size_t)snprintf(out, 100, "bilancia set 0\n%s", digest);
}

/* ---- keys ---- */

typedef struct key_search {
    const char *name, *hex; /* looked for: one of them */
    char found_name[SITE_NAME], found_hex[SEAL_KEY_HEX + 1];
    bool found;
    bool disputed; /* two keys of one name, or two names of one key: times can be forged, so neither counts */
} key_search;

static bool look_at_key(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    key_search *s = ctx;
    const char *name = json_string_value(json_object_get(note, "name"));
    const char *hex = json_string_value(json_object_get(note, "public"));
    if (!name || !hex || strlen(hex) != SEAL_KEY_HEX || (s->name ? strcmp(s->name, name) : strcmp(s->hex, hex)) != 0)
        return true;
    s->disputed = s->disputed || (s->found && (strcmp(s->found_name, name) != 0 || strcmp(s->found_hex, hex) != 0));
    snprintf(s->found_name, sizeof s->found_name, "%s", name);
    snprintf(s->found_hex, sizeof s->found_hex, "%s", hex);
    s->found = true;
    return true;
}

static key_search find_key(site_index *x, const char *name, const char *hex)
{
    key_search s = {.name = name, .hex = hex};
    index_notes(x, "", "key", NULL, look_at_key, &s);
    return s;
}

static int add_key(site_index *x, const char *name, const char *hex, const char *who)
{
    return note_add(x->site, "", "key", who, json_pack("{s:s,s:s}", "name", name, "public", hex), NULL);
}

int seal_trust(site_index *x, const char *name, const char *hex, const char *who)
{
    uint8_t key[SIGNATURE_KEY];
    if (!site_name_is_good(name) || !from_hex(hex, key, sizeof key))
        return BIL_E_CALL;
    key_search s = find_key(x, name, NULL);
    if (s.found)
        return !s.disputed && strcmp(s.found_hex, hex) == 0 ? BIL_OK : BIL_E_DISPUTED;
    return find_key(x, NULL, hex).found ? BIL_E_DISPUTED : add_key(x, name, hex, who);
}

int seal_make_key(site_index *x, const char *name, const char *path, const char *who)
{
    uint8_t key[SIGNATURE_KEY];
    char hex[SEAL_KEY_HEX + 1];
    if (!site_name_is_good(name))
        return BIL_E_CALL;
    if (find_key(x, name, NULL).found)
        return BIL_E_DISPUTED;
    if (!signature_make_key(path, key))
        return BIL_E_FILE_WRITE;
    to_hex(key, sizeof key, hex);
    return add_key(x, name, hex, who);
}

/* ---- signatures ---- */

int seal_sign(site_index *x, const copy_row *copy, const char *path, const char *who, char *name)
{
    uint8_t key[SIGNATURE_KEY], signature[SIGNATURE_SIZE];
    char hex[SEAL_KEY_HEX + 1], sealed[SEAL_HEX + 1], text[100];
    if (!signature_public(path, key))
        return BIL_E_FILE_OPEN;
    to_hex(key, sizeof key, hex);
    key_search s = find_key(x, NULL, hex);
    if (!s.found || s.disputed)
        return BIL_E_SIGNATURE;
    size_t length = message(copy->digest, text);
    if (!signature_sign(path, text, length, signature))
        return BIL_E_FILE_OPEN;
    to_hex(signature, sizeof signature, sealed);
    snprintf(name, SITE_NAME, "%s", s.found_name);
    return note_add(x->site, copy->device, "signature", who,
                    json_pack("{s:s,s:s,s:s}", "about", copy->digest, "key", s.found_name, "signature", sealed), NULL);
}

typedef struct check {
    site_index *x;
    const char *digest, *name;
    seal_state state;
} check;

static bool look_at_signature(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    check *c = ctx;
    uint8_t key[SIGNATURE_KEY], signature[SIGNATURE_SIZE];
    char text[100];
    const char *by = json_string_value(json_object_get(note, "key"));
    if (!by || (c->name[0] && strcmp(by, c->name) != 0))
        return true;
    key_search s = find_key(c->x, by, NULL);
    size_t length = message(c->digest, text);
    bool good = s.found && !s.disputed && from_hex(s.found_hex, key, sizeof key) &&
                from_hex(json_string_value(json_object_get(note, "signature")), signature, sizeof signature) &&
                signature_fits(key, text, length, signature);
    if (good)
        c->state = SEAL_GOOD;
    else if (c->state == SEAL_NONE)
        c->state = SEAL_BAD;
    return !good;
}

seal_state seal_check(site_index *x, const char *device, const char *digest, const char *name)
{
    check c = {x, digest, name, SEAL_NONE};
    index_notes(x, device, "signature", digest, look_at_signature, &c);
    return c.state;
}
