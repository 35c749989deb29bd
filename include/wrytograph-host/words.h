/*
 * Problems, notes and findings as English text: what went wrong and what to do next, in the
 * sentences that the command prints.
 *
 *     const struct wry_problem *problem = wry_station_problem(station);
 *     g_autofree char *sentence = wry_problem_sentence(problem);
 *     g_autofree char *advice = wry_problem_advice(problem);
 *
 *     fprintf(stderr, "%s\n%s\n", sentence, advice ? advice : "");
 *
 * Texts are UTF-8. They may quote file names and output of a board: before printing them on a
 * terminal, make control characters visible. Options in an advice are those of the command; the
 * members of the option structs in jobs.h have the same names.
 */
#ifndef WRYTOGRAPH_HOST_WORDS_H
#define WRYTOGRAPH_HOST_WORDS_H

#include "wrytograph-host/content.h"
#include "wrytograph-host/event.h"
#include "wrytograph-host/problem.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What went wrong, as one sentence without initial capital and full stop, to follow the name of a
 * program or board. Free with g_free. */
char *wry_problem_sentence(const struct wry_problem *problem);

/* What to do next, as one or several sentences; NULL if there is nothing to add. Free with
 * g_free. */
char *wry_problem_advice(const struct wry_problem *problem);

/* The likely cause of a problem of the link, in one sentence; NULL if nothing was found. */
const char *wry_problem_cause(const struct wry_problem *problem);

/* The text of a note (an event of kind WRY_EVENT_NOTE), in one or several lines; NULL for the three
 * notes that repeat a result or a request (WRY_NOTE_SEEN, WRY_NOTE_LISTENING, WRY_NOTE_SENT). Free
 * with g_free. */
char *wry_note_text(const struct wry_event *event);

/* The most likely cause by this evidence, in one sentence. */
const char *wry_evidence_cause(const struct wry_evidence *evidence);

/* What to check or to do, the most likely first: at most 6 sentences, with the option that helps if
 * one was found. NULL at the end; free with g_strfreev. */
char **wry_evidence_checks(const struct wry_evidence *evidence);

/* The same by the finding alone: the most likely cause, in one sentence. */
const char *wry_finding_cause(enum wry_finding finding);

/* What to check, the most likely first: at most 6 sentences, then NULL. */
const char *const *wry_finding_checks(enum wry_finding finding);

/* What was heard on the link; free with g_free. */
char *wry_evidence_text(const struct wry_evidence *evidence);

/* "Turnstone T2", or a phrase for an unknown chip; chip may be NULL. */
const char *wry_chip_title(const struct wry_chip *chip);

/* "an application", "a start program" or "a program", by the kind in a boot header. */
const char *wry_program_kind_title(uint8_t kind);
/* "firmware of an echo sounder", or "firmware of an unknown module"; kind: enum wry_module_kind. */
const char *wry_module_kind_title(uint8_t kind);

/* What a file is instead of firmware, such as "is a web page, not firmware: the download went
 * wrong"; "" for WRY_CONTENT_ANY. */
const char *wry_content_text(enum wry_content content);

/* What a flash does not allow (enum wry_flash_limit; erase_least in bytes, 0 = not known), such as
 * "it erases no less than 256 KiB at a time"; NULL if there is no limit. Free with g_free. */
char *wry_flash_limit_text(uint8_t limit, uint64_t erase_least);

#ifdef __cplusplus
}
#endif

#endif
