#include "host/site/fleet.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/json.h"
#include "host/copy/keep.h"
#include "host/run/lines.h"
#include "host/site/asked.h"
#include "host/site/standing.h"
#include "port/memory.h"

static const char *const names[] = {"saved", "same", "unchanged", "partly", "failed"};

const char *fleet_end_name(fleet_end end)
{
    return names[end];
}

/* ---- one device ---- */

/* What the last copy says of one parameter; false when it says nothing. */
static bool last_value(const fleet_task *task, const char *id, uint8_t *raw, size_t size)
{
    set_file *set = mem_new(1, sizeof *set);
    bool found = false;
    bil_item item;
    if (set && set_file_open(set, task->last_path, SET_QUICKLY) == BIL_OK) {
        bil_source source = set_file_source(set);
        while (!found && source.next(source.ctx, &item) == 1)
            if (item.id.length == strlen(id) && memcmp(item.id.text, id, item.id.length) == 0) {
                found = !item.unreadable && item.size == size;
                memcpy(raw, item.raw, item.size < size ? item.size : size);
                break;
            }
        set_file_close(set);
    }
    mem_free(set);
    return found;
}

/* Does the device's own counter stand where it stood at the last copy, in the same unit? */
static bool unchanged(const fleet_task *task, device *dev)
{
    uint16_t counter = dev->description->changes;
    char serial[BIL_VALUE_TEXT];
    uint8_t raw[BIL_TEXT_MAX];
    bil_image_identity(&dev->image, BIL_ID_SERIAL, serial, sizeof serial);
    if (counter == BIL_NONE || !task->last_path[0] || strcmp(serial, task->last_serial) != 0)
        return false;
    const bil_param *param = &dev->description->params[counter];
    return last_value(task, param->id, raw, param->format->size) && device_look(dev, counter) == BIL_OK &&
           memcmp(raw, bil_image_raw(&dev->image, counter), param->format->size) == 0;
}

static int read_all(const secret_source *from, fleet_task *task, device *dev)
{
    bil_job_progress p;
    int error = device_read_all(dev, (read_watch){.secrets = *from}, &p, NULL);
    task->requests = p.read_requests + p.identity_requests + p.other_requests;
    return error;
}

/* What of a read may be the proof of an earlier write. */
static void look(fleet_task *task, const bil_image *image, const bil_set_totals *totals)
{
    uint16_t starts = image->description->starts;
    task->has_starts = starts != BIL_NONE && image->state[starts] == BIL_PRESENT;
    if (task->has_starts)
        task->starts =
            (uint32_t)bil_value_number(bil_image_raw(image, starts), image->description->params[starts].format->size);
    task->values_now[0] = '\0';
    if (totals->unreadable == 0)
        set_digest_hex(totals->values_digest, task->values_now);
}

static int save(const fleet_orders *orders, fleet_task *task, device *dev)
{
    char folder[STORAGE_PATH], stem[200], name[300];
    keep k = {.in_site = true};
    set_origin *o = task->origin = mem_new(1, sizeof *o);
    if (!o)
        return BIL_E_MEMORY;
    keep_origin(o, &dev->image, orders->who, orders->why, task->address, task->last_digest);
    set_file_stem(o, stem, sizeof stem);
    int error = site_path_made(orders->site, task->folder, "copies", folder);
    k.copies = folder;
    k.highest = task->highest;
    keep_name(&k, stem, "", ".bset", name, sizeof name);
    bil_set_totals totals;
    /* a copy of another unit is always a new one */
    bool same_unit = strcmp(o->serial, task->last_serial) == 0;
    if (!error)
        error = set_file_save_changed(&dev->image, &dev->files, o, folder, name,
                                      task->only_changed && same_unit ? task->last_values : "", task->path, &totals);
    if (error) {
        snprintf(task->why, sizeof task->why, "%.200s: %s", folder, bil_host_error_text(error));
        return error;
    }
    look(task, &dev->image, &totals);
    task->values = totals.values;
    task->unreadable = totals.unreadable;
    task->end = !task->path[0] ? FLEET_SAME : totals.unreadable ? FLEET_PARTLY : FLEET_SAVED;
    return BIL_OK;
}

