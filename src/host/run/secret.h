/* Memory of secrets. */
#ifndef BIL_HOST_RUN_SECRET_H
#define BIL_HOST_RUN_SECRET_H

#include <stddef.h>

enum { SECRET_MAX = 65 };

void secret_wipe(char *secret, size_t size);

/* Keeps the memory of a secret out of the swap space, where the system allows that. */
void secret_lock(char *secret, size_t size);

#endif
