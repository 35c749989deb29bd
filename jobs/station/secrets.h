/*
 * Secret settings of a job, and how they are kept out of logs, messages, JSON and the ledger.
 *
 * All bytes from a board pass secrets_put before they are filtered or split into lines; sentences
 * pass secrets_apply. Nothing from the board leaves a job another way.
 *
 * A secret is found even if the board broke it into lines. Of several that begin at one place the
 * longest is masked. The mask uses a character that no secret has, so that the text next to a mask
 * never completes a secret.
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

struct settings;

/* Adds a secret. *secrets: char *, longest first; NULL if there are none, free with
 * g_ptr_array_unref. */
void secrets_add(GPtrArray **secrets, const char *text);
/* Adds the secret values of settings, which may be NULL. */
void secrets_learn(GPtrArray **secrets, const struct settings *settings);

/*
 * Appends bytes to `to` with each secret masked. held keeps what may be the beginning of a secret
 * until the next call; ends: nothing follows, so everything is appended. secrets may be NULL.
 */
void secrets_put(const GPtrArray *secrets, GString *held, const void *bytes, size_t n, bool ends,
                 GString *to);

/* A masked copy of text; free with g_free. */
char *secrets_apply(const GPtrArray *secrets, const char *text);

/* A masked copy of bytes; is_cut: earlier bytes are missing, so they may begin with the end of a
 * secret. */
GString *secrets_apply_to_bytes(const GPtrArray *secrets, const void *bytes, size_t n, bool is_cut);
