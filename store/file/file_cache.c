/* A cache of file digests, and of facts about content. */
#include "store/file/file_cache.h"

#include <glib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum {
    PIECE = 65536,
    ENTRIES_MOST = 4096, /* in each table; a full one is emptied */
    SETTLED = 2,         /* s without a change before a file's times identify its content */
};

static GMutex lock;
static GHashTable *digests; /* identity() to GBytes */
static GHashTable *facts;   /* a set of fact_key() */

/* NULL while its times do not identify the content. */
static char *identity(int file)
{
    struct stat info;

    if (fstat(file, &info) != 0)
        return NULL;
    int64_t now = g_get_real_time() / G_USEC_PER_SEC;
    if (info.st_mtim.tv_sec + SETTLED > now || info.st_ctim.tv_sec + SETTLED > now)
        return NULL;
    return g_strdup_printf("%ju:%ju:%jd:%jd.%ld:%jd.%ld", (uintmax_t)info.st_dev,
                           (uintmax_t)info.st_ino, (intmax_t)info.st_size,
                           (intmax_t)info.st_mtim.tv_sec, info.st_mtim.tv_nsec,
                           (intmax_t)info.st_ctim.tv_sec, info.st_ctim.tv_nsec);
}

static bool find(const char *key, uint8_t sha256[WRY_SHA256_SIZE])
{
    g_mutex_lock(&lock);
    GBytes *known = digests ? g_hash_table_lookup(digests, key) : NULL;
    if (known)
        memcpy(sha256, g_bytes_get_data(known, NULL), WRY_SHA256_SIZE);
    g_mutex_unlock(&lock);
    return known != NULL;
}

static void keep(char *key, const uint8_t sha256[WRY_SHA256_SIZE])
{
    g_mutex_lock(&lock);
    if (!digests)
        digests =
            g_hash_table_new_full(g_str_hash, g_str_equal, g_free, (GDestroyNotify)g_bytes_unref);
    if (g_hash_table_size(digests) >= ENTRIES_MOST)
        g_hash_table_remove_all(digests);
    g_hash_table_insert(digests, key, g_bytes_new(sha256, WRY_SHA256_SIZE));
    g_mutex_unlock(&lock);
}

static bool digest(int file, uint8_t sha256[WRY_SHA256_SIZE])
{
    g_autofree uint8_t *piece = g_malloc(PIECE);
    struct wry_sha256 sha;
    ssize_t n = 1;

    wry_sha256_begin(&sha);
    for (off_t at = 0; n > 0; at += n) {
        n = pread(file, piece, PIECE, at);
        if (n > 0)
            wry_sha256_add(&sha, piece, (size_t)n);
    }
    wry_sha256_end(&sha, sha256);
    return n >= 0;
}

bool file_cache_digest(int file, uint8_t sha256[WRY_SHA256_SIZE])
{
    char *before = identity(file);

    if (before && find(before, sha256)) {
        g_free(before);
        return true;
    }
    bool read = digest(file, sha256);
    g_autofree char *after = identity(file);
    /* If the file changed meanwhile, the digest is of neither version. */
    if (read && before && after && strcmp(before, after) == 0)
        keep(g_steal_pointer(&before), sha256);
    g_free(before);
    return read;
}

/* All members as bytes, each string with its NUL: no two facts have the same. */
static GBytes *fact_key(const struct file_fact *fact)
{
    uint8_t kind = (uint8_t)fact->kind;
    const char *path = fact->path ? fact->path : "";
    const char *folder = fact->folder ? fact->folder : "";
    GByteArray *key = g_byte_array_new();

    g_byte_array_append(key, &kind, sizeof kind);
    g_byte_array_append(key, fact->sha256, sizeof fact->sha256);
    g_byte_array_append(key, (const uint8_t *)&fact->number, sizeof fact->number);
    g_byte_array_append(key, (const uint8_t *)path, (guint)strlen(path) + 1);
    g_byte_array_append(key, (const uint8_t *)folder, (guint)strlen(folder) + 1);
    return g_byte_array_free_to_bytes(key);
}

bool file_cache_knows(const struct file_fact *fact)
{
    g_autoptr(GBytes) key = fact_key(fact);

    g_mutex_lock(&lock);
    bool known = facts && g_hash_table_contains(facts, key);
    g_mutex_unlock(&lock);
    return known;
}

void file_cache_learn(const struct file_fact *fact)
{
    GBytes *key = fact_key(fact);

    g_mutex_lock(&lock);
    if (!facts)
        facts =
            g_hash_table_new_full(g_bytes_hash, g_bytes_equal, (GDestroyNotify)g_bytes_unref, NULL);
    if (g_hash_table_size(facts) >= ENTRIES_MOST)
        g_hash_table_remove_all(facts);
    g_hash_table_add(facts, key);
    g_mutex_unlock(&lock);
}
