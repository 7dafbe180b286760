/* Inside the library: what the words of the tool (src/show) see of a handle. */
#ifndef BIL_HOST_LIBRARY_SEEN_H
#define BIL_HOST_LIBRARY_SEEN_H

#include "bilancia/look.h"
#include "bilancia/write.h"
#include "host/look/finding.h"
#include "host/write/write.h"

/* The sides of a look and what is found; whoever goes on with it takes the place of bil_look_next. */
findings *lib_look_findings(bil_look *look);

/* A write in progress. */
const write_call *lib_writing_call(const bil_writing *writing);

#endif
