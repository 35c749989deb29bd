/* Any file as a backup: refused with a reason, or every range within the flash and as its digest
 * says. */
#include <string.h>

#include "door.h"
#include "store/archive/archive.h"
#include "zip_made.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    g_autoptr(GError) error = NULL;
    const char *path = zip_made("backup.zip", bytes, n);

    archive_is_one(path);
    struct archive *archive = archive_open(path, &error);
    MUST((archive != NULL) == (error == NULL));
    if (!archive)
        return 0;
    uint64_t end = 0;
    for (guint i = 0; i < archive->ranges->len; i++) {
        struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, i);
        uint8_t digest[WRY_SHA256_SIZE], byte;
        MUST(range->length > 0 && range->offset >= end);
        end = (uint64_t)range->offset + range->length;
        MUST(end <= archive->flash_size);
        MUST(archive_range_digest(range, digest) &&
             memcmp(digest, range->sha256, sizeof digest) == 0);
        MUST(archive_range_read(range, range->length - 1, &byte, 1));
    }
    archive_close(archive);
    return 0;
}
