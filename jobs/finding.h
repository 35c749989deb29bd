/* What a boot ROM's text tells of a link. */
#ifndef WRY_JOBS_FINDING_H
#define WRY_JOBS_FINDING_H

#include <stdbool.h>

#include "wrytograph-host/finding.h"

/* True when a line of boot text says that the strap is held. */
bool finding_says_loading(const char *text);

#endif
