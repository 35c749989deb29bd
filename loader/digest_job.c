/*
 * Digest jobs: SHA-256 of a range or short digests of its sectors, one slice at a time. A digest of
 * a range that is being written follows the write: it goes only as far as the content is settled,
 * and completes soon after the last page. The result is kept, so that a repeated request is
 * answered without reading again.
 */
#include "loader_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

enum {
    DIGEST_SLICE = 512,
    BLANK_AT_ONCE = 2048, /* most blank bytes hashed in one step before a page that is not blank */
};

static void restart(struct wry_loader *loader)
{
    struct wry_loader_digest *digest = &loader->digest;

    digest->at = digest->blank_to = digest->start;
    wry_sha256_begin(&digest->sha);
    digest->sector_blank = false;
    memset(digest->blank, 0, sizeof digest->blank);
    memset(digest->result, 0, sizeof digest->result);
    loader_content_watch(loader, digest->start, digest->start);
}

/* Hashed content has changed: restarts the current digest, or invalidates the finished one. */
static void heed_changes(struct wry_loader *loader)
{
    struct wry_loader_digest *digest = &loader->digest;

    if (!loader->content.watch_broken)
        return;
    if (digest->state == WRY_JOB_DONE)
        digest->state = WRY_JOB_NONE;
    restart(loader);
}

/* Bytes of the digests of as many sectors as are in length bytes. */
static size_t sums_size(uint8_t flags, uint32_t length)
{
    uint8_t apart = flags & (uint8_t)~WRY_FLAG_TOGETHER;

    return wry_digest_size(wry_digest_is_together(flags) ? apart : flags, length);
}

static bool sectors_fit(const struct wry_loader *loader, const struct wry_range_message *range,
                        uint8_t flags)
{
    return (range->offset | range->length) % WRY_SECTOR_SIZE == 0 &&
           sums_size(flags, range->length) <= sizeof loader->digest.result;
}

/* A result is not given again while a job is about to change what it is of. */
static bool is_repeated(const struct wry_loader *loader, const struct wry_loader_digest_next *asked)
{
    const struct wry_loader_digest *digest = &loader->digest;
    bool stands = digest->state == WRY_JOB_RUNNING ||
                  (digest->state == WRY_JOB_DONE &&
                   loader_content_settled(loader, asked->start, asked->end) == asked->end);

    return stands && digest->start == asked->start && digest->end == asked->end &&
           digest->flags == asked->flags;
}

static void begin(struct wry_loader *loader, const struct wry_loader_digest_next *asked)
{
    struct wry_loader_digest *digest = &loader->digest;

    digest->state = WRY_JOB_RUNNING;
    digest->flags = asked->flags;
    digest->start = asked->start;
    digest->end = asked->end;
    digest->seq = asked->seq;
    digest->reply_due = true;
    digest->next.asked = false;
    restart(loader);
}

void loader_digest_request(struct wry_loader *loader, const struct wry_message *message)
{
    struct wry_loader_digest *digest = &loader->digest;
    struct wry_range_message range;

    if (!loader_range_fits(loader, message, &range))
        return;
    heed_changes(loader);
    if ((message->flags & WRY_FLAG_SECTORS) && !sectors_fit(loader, &range, message->flags)) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_BAD_RANGE, range.offset);
        return;
    }
    struct wry_loader_digest_next asked = {.asked = true,
                                           .flags = message->flags & (uint8_t)~WRY_FLAG_AFTER,
                                           .seq = message->seq,
                                           .start = range.offset,
                                           .end = range.offset + range.length};
    if (is_repeated(loader, &asked)) {
        digest->seq = asked.seq;
        digest->reply_due = true;
    } else if ((message->flags & WRY_FLAG_AFTER) && digest->reply_due) {
        digest->next = asked;
    } else {
        begin(loader, &asked);
    }
}

static void reply(struct wry_loader *loader)
{
    struct wry_loader_digest *digest = &loader->digest;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_range_message range = {.offset = digest->start,
                                      .length = digest->end - digest->start};
    size_t n = wry_message_put_range(head, WRY_KIND_DIGEST | WRY_KIND_REPLY, digest->flags,
                                     digest->seq, &range);
    size_t length = wry_digest_size(digest->flags, range.length);

    if (!loader_output_has_room(loader, n + length))
        return;
    loader_output_frame(loader, head, n, digest->result, length);
    digest->reply_due = false;
}

