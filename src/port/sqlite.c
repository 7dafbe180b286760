#include "port/sqlite.h"

#include <sqlite3.h>
#include <stdarg.h>
#include <stdlib.h>

#include "port/memory.h"

/* A statement made ready once is used again: questions about a thousand devices are asked a thousand times. */
enum { READY = 32 };

struct database {
    sqlite3 *connection;
    struct {
        const char *sql; /* told apart by where it stands */
        sqlite3_stmt *statement;
        bool used;
    } ready[READY];
    bool broken;
};

/* The result, which leaves a mark where it is for want of memory. */
static int seen(int result)
{
    if ((result & 0xff) == SQLITE_NOMEM || result == SQLITE_IOERR_NOMEM)
        mem_short();
    return result;
}

/* Rows aren't changed by a call that memory ran short in: what it knows may lack something. */
static int step_write(database *db, db_answer *s)
{
    if (mem_is_short())
        return SQLITE_NOMEM;
    return s ? seen(sqlite3_step(s)) : seen(sqlite3_errcode(db->connection));
}

database *db_open(const char *path, bool make)
{
    database *db = mem_new(1, sizeof *db);
    int flags = SQLITE_OPEN_READWRITE | (make ? SQLITE_OPEN_CREATE : 0);
    if (!db)
        return NULL;
    if (seen(sqlite3_open_v2(path, &db->connection, flags, NULL)) != SQLITE_OK) {
        db_close(db);
        return NULL;
    }
    sqlite3_busy_timeout(db->connection, 10000);
    db_do(db, "PRAGMA foreign_keys = OFF; PRAGMA temp_store = MEMORY; PRAGMA trusted_schema = OFF");
    return db;
}

void db_close(database *db)
{
    for (size_t i = 0; db && i < READY; i++)
        sqlite3_finalize(db->ready[i].statement);
    if (db)
        sqlite3_close(db->connection);
    mem_free(db);
}

bool db_is_broken(const database *db)
{
    return db->broken;
}

const char *db_trouble(const database *db)
{
    return sqlite3_errmsg(db->connection);
}

bool db_do(database *db, const char *commands)
{
    return seen(sqlite3_exec(db->connection, commands, NULL, NULL, NULL)) == SQLITE_OK;
}

static sqlite3_stmt *make_ready(database *db, const char *sql)
{
    sqlite3_stmt *s = NULL;
    size_t slot = READY;
    for (size_t i = 0; i < READY; i++) {
        if (db->ready[i].statement && db->ready[i].sql == sql && !db->ready[i].used) {
            db->ready[i].used = true;
            return db->ready[i].statement;
        }
        if (!db->ready[i].statement && slot == READY)
            slot = i;
    }
    if (seen(sqlite3_prepare_v2(db->connection, sql, -1, &s, NULL)) != SQLITE_OK)
        return NULL;
    if (slot < READY) {
        db->ready[slot].sql = sql;
        db->ready[slot].statement = s;
        db->ready[slot].used = true;
    }
    return s;
}

db_answer *db_ask(database *db, const char *sql, const char *kinds, ...)
{
    sqlite3_stmt *s = make_ready(db, sql);
    va_list list;
    va_start(list, kinds);
    for (int i = 1; s && *kinds; kinds++, i++) {
        if (*kinds == 's')
            db_put_text(s, i, va_arg(list, const char *));
        else
            db_put_number(s, i, va_arg(list, long long));
    }
    va_end(list);
    return s;
}

bool db_next(database *db, db_answer *s)
{
    int result = s ? seen(sqlite3_step(s)) : SQLITE_ERROR;
    db->broken = db->broken || (result != SQLITE_ROW && result != SQLITE_DONE);
    return result == SQLITE_ROW;
}

void db_done(database *db, db_answer *s)
{
    for (size_t i = 0; s && i < READY; i++)
        if (db->ready[i].statement == s) {
            sqlite3_reset(s);
            sqlite3_clear_bindings(s);
            db->ready[i].used = false;
            return;
        }
    sqlite3_finalize(s);
}

bool db_run(database *db, db_answer *s)
{
    int result = step_write(db, s);
    db_done(db, s);
    bool good = result == SQLITE_DONE || result == SQLITE_ROW;
    db->broken = db->broken || (!good && result != SQLITE_READONLY);
    return good;
}

const char *db_text(db_answer *s, int column)
{
    const char *text = (const char *)sqlite3_column_text(s, column);
    if (!text)
        seen(sqlite3_errcode(sqlite3_db_handle(s)));
    return text ? text : "";
}

long long db_number(db_answer *s, int column)
{
    return sqlite3_column_int64(s, column);
}

void db_put_text(db_answer *s, int at, const char *text)
{
    seen(sqlite3_bind_text(s, at, text, -1, SQLITE_TRANSIENT));
}

void db_put_number(db_answer *s, int at, long long number)
{
    sqlite3_bind_int64(s, at, number);
}

bool db_again(database *db, db_answer *s)
{
    bool good = step_write(db, s) == SQLITE_DONE;
    sqlite3_reset(s);
    db->broken = db->broken || !good;
    return good;
}

void db_reset(db_answer *s)
{
    sqlite3_reset(s);
}
