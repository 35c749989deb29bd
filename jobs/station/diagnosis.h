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

/* True if so many bytes outside frames, and readable ones among them, are text of a program. */
bool diagnosis_is_text(uint64_t outside, uint64_t printable);

/* What is wrong, and how that is known. speed: the one it is about, in baud. */
void diagnosis_conclude(struct wry_evidence *evidence, enum wry_finding finding,
                        enum wry_evidence_kind kind, uint32_t speed);

/* Like wry_evidence_take, for a board that answered before. program_heard: its program
 * has printed since. */
void diagnosis_take_of_loss(struct wry_evidence *evidence, const struct wry_session *session,
                            bool program_heard);
