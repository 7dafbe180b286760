/* bilancia/bilancia.h - all headers of the portable part, and its version.
 *
 * Thread rules: bil_version is pure. */
#ifndef BILANCIA_BILANCIA_H
#define BILANCIA_BILANCIA_H

#include "bilancia/cells.h"
#include "bilancia/compare.h"
#include "bilancia/description.h"
#include "bilancia/digest.h"
#include "bilancia/error.h"
#include "bilancia/image.h"
#include "bilancia/job.h"
#include "bilancia/link.h"
#include "bilancia/plan.h"
#include "bilancia/rule.h"
#include "bilancia/run.h"
#include "bilancia/set.h"
#include "bilancia/value.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Of the headers: semantic versioning 2.0.0. Before 1.0 the smaller part may break what was there. */
#define BIL_VERSION_MAJOR 0
#define BIL_VERSION_MINOR 1
#define BIL_VERSION_PATCH 0
#define BIL_VERSION (BIL_VERSION_MAJOR * 10000 + BIL_VERSION_MINOR * 100 + BIL_VERSION_PATCH)

/* Of the library that is linked: BIL_VERSION as it was built. */
unsigned bil_version(void);

#ifdef __cplusplus
}
#endif

#endif
