/* A packer of one coding. */
#include "forced_packer.h"

static bool may(const struct forced_packer *forced, const struct wry_packing *packing)
{
    return packing->coding == forced->coding && packing->down == forced->down;
}

static bool begin(void *context, const struct wry_packing *packing, struct wry_stream_form *form)
{
    struct forced_packer *forced = context;

    if (!may(forced, packing) || !forced->honest->begin(forced->honest->context, packing, form))
        return false;
    forced->begun++;
    forced->filter = form->filter;
    return true;
}

static bool give(void *context, uint8_t *to, size_t room, size_t *given)
{
    const struct forced_packer *forced = context;

    return forced->honest->give(forced->honest->context, to, room, given);
}

/* Its streams are said to be short, so that pages are no better. */
static bool measure(void *context, const struct wry_packing *packing, bool exact, uint32_t piece,
                    uint32_t *ends, uint32_t count)
{
    const struct forced_packer *forced = context;

    (void)exact, (void)piece;
    for (uint32_t i = 0; i < count; i++)
        ends[i] = i + 1;
    return may(forced, packing);
}

void forced_packer_init(struct forced_packer *forced, const struct wry_packer *honest,
                        uint8_t coding, bool down)
{
    *forced =
        (struct forced_packer){.packer = *honest, .honest = honest, .coding = coding, .down = down};
    forced->packer.context = forced;
    forced->packer.begin = begin;
    forced->packer.prepare = NULL;
    forced->packer.give = give;
    forced->packer.measure = measure;
}
