/* Any bytes as a settings block, with a CRC-32 that fits where the first byte asks for it: what it
 * holds can be made into a block again. */
#include <string.h>

#include "core/bytes/fields.h"
#include "door.h"
#include "wrytograph/bytes.h"
#include "wrytograph/settings_block.h"

static uint8_t copy[WRY_SETTINGS_BLOCK_MAX], again[WRY_SETTINGS_BLOCK_MAX];

static size_t make_again(const struct wry_settings_head *head)
{
    struct wry_settings_writer writer;
    struct wry_setting setting;
    size_t at = WRY_SETTINGS_HEAD_SIZE;
    unsigned count = 0;

    wry_settings_begin(&writer, again, sizeof again);
    while (wry_settings_next(copy, head, &at, &setting)) {
        MUST(wry_settings_key_is_fit(setting.key, setting.key_length));
        MUST(at <= head->length);
        wry_settings_add(&writer, &setting);
        count++;
    }
    MUST(count == head->count);
    return wry_settings_end(&writer, head->generation);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct wry_settings_head head, has;

    if (n < 1 + WRY_SETTINGS_HEAD_SIZE || n - 1 > sizeof copy)
        return 0;
    n--;
    memcpy(copy, bytes + 1, n);
    if (wry_settings_head(&head, copy) && bytes[0] % 2 && head.length <= n &&
        head.length >= WRY_SETTINGS_HEAD_SIZE + 4)
        bytes_put32(copy + head.length - 4, wry_crc32(0, copy, head.length - 4));
    if (!wry_settings_get(&head, copy, n))
        return 0;
    size_t length = make_again(&head);
    MUST(length > 0 && length <= head.length);
    MUST(wry_settings_get(&has, again, length));
    MUST(has.count == head.count && has.generation == head.generation);
    return 0;
}