/* Stores the digest of the sector that ends here, and goes to the next. */
static void store(struct wry_loader_digest *digest, const uint8_t whole[WRY_SHA256_SIZE])
{
    size_t size = sums_size(digest->flags, WRY_SECTOR_SIZE);
    size_t end = sums_size(digest->flags, digest->at - digest->start);
    uint32_t left = digest->end - digest->at;
    uint32_t skipped = wry_digest_stride(digest->flags) - WRY_SECTOR_SIZE;

    memcpy(digest->result + end - size, whole, size);
    digest->sector_blank = false;
    digest->at += skipped < left ? skipped : left;
    if (digest->blank_to < digest->at)
        digest->blank_to = digest->at;
}

static void end_sector(struct wry_loader_digest *digest)
{
    uint8_t whole[WRY_SHA256_SIZE];

    wry_sha256_end(&digest->sha, whole);
    wry_sha256_begin(&digest->sha);
    if (digest->sector_blank && !digest->blank_hashed) {
        memcpy(digest->blank_sector, whole, sizeof whole);
        digest->blank_hashed = true;
    }
    store(digest, whole);
}

/* All blank sectors have the same digest: one is hashed, the others are only read. */
static bool skip_blank_sector(struct wry_loader_digest *digest)
{
    if (!(digest->flags & WRY_FLAG_SECTORS) || !digest->blank_hashed ||
        digest->at % WRY_SECTOR_SIZE != 0 || digest->blank_to - digest->at < WRY_SECTOR_SIZE)
        return false;
    digest->at += WRY_SECTOR_SIZE;
    store(digest, digest->blank_sector);
    return true;
}

static void add(struct wry_loader *loader, const uint8_t *bytes, uint32_t n)
{
    struct wry_loader_digest *digest = &loader->digest;

    wry_sha256_add_by(&digest->sha, bytes, n, loader->port->sha256, loader->port->context);
    loader->port->worked(loader->port->context, WRY_WORK_DIGEST, n);
    digest->at += n;
    if (digest->blank_to < digest->at)
        digest->blank_to = digest->at;
    loader_content_watch(loader, digest->start, digest->blank_to);
    if ((digest->flags & WRY_FLAG_SECTORS) && digest->at % WRY_SECTOR_SIZE == 0)
        end_sector(digest);
}

static uint32_t sector_of(const struct wry_loader_digest *digest, uint32_t offset)
{
    return offset / WRY_SECTOR_SIZE - digest->start / WRY_SECTOR_SIZE;
}

/* Remembers that a sector is blank. */
static void note_blank(struct wry_loader *loader, uint32_t n)
{
    struct wry_loader_digest *digest = &loader->digest;

    if (digest->at % WRY_SECTOR_SIZE == 0)
        digest->sector_blank = true;
    if (!digest->sector_blank)
        return;
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    digest->sector_blank = wry_bytes_blank(loader->slice, n);
    if (digest->sector_blank && (digest->at + n) % WRY_SECTOR_SIZE == 0 &&
        sector_of(digest, digest->at) < WRY_LOADER_BLANK_SECTORS)
        bits_add(digest->blank, sector_of(digest, digest->at));
}

bool loader_digest_saw_blank(const struct wry_loader *loader, uint32_t sector)
{
    const struct wry_loader_digest *digest = &loader->digest;

    return sector >= digest->start && sector < digest->at && !loader->content.watch_broken &&
           sector_of(digest, sector) < WRY_LOADER_BLANK_SECTORS &&
           bits_has(digest->blank, sector_of(digest, sector));
}

static void add_slice(struct wry_loader *loader, uint32_t n)
{
    loader_flash_read(loader, loader->digest.at, loader->slice, n);
    if (!(loader->digest.flags & WRY_FLAG_SECTORS))
        note_blank(loader, n);
    add(loader, loader->slice, n);
}

/* A page known to be blank need not be read. */
static void hash_blank(struct wry_loader *loader)
{
    static const uint8_t blank[] = {0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF,
                                    0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF};

    for (uint32_t n = 0; n < WRY_PAGE_SIZE; n += sizeof blank)
        add(loader, blank, sizeof blank);
}

static void add_blank(struct wry_loader *loader)
{
    loader->digest.sector_blank = false; /* only content read here counts */
    hash_blank(loader);
}

