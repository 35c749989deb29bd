/* What was found out about files. */
#include "store/file/file_cache.h"

#include <glib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum {
    PIECE = 65536,
    ENTRIES_MOST = 4096, /* then all is forgotten: there is no hurry to find it out again */
    SETTLED = 2,         /* s since the last change: two within a tick of the clock look like one */
};

static GMutex lock;
static GHashTable *digests; /* a file's identity to GBytes */
static GHashTable *facts;   /* a set of texts */

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
    /* Of a file that changed meanwhile it is not known what was read. */
    if (read && before && after && strcmp(before, after) == 0)
        keep(g_steal_pointer(&before), sha256);
    g_free(before);
    return read;
}

bool file_cache_knows(const char *fact)
{
    g_mutex_lock(&lock);
    bool known = facts && g_hash_table_contains(facts, fact);
    g_mutex_unlock(&lock);
    return known;
}

void file_cache_learn(const char *fact)
{
    g_mutex_lock(&lock);
    if (!facts)
        facts = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    if (g_hash_table_size(facts) >= ENTRIES_MOST)
        g_hash_table_remove_all(facts);
    g_hash_table_add(facts, g_strdup(fact));
    g_mutex_unlock(&lock);
}
