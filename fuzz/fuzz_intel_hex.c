/* Any bytes as a text of Intel HEX. */
#include "door.h"
#include "records.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    records_hold(WRY_IMAGE_INTEL_HEX, bytes, n);
    return 0;
}
