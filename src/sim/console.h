/* A simulated unit that is asked in words: a session of it, byte by byte. */
#ifndef BIL_SIM_CONSOLE_H
#define BIL_SIM_CONSOLE_H

#include "unit.h"

enum { SIM_TYPED = 240, SIM_SAID = 20000, SIM_PIECES = 1000 };

typedef struct sim_session {
    sim_unit *unit;
    bool line;       /* it is at a line that is always there: no session of its own ends */
    bool over;       /* the connection is gone */
    uint32_t starts; /* of the unit, when the session began */
    bool greeted;
    uint8_t lets; /* what it waits for before it lets anybody in: a user, then a password; 0: in */
    bool known;   /* that user is one */
    char typed[SIM_TYPED];
    size_t typed_count;
    bool too_long;
    uint64_t heard_at;
    char said[SIM_SAID]; /* what it says, from `said_from` on heard by nobody yet */
    size_t said_from, said_to;
    uint64_t said_at;           /* not before this moment */
    size_t page_from;           /* what stands from here on waits for a key; 0: nothing does */
    bool asked;                 /* for that key */
    bool mute;                  /* this answer never comes */
    uint8_t pieces[SIM_PIECES]; /* of a file that is being put there */
    size_t piece_count;
} sim_session;

/* How a model speaks. */
typedef struct sim_dialogue {
    const char *prompt;
    const char *user, *code; /* of a login, and the entry of its password */
    unsigned wrong_most;     /* wrong passwords until nobody is let in any more */
    uint32_t closed_ms;      /* and for how long */
    bool echo;
    uint32_t idle_ms;                       /* the session ends when nothing was typed for so long; 0: never */
    unsigned (*page)(const sim_unit *unit); /* lines; 0: answers come whole */
    void (*obey)(sim_session *session, char *line);
    /* the unit is left to itself */
    void (*left)(sim_unit *unit);
} sim_dialogue;

/* Somebody connects. False: the unit has a session already and says so, then it hangs up. */
bool sim_session_open(sim_session *session, sim_unit *unit, uint64_t now, bool line);
void sim_session_close(sim_session *session);
/* Bytes to it, and from it: up to `room` of those that are there by now. */
void sim_session_hear(sim_session *session, uint64_t now, const char *bytes, size_t count);
size_t sim_session_says(sim_session *session, uint64_t now, char *bytes, size_t room);
/* Has it hung up, with nothing more to say? */
bool sim_session_over(const sim_session *session);

/* For a model: says this; and what a request of the protocol came to, where that wasn't SIM_OK: then true. */
void sim_say(sim_session *session, const char *format, ...) __attribute__((format(printf, 2, 3)));
bool sim_refused(sim_session *session, sim_reply reply);

#endif
