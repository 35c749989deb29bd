/* What was found out about content, so that it is found out once: its filter, and how long its
 * streams will be. Several threads may ask. */
#ifndef WRY_PACK_FINDINGS_H
#define WRY_PACK_FINDINGS_H

#include "wrytograph/packer.h"

struct pack_findings;

/* Returns NULL if there is no memory. */
struct pack_findings *pack_findings_new(void);
void pack_findings_drop(struct pack_findings *findings);
void pack_findings_free(struct pack_findings *findings);

/* The filter under which the content packs best. False if the content cannot be read. */
bool pack_findings_filter(struct pack_findings *findings, const struct wry_packing *packing,
                          uint8_t *filter);

/* True for the first who asks. */
bool pack_findings_claim(struct pack_findings *findings, const struct wry_packing *packing);

/* Like wry_packer.measure, by pack_estimate. */
bool pack_findings_estimate(struct pack_findings *findings, const struct wry_packing *packing,
                            uint32_t piece, uint32_t *ends, uint32_t count);

#endif
