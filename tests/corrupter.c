/* Bends what a board says. */
#include "corrupter.h"
#include "core/bytes/fields.h"
#include "core/wire/frame_codec.h"

#include <string.h>

#include "port_filter.h"
#include "sim/random.h"
#include "wrytograph/bytes.h"

static uint32_t bend_number(struct corrupter *t, uint32_t value)
{
    switch (t->draw(t->from) % 6) {
    case 0:
        return value + WRY_PAGE_SIZE * (uint32_t)(t->draw(t->from) % 300);
    case 1:
        return value - WRY_PAGE_SIZE * (uint32_t)(t->draw(t->from) % 300);
    case 2:
        return (uint32_t)t->draw(t->from);
    case 3:
        return value + WRY_SECTOR_SIZE;
    case 4:
        return 0;
    default:
        return value ^ UINT32_C(1) << t->draw(t->from) % 32;
    }
}

/* One field, by kind: marks of progress, offsets and lengths, digests, what hello says, codes. */
static void bend(struct corrupter *t, size_t length)
{
    uint8_t *field = t->body + 4;

    t->bent[t->body[0]]++;
    if (t->body[0] == (WRY_KIND_STATUS | WRY_KIND_REPLY) && length >= 34) {
        uint64_t which = t->draw(t->from) % 8;
        if (which < 6)
            bytes_put32(t->body + 8 + 4 * which,
                        bend_number(t, bytes_get32(t->body + 8 + 4 * which)));
        else if (which == 6)
            t->body[4] = (uint8_t)(t->draw(t->from) % 5);
        else
            bytes_put16(t->body + 6, (uint16_t)t->draw(t->from));
        return;
    }
    if (length < 12)
        return;
    if (t->draw(t->from) % 2)
        field[t->draw(t->from) % (length - 4)] ^= (uint8_t)(1u << t->draw(t->from) % 8);
    else
        bytes_put32(field, bend_number(t, bytes_get32(field)));
}

static void pass_on(struct corrupter *t)
{
    struct wry_encoder encoder;
    size_t length = t->decoder.length;

    if (t->truthful > 0)
        t->truthful--;
    else if (t->draw(t->from) % t->one_in == 0)
        bend(t, length);
    frame_encoder_init(&encoder, t->body, length, NULL, 0);
    t->at = 0;
    t->fill = frame_encoder_give(&encoder, t->line, sizeof t->line);
}

static enum wry_status twisted_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                    size_t *got)
{
    struct corrupter *t = context;
    enum wry_frame_event event;
    uint8_t byte;

    while (t->at == t->fill) {
        enum wry_status status = t->inner->read(t->inner->context, &byte, 1, deadline, got);
        if (status != WRY_OK || *got == 0)
            return status;
        frame_decoder_take(&t->decoder, &byte, 1, &event);
        if (event == WRY_FRAME_GOOD)
            pass_on(t);
    }
    *got = t->fill - t->at < room ? t->fill - t->at : room;
    memcpy(bytes, t->line + t->at, *got);
    t->at += *got;
    return WRY_OK;
}

static enum wry_status twisted_discard(void *context)
{
    struct corrupter *t = context;

    t->at = t->fill = 0;
    return t->inner->discard(t->inner->context);
}

uint64_t corrupter_seeded(void *from)
{
    return sim_random(from);
}

void corrupter_begin(struct corrupter *t, struct rig *rig, uint64_t (*draw)(void *from), void *from)
{
    memset(t, 0, sizeof *t);
    t->inner = &rig->adapter.port;
    t->draw = draw;
    t->from = from;
    t->truthful = 3 + (unsigned)(draw(from) % 60);
    t->one_in = 1 + (unsigned)(draw(from) % 12);
    frame_decoder_init(&t->decoder, t->body, sizeof t->body);
    t->port = port_filter(t);
    t->port.read = twisted_read;
    t->port.discard = twisted_discard;
    rig->session.port = &t->port;
}