static void read_one(const fleet_orders *orders, const secret_source *from, fleet_task *task)
{
    device dev;
    char why[300];
    task->end = FLEET_FAILED;
    task->error =
        device_open_as(&dev, task->address, task->model[0] ? task->model : NULL, orders->models, from, why, sizeof why);
    if (task->error) {
        snprintf(task->why, sizeof task->why, "%s", why);
        task->connect_errno = dev.connect_errno;
        return;
    }
    task->opened = true;
    if (task->only_changed && unchanged(task, &dev)) {
        task->end = FLEET_UNCHANGED;
    } else {
        task->error = read_all(from, task, &dev);
        if (task->error)
            snprintf(task->why, sizeof task->why, "%s", bil_host_error_text(task->error));
        else
            task->error = save(orders, task, &dev);
    }
    if (!task->error)
        task->unstored = device_says_unstored(&dev);
    if (!task->error && task->said_held)
        task->let_go = device_says_let_go(&dev);
    device_close(&dev);
}

/* ---- all of them ---- */

typedef struct trip {
    const fleet_orders *orders;
    fleet_task *tasks;
    size_t count, finished;
    shared_secrets secrets; /* nobody sits there */
} trip;

static const char *line_of(void *ctx, size_t i)
{
    return ((trip *)ctx)->tasks[i].line;
}

static void work(void *ctx, size_t i, size_t before)
{
    trip *t = ctx;
    fleet_task *task = &t->tasks[i];
    (void)before;
    if (t->orders->stop && *t->orders->stop) {
        task->end = FLEET_FAILED;
        task->error = BIL_E_DECLINED;
        snprintf(task->why, sizeof task->why, "the read was ended before its turn");
    } else {
        const secret_source from = secrets_shared(&t->secrets);
        read_one(t->orders, &from, task);
    }
}

static void done(void *ctx, size_t i)
{
    trip *t = ctx;
    t->finished++;
    if (t->orders->done)
        t->orders->done(t->orders->ctx, &t->tasks[i], t->finished, t->count);
}

void fleet_read(const fleet_orders *orders, fleet_task *tasks, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        address where;
        char why[200];
        if (address_parse(tasks[i].address, &where, why, sizeof why) == BIL_OK)
            address_line(&where, tasks[i].line);
    }
    trip t = {.orders = orders, .tasks = tasks, .count = count};
    secrets_share(&t.secrets, &orders->secrets);
    lines_run(&(lines_work){count, orders->at_once, line_of, work, done, &t});
    secrets_unshare(&t.secrets);
}

int fleet_note(const site *place, const device_row *owner, const fleet_task *t, const char *why, const char *who)
{
    bool answers = t->end != FLEET_FAILED;
    if (t->error != BIL_E_DECLINED)
        asked_now(place, owner->folder);
    const json_t *before = owner->state;
    bool answered = !before || json_is_true(json_object_get(before, "answers"));
    bool was_unstored = json_is_true(json_object_get(before, "unstored"));
    if (t->error == BIL_E_DECLINED || (answers == answered && (!answers || t->unstored == was_unstored)))
        return BIL_OK;
    json_t *body =
        jn_pack("{s:b,s:b}", "answers", (int)answers, "unstored", (int)(answers ? t->unstored : was_unstored));
    if (!answers)
        jn_put(body, "why", jn_string(why));
    return note_add(place, owner->folder, "state", who, body, NULL);
}

int fleet_seen(site_index *index, const device_row *owner, const fleet_task *t, const char *who)
{
    standing_sight sight = {t->values_now, t->has_starts ? &t->starts : NULL, t->let_go};
    return standing_seen(index, owner, &sight, who);
}

int fleet_saved(site_index *index, const device_row *owner, const bil_image *image, const bil_set_totals *totals,
                bool unstored, bool let_go, const char *who)
{
    fleet_task *seen = mem_new(1, sizeof *seen);
    if (!seen)
        return BIL_E_MEMORY;
    seen->end = FLEET_SAVED;
    seen->unstored = unstored;
    seen->let_go = let_go;
    look(seen, image, totals);
    int error = fleet_note(index->site, owner, seen, "", who);
    if (!error)
        error = fleet_seen(index, owner, seen, who);
    mem_free(seen);
    return error;
}

void fleet_task_free(fleet_task *task)
{
    mem_free(task->origin);
    task->origin = NULL;
}
