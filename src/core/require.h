/* What the manual demands of a caller, such as a pointer that isn't NULL. Debug builds (BIL_DEBUG) stop with the place;
 * others trust the caller, so that the code stays small. */
#ifndef BIL_CORE_REQUIRE_H
#define BIL_CORE_REQUIRE_H

#ifdef BIL_DEBUG
#include <assert.h>
#define require(condition) assert(condition)
#else
#define require(condition) ((void)0)
#endif

#endif