/* True in digests of sectors, while all of a sector that was read is blank. */
static bool scans(const struct wry_loader_digest *digest)
{
    return (digest->flags & WRY_FLAG_SECTORS) && digest->at % WRY_SECTOR_SIZE == 0 &&
           digest->blank_to - digest->at < WRY_SECTOR_SIZE;
}

/* Reads on in a sector that is blank so far; it is hashed from its start if it is not. */
static void scan_slice(struct wry_loader *loader, uint32_t n)
{
    struct wry_loader_digest *digest = &loader->digest;
    uint32_t sector = sector_of(digest, digest->at);

    loader_flash_read(loader, digest->blank_to, loader->slice, n);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    if (!wry_bytes_blank(loader->slice, n)) {
        digest->sector_blank = false;
        if (digest->at < digest->blank_to)
            hash_blank(loader);
        else
            add(loader, loader->slice, n);
        return;
    }
    if (digest->blank_to == digest->at)
        digest->sector_blank = true;
    digest->blank_to += n;
    loader_content_watch(loader, digest->start, digest->blank_to);
    if (digest->blank_to % WRY_SECTOR_SIZE != 0)
        return;
    if (digest->sector_blank && sector < WRY_LOADER_BLANK_SECTORS)
        bits_add(digest->blank, sector);
    if (!digest->blank_hashed)
        hash_blank(loader);
}

bool loader_digest_waits_for(const struct wry_loader *loader, uint32_t offset)
{
    const struct wry_loader_digest *digest = &loader->digest;

    return digest->state == WRY_JOB_RUNNING && digest->blank_to == offset &&
           !loader->content.watch_broken && digest->end - offset >= WRY_PAGE_SIZE;
}

void loader_digest_blanks(struct wry_loader *loader, uint32_t offset, uint32_t n)
{
    struct wry_loader_digest *digest = &loader->digest;

    for (uint32_t i = 0; n - i >= WRY_PAGE_SIZE; i += WRY_PAGE_SIZE) {
        if (!loader_digest_waits_for(loader, offset + i))
            continue;
        digest->blank_to = offset + i + WRY_PAGE_SIZE;
        loader_content_watch(loader, digest->start, digest->blank_to);
    }
}

void loader_digest_page(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    const struct wry_loader_digest *digest = &loader->digest;

    /* With much blank content before it this step would take long: the page is read again later. */
    if (!loader_digest_waits_for(loader, offset) || digest->blank_to - digest->at > BLANK_AT_ONCE)
        return;
    while (digest->at < digest->blank_to)
        add_blank(loader);
    loader->digest.sector_blank = false;
    add(loader, page, WRY_PAGE_SIZE);
}

bool loader_digest_step(struct wry_loader *loader, bool spare)
{
    struct wry_loader_digest *digest = &loader->digest;

    heed_changes(loader);
    if (digest->state == WRY_JOB_DONE && digest->reply_due)
        reply(loader);
    if (!digest->reply_due && digest->next.asked)
        begin(loader, &digest->next);
    if (digest->state != WRY_JOB_RUNNING)
        return false;
    if (skip_blank_sector(digest)) {
        if (digest->at < digest->end)
            return true;
    } else if (digest->at < digest->blank_to && !scans(digest)) {
        if (!spare)
            return false;
        if (digest->flags & WRY_FLAG_SECTORS)
            hash_blank(loader);
        else
            add_blank(loader);
        if (digest->at < digest->end)
            return true;
    }
    if (loader->op != WRY_OP_NONE && digest->at < digest->end)
        return false;
    uint32_t from = digest->blank_to, settled = loader_content_settled(loader, from, digest->end);
    if (from < settled) {
        uint32_t n = loader_least(settled - from, DIGEST_SLICE - from % DIGEST_SLICE);
        if (scans(digest))
            scan_slice(loader, n);
        else
            add_slice(loader, n);
    }
    if (digest->at < digest->end)
        return from < settled;
    if (wry_digest_is_together(digest->flags))
        wry_sha256_add(&digest->sha, digest->result,
                       sums_size(digest->flags, digest->end - digest->start));
    if (!(digest->flags & WRY_FLAG_SECTORS) || wry_digest_is_together(digest->flags))
        wry_sha256_end(&digest->sha, digest->result);
    digest->state = WRY_JOB_DONE;
    return true;
}
