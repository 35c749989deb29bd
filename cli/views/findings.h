/* What is wrong with a link, in words: causes, and what to check. */
#ifndef WRY_CLI_FINDINGS_H
#define WRY_CLI_FINDINGS_H

#include "wrytograph-host/finding.h"

/* The most likely cause in a sentence. */
const char *findings_cause(enum wry_finding finding);

/* What to check, most likely first; ends with NULL. At most 6. */
const char *const *findings_checks(enum wry_finding finding);

/* What was heard, as evidence; free with g_free. */
char *findings_evidence(const struct wry_evidence *evidence);

#endif
