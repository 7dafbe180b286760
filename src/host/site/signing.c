#include "host/site/signing.h"

#include <string.h>

#include "host/base/decided.h"
#include "host/base/json.h"
#include "port/signature.h"

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

enum { MESSAGE = 400 };

/* What is signed: which copy, for which device, and which signed copy it comes after. */
static size_t message(const char *digest, const char *scope, const char *follows, char out[MESSAGE])
{
    return (size_t)snprintf(out, MESSAGE, "bilancia set 1\n%.64s\nfor %.100s\nafter %.64s\n", digest, scope,
                            follows[0] ? follows : "none");
}

/* ---- keys ---- */

typedef struct key_search {
    const char *name, *hex; /* looked for: one of them */
    char found_name[SITE_NAME], found_hex[SIGNING_KEY_HEX + 1];
    bool found;
    bool disputed; /* two keys of one name, or two names of one key: times can be forged, so neither counts */
    char decided[SIGNING_KEY_HEX + 1];
} key_search;

static bool look_at_key(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    key_search *s = ctx;
    const char *name = json_string_value(json_object_get(note, "name"));
    const char *hex = json_string_value(json_object_get(note, "public"));
    if (!name || !hex || strlen(hex) != SIGNING_KEY_HEX || (s->name ? strcmp(s->name, name) : strcmp(s->hex, hex)) != 0)
        return true;
    if (s->decided[0] && strcmp(hex, s->decided) != 0)
        return true; /* the person at this computer has decided which one it is */
    s->disputed = s->disputed || (s->found && (strcmp(s->found_name, name) != 0 || strcmp(s->found_hex, hex) != 0));
    snprintf(s->found_name, sizeof s->found_name, "%s", name);
    snprintf(s->found_hex, sizeof s->found_hex, "%s", hex);
    s->found = true;
    return true;
}

static key_search find_key(site_index *x, const char *name, const char *hex)
{
    key_search s = {.name = name, .hex = hex};
    if (name)
        decided_find(DECIDED_KEY, x->site->id, name, s.decided, sizeof s.decided);
    index_notes(x, "", "key", NULL, look_at_key, &s);
    return s;
}

static int add_key(site_index *x, const char *name, const char *hex, const char *who)
{
    return note_add(x->site, "", "key", who, jn_pack("{s:s,s:s}", "name", name, "public", hex), NULL);
}

int signing_trust(site_index *x, const char *name, const char *hex, const char *who)
{
    uint8_t key[SIGNATURE_KEY];
    if (!site_name_is_good(name) || !from_hex(hex, key, sizeof key))
        return BIL_E_CALL;
    key_search s = find_key(x, name, NULL);
    if (s.found)
        return !s.disputed && strcmp(s.found_hex, hex) == 0 ? BIL_OK : BIL_E_DISPUTED;
    return find_key(x, NULL, hex).found ? BIL_E_DISPUTED : add_key(x, name, hex, who);
}

int signing_decide(site_index *x, const char *name, const char *hex)
{
    uint8_t key[SIGNATURE_KEY];
    if (!site_name_is_good(name) || !from_hex(hex, key, sizeof key))
        return BIL_E_CALL;
    return decided_add(DECIDED_KEY, x->site->id, name, hex);
}

