/* libpq, loaded when it is first needed. */
#include "store/ledger/pq_library.h"

PQ_CALLS(LAZY_DEFINE)

static const struct lazy_call calls[] = {PQ_CALLS(LAZY_ENTRY)};
static struct lazy_library library = {
    .file = WRY_PQ_FILE, .calls = calls, .count = G_N_ELEMENTS(calls)};

gboolean pq_library_load(GError **error)
{
    return lazy_library_load(&library, error);
}
