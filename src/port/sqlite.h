/* A database in one file (SQLite): questions, rows, changes. */
#ifndef BIL_PORT_SQLITE_H
#define BIL_PORT_SQLITE_H

#include <stdbool.h>

typedef struct database database;
typedef struct sqlite3_stmt db_answer;

/* NULL where it can't be opened; `make`: where there is none, one is made. ":memory:" lives as long as the handle. */
database *db_open(const char *path, bool make);
/* Takes NULL. */
void db_close(database *db);

/* Some question went wrong: what was answered since may be less than there is. */
bool db_is_broken(const database *db);
/* What went wrong last, in the words of the library; good until the next call. */
const char *db_trouble(const database *db);

/* Carries out commands that give no rows, and have nothing put into them. */
bool db_do(database *db, const char *commands);

/* A question, with texts and numbers put into it: `kinds` has a letter for each, 's' or 'i' (long long). `sql` is told
 * apart by where it stands, and made ready once. NULL on an error, which the functions below take. Give it back with
 * db_done, or use it up with db_run. */
db_answer *db_ask(database *db, const char *sql, const char *kinds, ...);
/* The next row? */
bool db_next(database *db, db_answer *answer);
void db_done(database *db, db_answer *answer);
/* For a change: carries it out and gives it back. */
bool db_run(database *db, db_answer *answer);

/* Of the present row, columns from 0; a text is good until the next row, and "" where there is none. */
const char *db_text(db_answer *answer, int column);
long long db_number(db_answer *answer, int column);

/* For a change that is carried out many times: puts something in, from 1; carries it out; makes it ready again. */
void db_put_text(db_answer *answer, int at, const char *text);
void db_put_number(db_answer *answer, int at, long long number);
bool db_again(database *db, db_answer *answer);
void db_reset(db_answer *answer);

#endif
