/* Any file as a ledger. */
#include "door.h"
#include "stores.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    stores_try("ledger.db", bytes, n, NULL, stores_use_ledger);
    return 0;
}
