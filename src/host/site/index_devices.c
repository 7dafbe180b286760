/* Questions about devices. */
#include <stdlib.h>
#include <string.h>

#include "host/base/arena.h"
#include "host/base/json.h"
#include "host/base/nearest.h"
#include "host/run/address.h"
#include "host/site/index_inside.h"
#include "port/memory.h"

static void take_device(site_index *x, db_answer *s, device_row *row)
{
    *row = (device_row){.disputed = (int)db_number(s, 3) != 0,
                        .baseline_disputed = (int)db_number(s, 5) != 0,
                        .copies = (int)db_number(s, 6)};
    index_take(row->folder, sizeof row->folder, s, 0);
    index_take(row->name, sizeof row->name, s, 1);
    index_take(row->baseline, sizeof row->baseline, s, 4);
    row->card = index_json(s, 2);
    row->state = index_json(s, 8);
    row->retired = json_is_true(json_object_get(row->card, "retired"));
    if (row->copies > 0)
        index_first_copy(x,
                         db_ask(x->db, "SELECT " COPY_COLUMNS " FROM copies WHERE device = ? AND file = ?", "ss",
                                row->folder, db_text(s, 7)),
                         &row->last);
}

void device_row_free(device_row *row)
{
    json_decref(row->card);
    json_decref(row->state);
    row->card = row->state = NULL;
}

void index_devices(site_index *x, bool (*each)(void *ctx, const device_row *row), void *ctx)
{
    db_answer *s = db_ask(x->db, "SELECT " DEVICE_COLUMNS " FROM devices ORDER BY name, folder", "");
    bool more = true;
    while (more && db_next(x->db, s)) {
        device_row row;
        take_device(x, s, &row);
        more = each(ctx, &row);
        device_row_free(&row);
    }
    db_done(x->db, s);
}

bool index_folder(site_index *x, const char *folder, device_row *row)
{
    db_answer *s = db_ask(x->db, "SELECT " DEVICE_COLUMNS " FROM devices WHERE folder = ?", "s", folder);
    bool found = db_next(x->db, s);
    if (found)
        take_device(x, s, row);
    db_done(x->db, s);
    return found;
}

/* The folders of devices at the same place as this address, the first two. */
static size_t at_address(site_index *x, const char *text, char folders[2][SITE_FOLDER])
{
    char wanted[ADDRESS_TEXT], its[ADDRESS_TEXT];
    size_t count = 0;
    if (!address_is_device(text) || !address_place(text, wanted))
        return 0;
    db_answer *s =
        db_ask(x->db, "SELECT folder, json_extract(nullif(card, ''), '$.address') FROM devices ORDER BY folder", "");
    while (db_next(x->db, s) && count < 2) {
        if (address_place(db_text(s, 1), its) && strcmp(its, wanted) == 0)
            index_take(folders[count++], SITE_FOLDER, s, 0);
    }
    db_done(x->db, s);
    return count;
}

void index_nearest(site_index *x, const char *name, char *out, size_t size)
{
    nearest like = {.best = ""};
    db_answer *s =
        strlen(name) < sizeof like.best
            ? db_ask(x->db, "SELECT name FROM devices UNION SELECT json_extract(card, '$.group') FROM devices", "")
            : NULL;
    while (s && db_next(x->db, s)) {
        char one[SITE_NAME];
        index_take(one, sizeof one, s, 0);
        if (one[0] && strlen(one) < sizeof like.best)
            nearest_offer(&like, name, one);
    }
    if (s)
        db_done(x->db, s);
    snprintf(out, size, "%s", like.best);
}

int index_find(site_index *x, const char *name, device_row *row, char *why, size_t size)
{
    static const char prefix[] = "devices/";
    char folders[2][SITE_FOLDER] = {"", ""};
    size_t count = 0;
    if (strncmp(name, prefix, sizeof prefix - 1) == 0)
        return index_folder(x, name + sizeof prefix - 1, row) ? BIL_OK : BIL_E_NO_DEVICE;
    db_answer *s = db_ask(x->db, "SELECT folder FROM devices WHERE name = ? ORDER BY folder LIMIT 2", "s", name);
    while (db_next(x->db, s))
        index_take(folders[count++], SITE_FOLDER, s, 0);
    db_done(x->db, s);
    if (count == 0 && index_folder(x, name, row))
        return BIL_OK;
    if (count == 0)
        count = at_address(x, name, folders);
    if (count == 2) {
        snprintf(why, size, "the site has two of these, in the folders %s and %s; say devices/%s or devices/%s",
                 folders[0], folders[1], folders[0], folders[1]);
        return BIL_E_DISPUTED;
    }
    why[0] = '\0';
    if (count && index_folder(x, folders[0], row))
        return BIL_OK;
    char like[SITE_NAME];
    index_nearest(x, name, like, sizeof like);
    if (like[0])
        snprintf(why, size, "the site has no such device; did you mean %s?", like);
    return BIL_E_NO_DEVICE;
}

