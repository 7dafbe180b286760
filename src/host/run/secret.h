/* Secrets: what a device is unlocked with. They are in this memory only, and wiped. */
#ifndef BIL_HOST_RUN_SECRET_H
#define BIL_HOST_RUN_SECRET_H

#include <pthread.h>

#include "bilancia/description.h"

enum { SECRET_MAX = 65 };

/* Those of one device, by their slots less one; "" where there is none. */
typedef struct secrets {
    char text[BIL_SECRETS_MAX][SECRET_MAX];
} secrets;

/* Who gives them, ended by a NUL: first, with `may_ask` false, what is at hand, then a person. `which` is the name that
 * the description has for it, `where` the device. False: none. All zero: nobody does. */
typedef struct secret_source {
    bool (*give)(void *ctx, const char *where, uint8_t slot, const char *which, bool may_ask, char *out, size_t size);
    /* May it go to whoever is there and says this of itself, where nothing else proves who that is? `before`: what was
     * said when that was allowed, or "". NULL: nobody can be asked. */
    bool (*trust)(void *ctx, const char *where, const char *says, const char *before);
    void *ctx;
} secret_source;

/* The same for several threads at once: what is at hand, one at a time; nobody is asked. */
typedef struct shared_secrets {
    const secret_source *from;
    pthread_mutex_t one;
} shared_secrets;
void secrets_share(shared_secrets *s, const secret_source *from);
secret_source secrets_shared(shared_secrets *s);
void secrets_unshare(shared_secrets *s);

/* The slots that a unit of this hardware wants before it shows its values: 1 << (slot - 1) for each. */
unsigned secrets_to_read(const bil_description *d, const char *hardware);
/* Has these given. False: one is missing. */
bool secrets_take(secrets *s, const bil_description *d, unsigned slots, const secret_source *from, const char *where);
/* Puts one into a value: false when it is longer than the device takes, or no number where the device has one. */
bool secrets_put(const secrets *s, uint8_t slot, const bil_format *format, uint8_t *raw);

void secret_wipe(void *secret, size_t size);

/* Keeps the memory of a secret out of the swap space, where the system allows that. */
void secret_lock(void *secret, size_t size);

#endif
