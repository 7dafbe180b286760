/* SHA-256 of much, worked out by a thread beside the one that has the bytes: whoever moves a large file needn't wait
 * for its digest. Of little no thread is begun. */
#ifndef BIL_PORT_DIGEST_BESIDE_H
#define BIL_PORT_DIGEST_BESIDE_H

#include "port/digest.h"

/* As digest_open; free it with digest_beside_close. Its functions are called by one thread at a time. */
bool digest_beside_open(bil_digest *digest);
void digest_beside_close(bil_digest *digest);

#endif
