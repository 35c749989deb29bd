/*
 * Reads: ranges are sent as data frames in the order of the requests, blank ranges as a few bytes.
 * The host keeps several requests queued, so that the line never waits. A repeated request may
 * select single pages of its range, those that were lost.
 */
#include "loader_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

static void refuse(struct wry_loader *loader, const struct wry_message *message, uint8_t code,
                   uint32_t offset)
{
    loader_output_error(loader, message->kind, message->seq, code, offset);
}

void loader_read_request(struct wry_loader *loader, const struct wry_message *message)
{
    struct wry_range_message range;
    struct wry_read_message read;

    if (!loader_range_fits(loader, message, &range))
        return;
    if (!wry_message_get_read(message, &read)) {
        refuse(loader, message, WRY_ERROR_MALFORMED, range.offset);
        return;
    }
    for (size_t i = 0; i < loader->read_count; i++) {
        if (loader->reads[i].seq == message->seq)
            return;
    }
    if (read.packed && !loader_packed_can(loader)) {
        refuse(loader, message, WRY_ERROR_UNSUPPORTED, range.offset);
        return;
    }
    /* A running job uses the memory of the encoder. */
    bool taken = read.packed && loader->write.state == WRY_JOB_RUNNING;
    if (taken || loader->read_count == WRY_LOADER_READS) {
        refuse(loader, message, WRY_ERROR_BUSY, range.offset);
        return;
    }
    struct wry_loader_read *job = &loader->reads[loader->read_count++];
    memset(job, 0, sizeof *job);
    job->seq = message->seq;
    job->frame_max = WRY_PAYLOAD_MAX;
    if (read.frame_max > 0 && read.frame_max < WRY_PAYLOAD_MAX)
        job->frame_max = (uint16_t)read.frame_max;
    job->packed = read.packed;
    job->quick = read.quick;
    job->chosen = read.chosen;
    job->start = job->at = job->blank_from = range.offset;
    job->end = range.offset + range.length;
    memcpy(job->wanted, read.wanted, sizeof job->wanted);
    job->again =
        read.packed && read.chosen && read.soon && loader_cache_has(loader, job->start, job->end);
    if (job->again)
        job->at = 0;
}

/* Bytes at the start of the slice that are all blank, or without a blank page. */
static uint32_t stretch(const uint8_t *bytes, uint32_t n, bool *blank)
{
    uint32_t first = n < WRY_PAGE_SIZE ? n : WRY_PAGE_SIZE;

    *blank = wry_bytes_blank(bytes, first);
    for (uint32_t at = first; at < n; at += WRY_PAGE_SIZE) {
        uint32_t piece = n - at < WRY_PAGE_SIZE ? n - at : WRY_PAGE_SIZE;
        if (wry_bytes_blank(bytes + at, piece) != *blank)
            return at;
    }
    return n;
}

static void send_blank(struct wry_loader *loader, struct wry_loader_read *read)
{
    loader_read_send(loader, read->seq,
                     &(struct wry_data_message){.offset = read->blank_from,
                                                .length = read->at - read->blank_from,
                                                .encoding = WRY_ENCODING_BLANK});
    read->blank_from = read->at;
}

void loader_read_drop(struct wry_loader *loader)
{
    loader->read_count = 0;
    loader_packed_drop(loader);
}

static void end_read(struct wry_loader *loader)
{
    struct wry_loader_read *read = &loader->reads[0];
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_range_message range = {.offset = read->start, .length = read->end - read->start};
    size_t n = wry_message_put_range(head, WRY_KIND_READ | WRY_KIND_REPLY, 0, read->seq, &range);

    loader_output_frame(loader, head, n, NULL, 0);
    loader_read_end(loader, 0);
}

static bool is_wanted(const struct wry_loader_read *read, uint32_t offset)
{
    uint32_t page = (offset - read->start) / WRY_PAGE_SIZE;

    return !read->chosen || bits_has(read->wanted, page);
}

/* Bytes from at on that are wanted and fit in one frame; 0 at a page that is not wanted. */
static uint32_t wanted_here(const struct wry_loader_read *read)
{
    uint32_t left = read->end - read->at;
    uint32_t most = left < read->frame_max ? left : read->frame_max;
    uint32_t n = 0;

    while (n < most && is_wanted(read, read->at + n))
        n += WRY_PAGE_SIZE;
    return n < most ? n : most;
}

static void skip_page(struct wry_loader_read *read)
{
    uint32_t left = read->end - read->at;

    read->at += left < WRY_PAGE_SIZE ? left : WRY_PAGE_SIZE;
    read->blank_from = read->at;
}

/* Sends the next n bytes; blank ones are collected, so that one frame covers them all. */
static void send_next(struct wry_loader *loader, struct wry_loader_read *read, uint32_t n)
{
    bool blank;

    loader_flash_read(loader, read->at, loader->slice, n);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    uint32_t length = stretch(loader->slice, n, &blank);
    if (blank)
        loader_digest_blanks(loader, read->at, length);
    if (blank && read->at + length - read->blank_from < 0x1000000) {
        read->at += length;
    } else if (read->blank_from < read->at) {
        send_blank(loader, read);
    } else {
        loader_read_send(loader, read->seq,
                         &(struct wry_data_message){.offset = read->at,
                                                    .length = length,
                                                    .payload = loader->slice,
                                                    .payload_length = length});
        read->at += length;
        read->blank_from = read->at;
    }
}

bool loader_read_step(struct wry_loader *loader)
{
    struct wry_loader_read *read = &loader->reads[0];

    /* A pending change of speed waits until everything has left: nothing new is sent. */
    if (loader->read_count == 0 || loader->op != WRY_OP_NONE || loader->speed_next > 0)
        return false;
    for (size_t i = 0; i < loader->read_count; i++) {
        if (loader->reads[i].again)
            return loader_cache_step(loader, i);
    }
    /* Encoding continues while the line is busy. */
    if (read->packed)
        return loader_packed_step(loader);
    if (!loader_output_has_room(loader, WRY_BODY_MAX))
        return false;
    uint32_t n = read->at < read->end ? wanted_here(read) : 0;
    if (n > 0)
        send_next(loader, read, n);
    else if (read->blank_from < read->at)
        send_blank(loader, read);
    else if (read->at < read->end)
        skip_page(read);
    else
        end_read(loader);
    return true;
}
