/* Signatures, by libsodium. */
#include "store/card/signing.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <sodium.h>
#include <string.h>
#include <sys/stat.h>

#include "base/folder_names.h"
#include "base/folders.h"
#include "store/file/error.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/text_file.h"

#define PUBLIC "wrytograph public key 1: "
#define SECRET "wrytograph secret key 1: "

G_STATIC_ASSERT(SIGNING_KEY_SIZE == crypto_sign_PUBLICKEYBYTES);
G_STATIC_ASSERT(SIGNING_SIZE == crypto_sign_BYTES);

char *signing_hex(const uint8_t *bytes, size_t n)
{
    char *text = g_malloc(n * 2 + 1);

    sodium_bin2hex(text, n * 2 + 1, bytes, n);
    return text;
}

bool signing_parse_hex(const char *text, uint8_t *bytes, size_t n)
{
    size_t found = 0;

    return strlen(text) == n * 2 &&
           sodium_hex2bin(bytes, n, text, n * 2, NULL, &found, NULL) == 0 && found == n;
}

static gboolean fail(GError **error, const char *path, const char *what)
{
    return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: %s", path, what);
}

/* A line of a key file: its kind and the key. */
static char *key_line(const char *what, const uint8_t *bytes, size_t n)
{
    char *hex = signing_hex(bytes, n);
    char *line = g_strconcat(what, hex, "\n", NULL);

    sodium_memzero(hex, strlen(hex));
    g_free(hex);
    return line;
}

gboolean signing_make(const char *name, char **public_key, GError **error)
{
    uint8_t seed[crypto_sign_SEEDBYTES], key[SIGNING_KEY_SIZE], full[crypto_sign_SECRETKEYBYTES];
    g_autofree char *secret_file = g_strconcat(name, ".secret", NULL);
    g_autofree char *public_file = g_strconcat(name, ".public", NULL);

    if (sodium_init() < 0)
        return fail(error, name, "no random numbers available");
    randombytes_buf(seed, sizeof seed);
    crypto_sign_seed_keypair(key, full, seed);
    char *secret = key_line(SECRET, seed, sizeof seed);
    *public_key = key_line(PUBLIC, key, sizeof key);
    gboolean made =
        wry_atomic_file_save(secret_file, secret, strlen(secret), FALSE, error) &&
        wry_atomic_file_save(public_file, *public_key, strlen(*public_key), FALSE, error);
    sodium_memzero(secret, strlen(secret));
    sodium_memzero(seed, sizeof seed);
    sodium_memzero(full, sizeof full);
    g_free(secret);
    if (!made)
        g_clear_pointer(public_key, g_free);
    return made;
}

static char *read_text(const char *path, GError **error)
{
    g_autoptr(GError) inner = NULL;
    size_t n = 0;
    char *text = wry_text_file_read(path, WRY_TEXT_FILE_PLAIN, &n, &inner);

    if (!text)
        store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
    return text;
}

gboolean signing_sign(const char *secret_file, const void *bytes, size_t n,
                      struct signature *signature, GError **error)
{
    uint8_t seed[crypto_sign_SEEDBYTES], full[crypto_sign_SECRETKEYBYTES];
    char *text = read_text(secret_file, error);

    if (!text)
        return FALSE;
    g_strchomp(text);
    bool is_key = sodium_init() >= 0 && g_str_has_prefix(text, SECRET) &&
                  signing_parse_hex(text + strlen(SECRET), seed, sizeof seed);
    bool is_public = g_str_has_prefix(text, PUBLIC);
    sodium_memzero(text, strlen(text));
    g_free(text);
    if (!is_key)
        return fail(error, secret_file,
                    is_public ? "this is the public key of a pair; sign with the secret one, "
                                "NAME.secret"
                              : "this is not a secret key; 'wrytograph card keys NAME' makes one");
    crypto_sign_seed_keypair(signature->key, full, seed);
    crypto_sign_detached(signature->bytes, NULL, bytes, n, full);
    sodium_memzero(seed, sizeof seed);
    sodium_memzero(full, sizeof full);
    return TRUE;
}

bool signing_fits(const struct signature *signature, const void *bytes, size_t n)
{
    return sodium_init() >= 0 &&
           crypto_sign_verify_detached(signature->bytes, bytes, n, signature->key) == 0;
}

/* Every line is a key, empty, or a comment that begins with '#'. */
static gboolean look_in_file(const char *path, const uint8_t *key, bool *trusted, GError **error)
{
    g_autofree char *text = read_text(path, error);
    g_auto(GStrv) lines = text ? g_strsplit(text, "\n", -1) : NULL;
    bool any = false;

    for (char **line = lines; line && *line; line++) {
        uint8_t found[SIGNING_KEY_SIZE];
        g_strstrip(*line);
        if (**line == '\0' || **line == '#')
            continue;
        if (!g_str_has_prefix(*line, PUBLIC) ||
            !signing_parse_hex(*line + strlen(PUBLIC), found, sizeof found))
            return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s:%u: this is not a public key",
                               path, (unsigned)(line - lines) + 1);
        any = true;
        *trusted = *trusted || sodium_memcmp(found, key, sizeof found) == 0;
    }
    return lines && (any || fail(error, path, "it contains no public key"));
}

/* Any other file is an error: a key under a wrong name would silently not count. */
static gboolean look_in_entry(const char *path, const uint8_t *key, bool *trusted, GError **error)
{
    if (!g_str_has_suffix(path, ".public"))
        return fail(error, path, "only files of public keys, named NAME.public, may be here");
    return look_in_file(path, key, trusted, error);
}

gboolean signing_is_trusted(const char *trust, const uint8_t key[SIGNING_KEY_SIZE], bool *trusted,
                            GError **error)
{
    g_autoptr(GError) inner = NULL;

    *trusted = false;
    if (!g_file_test(trust, G_FILE_TEST_IS_DIR))
        return look_in_file(trust, key, trusted, error);
    g_auto(GStrv) names = folder_names(trust, &inner);
    if (!names)
        return store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
    for (char **name = names; *name; name++) {
        g_autofree char *path = g_build_filename(trust, *name, NULL);
        if (*name[0] != '.' && !look_in_entry(path, key, trusted, error))
            return FALSE;
    }
    return TRUE;
}

gboolean signing_trusted_folder(char **folder, GError **error)
{
    g_autofree char *path = folders_user(FOLDER_CONFIG, "trusted");
    GStatBuf info;

    *folder = NULL;
    if (g_lstat(path, &info) != 0)
        return errno == ENOENT || store_file_error(error, path);
    if (g_stat(path, &info) != 0)
        return store_file_error(error, path);
    if (!S_ISDIR(info.st_mode))
        return fail(error, path,
                    "this must be a folder of trusted keys (NAME.public); until it is, no kit is "
                    "trusted");
    *folder = g_steal_pointer(&path);
    return TRUE;
}
