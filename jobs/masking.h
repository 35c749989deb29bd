/*
 * Secret settings of a job, and how they are kept out of logs, messages, JSON and the ledger.
 *
 * What a board says passes masking_put as raw bytes, before anything is filtered or split into
 * lines; sentences pass masking_apply. Nothing that the board said leaves a job another way.
 *
 * A secret is found across line ends that a board put into it, and the longest of several that
 * begin at one place is taken. The mask is of a character that no secret has, so that what is left
 * beside a mask never makes up a secret.
 */
#ifndef WRY_JOBS_MASKING_H
#define WRY_JOBS_MASKING_H

#include "images.h"
#include "report.h"

/* Takes in the secret values of all settings that are written. */
void masking_learn(struct wry_station *station, const struct wry_held *held);

/* One more; secrets: char *, longest first, as station->secrets. */
void masking_add(GPtrArray **secrets, const char *text);

/*
 * Appends bytes to `to`, each secret as its mask. held keeps what may be the beginning of a secret
 * until the next call; ends: nothing follows, so that all is appended. secrets may be NULL.
 */
void masking_put(const GPtrArray *secrets, GString *held, const void *bytes, size_t n, bool ends,
                 GString *to);

/* All of text; free with g_free. */
char *masking_apply(const struct wry_station *station, const char *text);

/* The last line that the session heard outside frames becomes one without secrets. */
void masking_evidence(const struct wry_station *station, struct wry_evidence *evidence);

#endif
