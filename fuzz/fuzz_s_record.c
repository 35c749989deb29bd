/* Any bytes as a text of S-records. */
#include "door.h"
#include "records.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    records_hold(WRY_IMAGE_S_RECORD, bytes, n);
    return 0;
}