int signing_make_key(site_index *x, const char *name, const char *path, const char *who)
{
    uint8_t key[SIGNATURE_KEY];
    char hex[SIGNING_KEY_HEX + 1];
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

/* Is this note a good signature, for this device, by the key of this name ("": of any)? */
static bool is_good(site_index *x, const char *device, const json_t *note, const char *name)
{
    uint8_t key[SIGNATURE_KEY], signature[SIGNATURE_SIZE];
    char text[MESSAGE];
    const char *by = json_string_value(json_object_get(note, "key"));
    const char *about = json_string_value(json_object_get(note, "about"));
    const char *scope = json_string_value(json_object_get(note, "for"));
    const char *follows = json_string_value(json_object_get(note, "follows"));
    if (!by || !about || !scope || !follows || strlen(about) != 64 || strlen(follows) > 64 ||
        (name[0] && strcmp(by, name) != 0) || (strcmp(scope, SIGNING_ANY) != 0 && strcmp(scope, device) != 0))
        return false;
    key_search s = find_key(x, by, NULL);
    size_t length = message(about, scope, follows, text);
    return s.found && !s.disputed && from_hex(s.found_hex, key, sizeof key) &&
           from_hex(json_string_value(json_object_get(note, "signature")), signature, sizeof signature) &&
           signature_fits(key, text, length, signature);
}

/* The good signatures of a device, as what each copy comes after. */
typedef struct line {
    site_index *x;
    const char *device, *name;
    json_t *follows; /* {"copy": ["copies before it"...]} */
} line;

static bool add_to_line(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    line *l = ctx;
    if (!is_good(l->x, l->device, note, l->name))
        return true;
    const char *about = json_string_value(json_object_get(note, "about"));
    json_t *before = json_object_get(l->follows, about);
    if (!before) {
        before = jn_array();
        jn_put(l->follows, about, before);
    }
    jn_add_shared(before, json_object_get(note, "follows"));
    return true;
}

static json_t *line_of(site_index *x, const char *device, const char *name)
{
    line l = {x, device, name, jn_object()};
    index_notes(x, device, "signature", NULL, add_to_line, &l);
    return l.follows;
}

/* Does one copy come before the other in that line? A digest can't be told beforehand, so there are no circles; the
 * depth is bounded all the same. */
static bool comes_before(const json_t *follows, const char *copy, const char *later, unsigned depth)
{
    size_t i;
    json_t *before;
    bool found = false;
    json_array_foreach(json_object_get(follows, later), i, before)
    {
        const char *one = json_string_value(before);
        found =
            found || strcmp(one, copy) == 0 || (depth < 1000 && one[0] && comes_before(follows, copy, one, depth + 1));
    }
    return found;
}

/* The signed copy that none other comes after, the newest of them. */
static void head_of(const json_t *follows, char head[65])
{
    const char *one, *other;
    json_t *value;
    head[0] = '\0';
    json_object_foreach((json_t *)(uintptr_t)follows, one, value)
    {
        bool followed = false;
        json_t *its;
        json_object_foreach((json_t *)(uintptr_t)follows, other, its)
        {
            size_t i;
            json_t *before;
            json_array_foreach(its, i, before) followed = followed || strcmp(json_string_value(before), one) == 0;
        }
        if (!followed)
            snprintf(head, 65, "%s", one);
    }
}

int signing_sign(site_index *x, const copy_row *copy, bool for_any, const char *path, const char *who, char *name)
{
    uint8_t key[SIGNATURE_KEY], signature[SIGNATURE_SIZE];
    char hex[SIGNING_KEY_HEX + 1], made[SIGNING_HEX + 1], text[MESSAGE], file[STORAGE_PATH], why[500], digest[65],
        before[65];
    set_origin o = {0};
    bil_set_totals totals;
    copy_path(x->site, copy, file);
    int error = set_file_check(file, &o, &totals, why, sizeof why); /* what is there now, not what was known of it */
    set_digest_hex(totals.digest, digest);
    if (!error && strcmp(digest, copy->digest) != 0)
        error = BIL_E_SET_ALTERED;
    if (error)
        return error;
    if (!signature_public(path, key))
        return BIL_E_NO_KEY;
    to_hex(key, sizeof key, hex);
    key_search s = find_key(x, NULL, hex);
    if (!s.found || s.disputed)
        return BIL_E_SIGNATURE;
    json_t *follows = line_of(x, copy->device, "");
    head_of(follows, before);
    json_decref(follows);
    if (strcmp(before, digest) == 0)
        before[0] = '\0';
    const char *scope = for_any ? SIGNING_ANY : copy->device;
    size_t length = message(digest, scope, before, text);
    if (!signature_sign(path, text, length, signature))
        return BIL_E_NO_KEY;
    to_hex(signature, sizeof signature, made);
    snprintf(name, SITE_NAME, "%s", s.found_name);
    return note_add(x->site, copy->device, "signature", who,
                    jn_pack("{s:s,s:s,s:s,s:s,s:s}", "about", digest, "key", s.found_name, "for", scope, "follows",
                            before, "signature", made),
                    NULL);
}

typedef struct check {
    site_index *x;
    const char *device, *name;
    signing_state state;
} check;

static bool look_at_signature(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    check *c = ctx;
    const char *by = json_string_value(json_object_get(note, "key"));
    if (!by || (c->name[0] && strcmp(by, c->name) != 0))
        return true;
    bool good = is_good(c->x, c->device, note, c->name);
    if (good)
        c->state = SIGNING_GOOD;
    else if (c->state == SIGNING_NONE)
        c->state = SIGNING_BAD;
    return !good;
}

signing_state signing_check(site_index *x, const char *device, const char *digest, const char *name)
{
    check c = {x, device, name, SIGNING_NONE};
    index_notes(x, device, "signature", digest, look_at_signature, &c);
    return c.state;
}

typedef struct sent_later {
    const json_t *follows;
    const char *digest;
    char *when;
} sent_later;

static bool was_sent(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    sent_later *s = ctx;
    const char *about = json_string_value(json_object_get(note, "about"));
    if (about && comes_before(s->follows, s->digest, about, 0))
        snprintf(s->when, SIGNING_WHEN, "%.39s", json_string_value(json_object_get(note, "when")));
    return true;
}

bool signing_had_later(site_index *x, const char *device, const char *digest, char when[SIGNING_WHEN])
{
    json_t *follows = line_of(x, device, "");
    sent_later s = {follows, digest, when};
    when[0] = '\0';
    index_notes(x, device, "sent", NULL, was_sent, &s);
    json_decref(follows);
    return when[0] != '\0';
}
