/*
 * Signatures of kits: Ed25519 (RFC 8032), by libsodium. Keys are small text files of one line.
 *
 *     char *public_key = NULL;
 *     signing_make("harbour", &public_key, &error);     writes harbour.secret and harbour.public
 *     signing_sign("harbour.secret", bytes, n, &signature, &error);
 *
 *     bool trusted = false;
 *     if (signing_fits(&signature, bytes, n) &&
 *         signing_is_trusted("harbour.public", signature.key, &trusted, &error) && trusted)
 *         run_kit();
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#define SIGNING_KEY_SIZE 32u
#define SIGNING_SIZE 64u

struct signature {
    uint8_t key[SIGNING_KEY_SIZE]; /* the signer's public key */
    uint8_t bytes[SIGNING_SIZE];
};

/*
 * Makes a key pair in two new files, NAME.secret and NAME.public, both of mode 0600. *public_key is
 * the text of the public file; free with g_free. FALSE if either file exists or cannot be written.
 */
gboolean signing_make(const char *name, char **public_key, GError **error);

/* Signs n bytes with the key in secret_file. */
gboolean signing_sign(const char *secret_file, const void *bytes, size_t n,
                      struct signature *signature, GError **error);
/* True if the signature is that of its key over these bytes. The key may be anybody's: ask
 * signing_is_trusted, too. */
bool signing_fits(const struct signature *signature, const void *bytes, size_t n);

/*
 * trust is a file of public keys, one on each line, or a folder of such files named *.public.
 * *trusted is true if key is among them. Fails closed: FALSE if any of it cannot be read or is no
 * key, or if the folder holds anything else (names that begin with a dot are skipped).
 */
gboolean signing_is_trusted(const char *trust, const uint8_t key[SIGNING_KEY_SIZE], bool *trusted,
                            GError **error);

/* The folder of keys that this computer trusts; see wry_card_trusted_folder. */
gboolean signing_trusted_folder(char **folder, GError **error);

/* Lower-case hexadecimal; free with g_free. */
char *signing_hex(const uint8_t *bytes, size_t n);
/* False unless text is exactly 2 * n hexadecimal digits. */
bool signing_parse_hex(const char *text, uint8_t *bytes, size_t n);
