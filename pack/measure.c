#include "measure.h"

#include "estimate.h"
#include "filtered_source.h"

enum {
    EXACT_MOST = 0x400000, /* bytes of content that are packed only to be measured */
};

bool pack_decide_filter(struct pack_shared *place, struct wry_packing *packing)
{
    uint8_t filter;

    if (packing->filters == 0)
        return true;
    if (!pack_findings_filter(pack_shared_findings(place), packing, &filter))
        return false;
    packing->filters = (uint8_t)(PACK_FILTER_DECIDED | 1u << filter);
    return true;
}

bool pack_measure(struct pack_shared *place, const struct wry_packing *packing, bool exact,
                  uint32_t piece, uint32_t *ends, uint32_t count)
{
    struct wry_packing decided = *packing;
    struct wry_stream_form form;

    if (!pack_decide_filter(place, &decided))
        return false;
    if (packing->length > EXACT_MOST || (!exact && pack_estimate_pays(&decided)))
        return pack_findings_estimate(pack_shared_findings(place), &decided, piece, ends, count);
    struct pack_stream *stream = pack_shared_find(place, &decided, true, &form);

    return stream && pack_stream_measure(stream, &decided, piece, ends, count);
}
