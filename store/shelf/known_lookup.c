/* Known content of a board's flash, sector by sector. */
#include "known_lookup.h"

#include <string.h>

#include "base/digest.h"
#include "store/shelf/known_index.h"
#include "store/shelf/known_source.h"
#include "wrytograph/bytes.h"
#include "wrytograph/flash.h"

enum sector_state {
    UNTOLD,     /* the board has not been asked */
    STRANGE,    /* no file has it, or it has changed since */
    RECOGNISED, /* a file has it */
};

struct sector {
    enum sector_state state;
    int64_t file;
    uint32_t at; /* position in that file */
};

struct known {
    struct known_index *index;
    struct wry_known interface;
    GHashTable *sources; /* by number; NULL for a file that cannot be read */
    struct sector *sectors;
    uint32_t count;
    int64_t best; /* the file in which a sector was recognised last */
};

static void close_source(void *source)
{
    known_source_close(source);
}

/* A file that can no longer be read is not used. */
static struct known_source *source_of(struct known *known, int64_t file, const char *path,
                                      enum known_kind kind)
{
    gpointer found;

    if (g_hash_table_lookup_extended(known->sources, &file, NULL, &found))
        return found;
    struct known_source *source = path ? known_source_open(path, kind) : NULL;
    g_hash_table_insert(known->sources, g_memdup2(&file, sizeof file), source);
    return source;
}

static bool has_digest(const uint8_t *bytes, const uint8_t *digest, size_t n)
{
    uint8_t ours[WRY_SHA256_SIZE];

    digest_of(bytes, WRY_SECTOR_SIZE, ours);
    return memcmp(ours, digest, n) == 0;
}

static uint64_t sum_of(const uint8_t *bytes)
{
    return digest_short_of(bytes, WRY_SECTOR_SIZE);
}

struct lookup {
    struct known *known;
    const uint8_t *digest;
    size_t n;
    const struct sector *before; /* neighbour whose file and distance are preferred; or NULL */
    uint32_t gap;                /* bytes between them */
    struct sector found;
    GArray *gone; /* int64_t: files that do not match the index */
};

/* An entry of the index is accepted if the file confirms it. */
static bool look_at(void *context, const struct known_spot *spot)
{
    struct lookup *lookup = context;
    struct known_source *source = source_of(lookup->known, spot->file, spot->path, spot->kind);
    uint8_t bytes[WRY_SECTOR_SIZE];

    if (!source || !known_source_read(source, spot->at, bytes, sizeof bytes) ||
        !has_digest(bytes, lookup->digest, lookup->n)) {
        g_array_append_val(lookup->gone, spot->file);
        return false;
    }
    bool follows = lookup->before && lookup->before->file == spot->file &&
                   lookup->before->at + lookup->gap == spot->at;
    if (lookup->found.state != RECOGNISED || follows)
        lookup->found = (struct sector){.state = RECOGNISED, .file = spot->file, .at = spot->at};
    return follows;
}

static bool recognise(void *context, uint32_t offset, const uint8_t *digest, size_t n)
{
    struct known *known = context;
    uint32_t sector = offset / WRY_SECTOR_SIZE, before = sector;

    if (sector >= known->count || n < sizeof(uint64_t))
        return false;
    while (before > 0 && known->sectors[before - 1].state == UNTOLD)
        before--;
    struct lookup lookup = {.known = known, .digest = digest, .n = n};
    if (before > 0 && known->sectors[before - 1].state == RECOGNISED)
        lookup.before = &known->sectors[before - 1];
    lookup.gap = (sector + 1 - before) * WRY_SECTOR_SIZE;
    lookup.found.state = STRANGE;
    lookup.gone = g_array_new(FALSE, FALSE, sizeof(int64_t));
    uint64_t sum; /* first 8 bytes of the digest, little-endian, as in the index */
    memcpy(&sum, digest, sizeof sum);
    sum = GUINT64_FROM_LE(sum);
    known_index_find(known->index, sum, look_at, &lookup);
    for (guint i = 0; i < lookup.gone->len; i++)
        known_index_drop(known->index, g_array_index(lookup.gone, int64_t, i));
    g_array_free(lookup.gone, TRUE);
    known->sectors[sector] = lookup.found;
    if (lookup.found.state == RECOGNISED)
        known->best = lookup.found.file;
    return lookup.found.state == RECOGNISED;
}

static bool same_file(const struct sector *a, const struct sector *b, uint32_t sectors)
{
    return a->file == b->file && a->at + sectors * WRY_SECTOR_SIZE == b->at;
}

static bool source_reaches(struct known *known, int64_t file, uint32_t at)
{
    const struct known_source *source = source_of(known, file, NULL, KNOWN_PLAIN);
    uint8_t byte;

    return source && known_source_read(source, at + WRY_SECTOR_SIZE - 1, &byte, 1);
}

/*
 * The recognised or assumed content of a sector. Between two sectors recognised in one file, and
 * after the last one up to the end of the file or the next unknown sector, the file's content is
 * assumed. The same applies before the first one, except for the file's first sector, whose header
 * may have been changed.
 */
static struct sector guess(struct known *known, uint32_t sector)
{
    const struct sector *sectors = known->sectors;
    uint32_t before = sector, behind = sector;