bool index_device(site_index *x, const char *name, device_row *row)
{
    char why[400];
    return index_find(x, name, row, why, sizeof why) == BIL_OK;
}

bool index_each_at(site_index *x, const char *at, const char *model, const char *serial,
                   bool (*each)(void *ctx, const device_row *row), void *ctx)
{
    char wanted[ADDRESS_TEXT] = "", its[ADDRESS_TEXT];
    bool more = true;
    if (!address_place(at, wanted))
        wanted[0] = '\0';
    /* who it is: by the last copy of each device; an old one may be of a unit that went elsewhere */
    db_answer *s = db_ask(
        x->db,
        "SELECT folder, coalesce(json_extract(nullif(card, ''), '$.address'), ''), EXISTS(SELECT 1 FROM copies c "
        "WHERE c.device = folder AND c.file = last AND c.serial = ?1 AND c.model = ?2 AND ?1 != '') FROM devices "
        "ORDER BY folder",
        "ss", serial, model);
    arena memory = {0};
    struct name {
        struct name *next;
        char *folder;
    } *list = NULL;
    while (db_next(x->db, s))
        if ((int)db_number(s, 2) || (address_place(db_text(s, 1), its) && strcmp(its, wanted) == 0)) {
            struct name *one = arena_take(&memory, sizeof *one);
            char *folder = arena_text(&memory, db_text(s, 0), strlen(db_text(s, 0)));
            if (!one || !folder)
                break;
            *one = (struct name){list, folder};
            list = one;
        }
    db_done(x->db, s);
    for (; list && more; list = list->next) {
        device_row *row = mem_new(1, sizeof *row);
        if (row && index_folder(x, list->folder, row)) {
            more = each(ctx, row);
            device_row_free(row);
        }
        mem_free(row);
    }
    arena_free(&memory);
    return more;
}

bool index_unclear(site_index *x, const device_row *row, char *why, size_t size)
{
    why[0] = '\0';
    db_answer *s = db_ask(
        x->db, "SELECT folder FROM devices WHERE folder != ?1 AND key = (SELECT key FROM devices WHERE folder = ?1)",
        "s", row->folder);
    if (db_next(x->db, s))
        snprintf(why, size, "another folder of the site has a device of the same name: devices/%s", db_text(s, 0));
    else if (row->disputed)
        snprintf(why, size, "two places of the site say different things of it");
    db_done(x->db, s);
    s = db_ask(x->db,
               "SELECT kind, file FROM notes WHERE device = ? AND kind IN ('altered', 'unreadable', 'gone') LIMIT 1",
               "s", row->folder);
    if (!why[0] && db_next(x->db, s))
        snprintf(why, size, "a note of it %s: %s",
                 strcmp(db_text(s, 0), "gone") == 0      ? "was there and is gone"
                 : strcmp(db_text(s, 0), "altered") == 0 ? "isn't what its name says"
                                                         : "can't be read",
                 db_text(s, 1));
    db_done(x->db, s);
    s = db_ask(x->db, "SELECT 1 FROM folders WHERE path = ?1 || '/notes' AND unread != 0", "s", row->folder);
    if (!why[0] && db_next(x->db, s))
        snprintf(why, size, "its notes can't be read");
    db_done(x->db, s);
    return why[0] != '\0';
}

void index_strange(site_index *x, const char *folder, bool (*each)(void *ctx, const char *kind, const char *file),
                   void *ctx)
{
    db_answer *s = db_ask(
        x->db,
        "SELECT kind, file FROM notes WHERE device = ?1 AND (kind IN ('altered', 'unreadable', 'gone') OR (kind = "
        "'copy_gone' AND about NOT IN (SELECT about FROM notes WHERE device = ?1 AND kind = 'deleted'))) "
        "UNION ALL SELECT state, iif(?1 = '', 'devices/', 'records/') || file FROM records WHERE device = ?1 AND "
        "state != "
        "'there' "
        "UNION ALL SELECT 'damaged', 'copies/' || file FROM copies WHERE device = ?1 AND digest = '' ORDER BY 2",
        "s", folder);
    bool more = true;
    while (more && db_next(x->db, s))
        more = each(ctx, db_text(s, 0), db_text(s, 1));
    db_done(x->db, s);
}

void index_accept(site_index *x, const char *folder)
{
    db_run(x->db, db_ask(x->db, "DELETE FROM notes WHERE device = ? AND kind IN ('gone', 'copy_gone')", "s", folder));
    db_run(x->db, db_ask(x->db, "DELETE FROM records WHERE device = ? AND state != 'there'", "s", folder));
}

const char *card_text(const device_row *row, const char *key)
{
    const char *text = json_string_value(json_object_get(row->card, key));
    return text ? text : "";
}
