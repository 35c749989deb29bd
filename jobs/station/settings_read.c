/* The settings block of a region. */
#include "jobs/station/settings_read.h"

#include <string.h>

enum {
    FIRST_READ = 256, /* bytes read first: often the whole block */
};

/* Reads one slot. */
static bool look_at_slot(struct flash_reader *reader, uint32_t offset, uint32_t room, unsigned slot,
                         struct settings_copy *found)
{
    struct wry_settings_head head;
    uint8_t first[FIRST_READ];

    if (!flash_reader_read(reader, offset, first, sizeof first))
        return false;
    if (!wry_settings_present(first))
        return true;
    if (!wry_settings_head(&head, first) || head.length > room) {
        found->damaged = true;
        return true;
    }
    uint8_t *bytes = g_malloc(MAX(head.length, sizeof first));
    memcpy(bytes, first, sizeof first);
    bool read = head.length <= sizeof first ||
                flash_reader_read(reader, offset + (uint32_t)sizeof first, bytes + sizeof first,
                                  head.length - sizeof first);
    bool sound = read && wry_settings_get(&head, bytes, head.length);
    if (read && !sound)
        found->damaged = true;
    if (!sound || (found->found && head.generation <= found->head.generation)) {
        g_free(bytes);
        return read;
    }
    g_free(found->bytes);
    found->found = true;
    found->slot = slot;
    found->head = head;
    found->bytes = bytes;
    return true;
}

bool settings_read(struct flash_reader *reader, const struct wry_region *region,
                   struct settings_copy *found)
{
    uint32_t room = wry_settings_slot(region->length);

    *found = (struct settings_copy){0};
    if (room == 0)
        return true;
    return look_at_slot(reader, region->offset, room, 0, found) &&
           look_at_slot(reader, region->offset + room, room, 1, found);
}