    if (sector >= known->count || sectors[sector].state != UNTOLD)
        return sector < known->count ? sectors[sector] : (struct sector){.state = STRANGE};
    while (before > 0 && sectors[before].state == UNTOLD)
        before--;
    while (behind + 1 < known->count && sectors[behind].state == UNTOLD)
        behind++;
    const struct sector *a = &sectors[before], *b = &sectors[behind];
    uint32_t from_a = sector - before, to_b = behind - sector;
    if (a->state == RECOGNISED) {
        struct sector found = {
            .state = RECOGNISED, .file = a->file, .at = a->at + from_a * WRY_SECTOR_SIZE};
        uint32_t next = a->at + (behind - before) * WRY_SECTOR_SIZE;
        bool goes_on = b->state == RECOGNISED ? same_file(a, b, behind - before)
                                              : !source_reaches(known, a->file, next);
        if (goes_on)
            return found;
    } else if (b->state == RECOGNISED && a->state == STRANGE &&
               b->at == (behind - before) * WRY_SECTOR_SIZE) {
        return (struct sector){
            .state = RECOGNISED, .file = b->file, .at = b->at - to_b * WRY_SECTOR_SIZE};
    }
    return (struct sector){.state = STRANGE};
}

static bool read_known(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct known *known = context;
    struct sector sector = guess(known, offset / WRY_SECTOR_SIZE);

    if (sector.state != RECOGNISED)
        return false;
    const struct known_source *source = source_of(known, sector.file, NULL, KNOWN_PLAIN);
    return source && known_source_read(source, sector.at + offset % WRY_SECTOR_SIZE, to, n);
}

static uint32_t covers(void *context, uint32_t offset, uint32_t length)
{
    struct known *known = context;
    uint32_t n = 0;

    for (uint32_t at = offset; at < offset + length; at += WRY_SECTOR_SIZE) {
        struct sector sector = guess(known, at / WRY_SECTOR_SIZE);
        if (sector.state == RECOGNISED && source_reaches(known, sector.file, sector.at))
            n += WRY_SECTOR_SIZE;
    }
    return n;
}

static void forget(void *context, uint32_t offset, uint32_t length)
{
    struct known *known = context;

    for (uint32_t at = offset / WRY_SECTOR_SIZE;
         at < known->count && at < (offset + length) / WRY_SECTOR_SIZE; at++)
        known->sectors[at].state = STRANGE;
}

struct known *known_open(const char *folder, struct wry_stop stop, GError **error)
{
    struct known_index *index = known_index_open(folder, stop, error);
    struct known *known = index ? g_new0(struct known, 1) : NULL;

    if (!known)
        return NULL;
    known->index = index;
    known->sources = g_hash_table_new_full(g_int64_hash, g_int64_equal, g_free, close_source);
    known->interface = (struct wry_known){.context = known,
                                          .recognise = recognise,
                                          .covers = covers,
                                          .read = read_known,
                                          .forget = forget};
    return known;
}

void known_close(struct known *known)
{
    if (!known)
        return;
    g_hash_table_destroy(known->sources);
    known_index_close(known->index);
    g_free(known->sectors);
    g_free(known);
}

void known_set_flash(struct known *known, uint32_t flash_size)
{
    g_free(known->sectors);
    known->count = flash_size / WRY_SECTOR_SIZE;
    known->sectors = g_new0(struct sector, known->count);
    known->best = 0;
}

const struct wry_known *known_interface(struct known *known)
{
    return &known->interface;
}

const char *known_best_name(const struct known *known)
{
    const struct known_source *source = g_hash_table_lookup(known->sources, &known->best);

    return source ? known_source_name(source) : NULL;
}

/* Blank sectors are detected without the index. */
static void note_sector(GArray *sectors, const uint8_t *bytes, uint32_t at)
{
    struct known_sector sector = {.at = at};

    if (wry_bytes_blank(bytes, WRY_SECTOR_SIZE))
        return;
    sector.sum = sum_of(bytes);
    g_array_append_val(sectors, sector);
}

/* A failure to add is harmless: it is added the next time. */
static void add(struct known *known, const char *path, enum known_kind kind, GArray *sectors)
{
    g_autofree char *whole = g_canonicalize_filename(path, NULL);

    known_index_add(known->index, whole, kind, (const struct known_sector *)(void *)sectors->data,
                    sectors->len);
    g_array_free(sectors, TRUE);
}

void known_note_image(struct known *known, const char *path, uint32_t first, uint64_t length)
{
    struct known_source *source = known_source_open(path, KNOWN_PLAIN);
    GArray *sectors = g_array_new(FALSE, FALSE, sizeof(struct known_sector));
    uint8_t bytes[WRY_SECTOR_SIZE];

    for (uint64_t at = first; source && at + sizeof bytes <= first + length; at += sizeof bytes) {
        if (known_source_read(source, (uint32_t)at, bytes, sizeof bytes))
            note_sector(sectors, bytes, (uint32_t)at);
    }
    add(known, path, KNOWN_PLAIN, sectors);
    known_source_close(source);
}

void known_note_archive(struct known *known, const char *path, const struct archive *archive)
{
    GArray *sectors = g_array_new(FALSE, FALSE, sizeof(struct known_sector));
    uint8_t bytes[WRY_SECTOR_SIZE];

    for (guint i = 0; i < archive->ranges->len; i++) {
        const struct archive_range *range =
            &g_array_index(archive->ranges, struct archive_range, i);
        uint32_t at = (range->offset + WRY_SECTOR_SIZE - 1) / WRY_SECTOR_SIZE * WRY_SECTOR_SIZE;
        for (; at - range->offset + sizeof bytes <= range->length; at += sizeof bytes) {
            if (archive_range_read(range, at - range->offset, bytes, sizeof bytes))
                note_sector(sectors, bytes, at);
        }
    }
    add(known, path, KNOWN_ARCHIVE, sectors);
}
