/* Made-up programs with a boot header. */
#include "programs.h"

#include <glib.h>

#include "command.h"
#include "rig.h"
#include "wrytograph/bytes.h"
#include "wrytograph/chip.h"

struct wry_boot_header program_header(const char *version, uint32_t body_length)
{
    struct wry_boot_header header = {.chip_code = WRY_CHIP_TURNSTONE_T2,
                                     .kind = WRY_PROGRAM_APP,
                                     .flash_size_log2 = 22,
                                     .read_lines = 2,
                                     .read_clock = 40,
                                     .body_length = body_length};

    g_strlcpy(header.version, version, sizeof header.version);
    return header;
}

void program_write(const char *name, const struct wry_boot_header *header)
{
    size_t n = WRY_BOOT_HEADER_SIZE + header->body_length + WRY_SHA256_SIZE;
    g_autofree uint8_t *bytes = g_malloc(n);
    uint8_t *body = bytes + WRY_BOOT_HEADER_SIZE;
    struct wry_sha256 sha;

    wry_boot_header_put(bytes, header);
    rig_random(body, header->body_length, header->body_length + header->chip_code);
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, body, header->body_length);
    wry_sha256_end(&sha, body + header->body_length);
    scratch_write(name, bytes, n);
}
