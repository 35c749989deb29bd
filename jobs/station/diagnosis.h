/* Diagnosis of a link by what was heard. */
#pragma once

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph-host/finding.h"

/* The last line of the bytes heard, printable characters only. Free with g_free. */
char *diagnosis_last_line(const uint8_t *bytes, size_t n);

/* True if a line of boot text reports that the strap is held. */
bool diagnosis_says_loading(const char *text);

/* Like wry_evidence_take, for a board that answered before: printable is the value of
 * counts.bytes_printable at that time. */
void diagnosis_take_of_loss(struct wry_evidence *evidence, const struct wry_session *session,
                            uint32_t printable);
