/* What a boot ROM's text tells of a link. */
#ifndef WRY_JOBS_DIAGNOSIS_H
#define WRY_JOBS_DIAGNOSIS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph-host/finding.h"

/* The last line in bytes that were heard, without what does not print. Free with g_free. */
char *diagnosis_last_line(const uint8_t *bytes, size_t n);

/* True when a line of boot text says that the strap is held. */
bool diagnosis_says_loading(const char *text);

/* wry_evidence_take for a board that answered at first: printable is what counts.bytes_printable
 * was then. */
void diagnosis_take_of_loss(struct wry_evidence *evidence, const struct wry_session *session,
                            uint32_t printable);

#endif
