/*
 * Answers to read requests in any coding: their frames, and their end.
 */
#include "loader_inner.h"

#include "bytes/memory.h"

void loader_read_send(struct wry_loader *loader, uint16_t seq, const struct wry_data_message *data)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t n = wry_message_put_data(head, WRY_KIND_DATA | WRY_KIND_REPLY, seq, data);

    loader_output_frame(loader, head, n, data->payload, data->payload_length);
}

void loader_read_end(struct wry_loader *loader, size_t n)
{
    struct wry_loader_read *read = &loader->reads[n];

    loader->read_count--;
    memmove(read, read + 1, (loader->read_count - n) * sizeof *read);
}
