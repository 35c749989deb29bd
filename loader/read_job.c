/*
 * Reading: ranges are streamed as data frames in the order asked for, blank stretches as a few
 * bytes. The host keeps several requests in the queue, so the line does not wait for it.
 */
#include "inner.h"

#include <string.h>

void loader_read_request(struct wry_loader *loader, const struct wry_message *message)
{
    struct wry_range_message range;

    if (!loader_range_fits(loader, message, &range))
        return;
    for (size_t i = 0; i < loader->read_count; i++) {
        if (loader->reads[i].seq == message->seq)
            return;
    }
    if (loader->read_count == WRY_LOADER_READS) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_BUSY, range.offset);
        return;
    }
    loader->reads[loader->read_count++] = (struct wry_loader_read){
        .seq = message->seq,
        .start = range.offset,
        .end = range.offset + range.length,
        .at = range.offset,
        .blank_from = range.offset,
    };
}

static void send_data(struct wry_loader *loader, uint16_t seq, const struct wry_data_message *data)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t n = wry_message_put_data(head, WRY_KIND_DATA | WRY_KIND_REPLY, seq, data);

    loader_output_frame(loader, head, n, data->payload, data->payload_length);
}

/* Bytes from the start of the slice that are all blank, or that hold no blank page. */
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
    send_data(loader, read->seq,
              &(struct wry_data_message){.offset = read->blank_from,
                                         .length = read->at - read->blank_from,
                                         .encoding = WRY_ENCODING_BLANK});
    read->blank_from = read->at;
}

static void end_read(struct wry_loader *loader)
{
    struct wry_loader_read *read = &loader->reads[0];
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_range_message range = {.offset = read->start, .length = read->end - read->start};
    size_t n = wry_message_put_range(head, WRY_KIND_READ | WRY_KIND_REPLY, 0, read->seq, &range);

    loader_output_frame(loader, head, n, NULL, 0);
    loader->read_count--;
    memmove(loader->reads, loader->reads + 1, loader->read_count * sizeof *read);
}

bool loader_read_step(struct wry_loader *loader)
{
    struct wry_loader_read *read = &loader->reads[0];
    bool blank;

    if (loader->read_count == 0 || loader->op != WRY_OP_NONE ||
        !loader_output_has_room(loader, WRY_BODY_MAX))
        return false;
    if (read->at == read->end) {
        if (read->blank_from < read->at)
            send_blank(loader, read);
        else
            end_read(loader);
        return true;
    }
    uint32_t left = read->end - read->at;
    uint32_t n = left < WRY_PAYLOAD_MAX ? left : WRY_PAYLOAD_MAX;
    loader_flash_read(loader, read->at, loader->slice, n);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    uint32_t length = stretch(loader->slice, n, &blank);
    if (blank && read->at + length - read->blank_from < 0x1000000) {
        read->at += length;
    } else if (read->blank_from < read->at) {
        send_blank(loader, read);
    } else {
        send_data(loader, read->seq,
                  &(struct wry_data_message){.offset = read->at,
                                             .length = length,
                                             .payload = loader->slice,
                                             .payload_length = length});
        read->at += length;
        read->blank_from = read->at;
    }
    return true;
}
