/* Any file as a journal. */
#include "door.h"
#include "stores.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    stores_try("journal.db", bytes, n, NULL, stores_use_journal);
    return 0;
}
