/*
 * Signatures of kits: Ed25519 (RFC 8032), by libsodium. Keys are small text files of one line.
 *
 *     signing_make("harbour", &error);                  harbour.secret, harbour.public
 *     signing_sign("harbour.secret", bytes, n, &signature, &error);
 *     if (!signing_fits(&signature, bytes, n) || !signing_is_trusted("harbour.public", …))
 */
#ifndef WRY_STORE_SIGNING_H
#define WRY_STORE_SIGNING_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#define SIGNING_KEY_SIZE 32u
#define SIGNING_SIZE 64u

struct signature {
    uint8_t key[SIGNING_KEY_SIZE]; /* the public one of who signed */
    uint8_t bytes[SIGNING_SIZE];
};

/* Two new files, NAME.secret, which only its owner may read, and NAME.public. public: its text;
 * free with g_free. */
gboolean signing_make(const char *name, char **public_key, GError **error);

gboolean signing_sign(const char *secret_file, const void *bytes, size_t n,
                      struct signature *signature, GError **error);
bool signing_fits(const struct signature *signature, const void *bytes, size_t n);

/*
 * trust: a file of public keys, one on each line, or a folder of such files named *.public.
 * *trusted is true if the key is among them. FALSE if any of it cannot be read or is no key, or if
 * a folder holds anything else (names that begin with a dot are passed over).
 */
gboolean signing_is_trusted(const char *trust, const uint8_t key[SIGNING_KEY_SIZE], bool *trusted,
                            GError **error);

/* The folder of keys that this computer trusts; see wry_card_trusted_folder. */
gboolean signing_trusted_folder(char **folder, GError **error);

/* As text, and back. */
char *signing_hex(const uint8_t *bytes, size_t n);
bool signing_parse_hex(const char *text, uint8_t *bytes, size_t n);

#endif
