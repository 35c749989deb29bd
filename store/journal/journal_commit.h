/* Changes of the journal, made durable for many boards at once. */
#pragma once

#include "store/journal/journal_tables.h"

/* One change, applied in a transaction: all of it or nothing. */
struct journal_change {
    struct journal *journal;
    bool (*apply)(struct journal *journal, const struct journal_change *change);
    uint32_t start, end; /* flash offsets of whole sectors */
    /* Of a change that adds rows: the sectors whose old content is stored, and the new content. */
    const struct wry_journal_sector *kept;
    size_t count;
    const struct wry_reader *intended;
};

/* The change is on the disk when this returns true. False with the journal's problem set; nothing
 * was changed then. */
bool journal_commit(struct journal_change *change);
