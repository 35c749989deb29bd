/* Measuring the size of a flash. */
#include "jobs/station/flash_size.h"

#include <string.h>

#include "base/digest.h"
#include "jobs/station/board_call.h"
#include "wrytograph-host/units.h"

enum {
    REACH = 0x1000000,   /* bytes that three address bytes reach; larger parts say their size */
    BLOCK = 0x10000,     /* and the smallest flash */
    SEARCHED = 0x200000, /* bytes looked through for content: two seconds */
};

static bool is_blank(const uint8_t digest[WRY_SHA256_SIZE], uint32_t length)
{
    uint8_t ours[WRY_SHA256_SIZE];

    digest_of_blank(length, ours);
    return memcmp(digest, ours, sizeof ours) == 0;
}

/* Sets same if the length bytes at a and b are equal. */
static enum wry_status compare(struct wry_session *session, uint32_t a, uint32_t b, uint32_t length,
                               bool *same)
{
    uint8_t one[WRY_SHA256_SIZE], other[WRY_SHA256_SIZE];
    enum wry_status status = wry_session_digest(session, a, length, one);

    *same = false;
    if (status == WRY_OK)
        status = wry_session_digest(session, b, length, other);
    if (status == WRY_OK)
        *same = memcmp(one, other, sizeof one) == 0;
    return status;
}

/* The first block with content below end; end, or SEARCHED, if there is none. */
static enum wry_status find_content(struct wry_session *session, uint32_t end, uint32_t *offset)
{
    uint8_t digest[WRY_SHA256_SIZE];
    enum wry_status status = WRY_OK;

    for (*offset = 0; *offset < MIN(end, SEARCHED); *offset += BLOCK) {
        status = wry_session_digest(session, *offset, BLOCK, digest);
        if (status != WRY_OK || !is_blank(digest, BLOCK))
            break;
    }
    return status;
}

/*
 * Sets same if the flash repeats itself after size bytes: the block with content, all below, and
 * the last part that addresses reach too, not merely once, as two copies of a program do.
 */
static enum wry_status repeats(struct wry_session *session, uint32_t size, uint32_t content,
                               bool *same)
{
    enum wry_status status = compare(session, content, content + size, BLOCK, same);

    if (status == WRY_OK && *same)
        status = compare(session, 0, size, size, same);
    if (status == WRY_OK && *same)
        status = compare(session, 0, REACH - size, size, same);
    return status;
}

/* *size: 0 if the content proves nothing. */
static enum wry_status measure(struct wry_session *session, uint32_t *size)
{
    uint32_t content;
    bool same = false;
    enum wry_status status = find_content(session, REACH, &content);

    *size = 0;
    for (uint32_t tried = BLOCK; tried < REACH && status == WRY_OK && !same; tried *= 2) {
        if (content >= tried || content == SEARCHED)
            continue;
        status = repeats(session, tried, content, &same);
        *size = same ? tried : 0;
    }
    return status;
}

enum wry_status flash_size_doubt(struct wry_station *station, bool *smaller)
{
    struct wry_session *session = &station->session;
    uint32_t half = wry_session_board(session)->capacity / 2, content;
    enum wry_status status = find_content(session, half, &content);

    *smaller = false;
    if (status == WRY_OK && content < half)
        status = compare(session, content, content + half, BLOCK, smaller);
    if (status == WRY_OK && *smaller)
        status = compare(session, 0, half, half, smaller);
    return status;
}

static enum wry_status call_with(struct wry_station *station, struct wry_session_config *config,
                                 uint32_t size)
{
    config->flash_size = size;
    config->token++; /* only a new session makes the board look anew */
    return board_call(station, config);
}

enum wry_status flash_size_measure(struct wry_station *station, struct wry_session_config *config)
{
    uint32_t size = 0;
    enum wry_status status = call_with(station, config, REACH);

    if (status == WRY_OK)
        status = measure(&station->session, &size);
    if (status != WRY_OK)
        return status;
    status = call_with(station, config, size);
    if (status == WRY_OK) {
        g_autofree char *text = wry_units_flash_size(size);
        station->flash_measured = true;
        station_note(station, WRY_NOTE_SIZE_MEASURED, text);
    }
    return status;
}
