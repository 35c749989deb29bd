/* Any answers to a sender, and any bytes to a receiver of XMODEM: both end by themselves, and count
 * what they have given or taken. */
#include <string.h>

#include "door.h"
#include "wrytograph/xmodem.h"

#define MINUTE UINT64_C(60000000)
#define LENGTH 3000u

static bool read_content(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    MUST(offset + n <= LENGTH);
    memset(to, (int)offset, n);
    return true;
}

/* us from one byte of the input to the next: mostly the line's, now and then a pause. */
static uint64_t pause_before(uint8_t byte, size_t i)
{
    return (byte ^ i) % 13 == 0 ? UINT64_C(1) << (byte ^ i) % 25 : 87;
}

static void answer_sender(const struct wry_xmodem_options *options, const uint8_t *bytes, size_t n)
{
    struct wry_xmodem_send send;
    struct wry_reader content = {.read = read_content};
    const uint8_t *said;
    uint64_t now = 0, silent_since = 0;

    wry_xmodem_send_begin(&send, options, &content, LENGTH, now);
    for (size_t i = 0; send.state == WRY_XMODEM_RUNNING; i++) {
        uint32_t before = send.done;
        if (i < n) {
            silent_since = now += pause_before(bytes[i], i);
            wry_xmodem_send_input(&send, bytes[i], now);
        } else {
            uint64_t until = wry_xmodem_send_deadline(&send);
            now = until > now ? until : now + 1;
        }
        size_t length = wry_xmodem_send_output(&send, now, &said);
        MUST(length <= WRY_XMODEM_FRAME_MAX);
        MUST(send.done >= before && send.done - before <= WRY_XMODEM_LARGE);
        MUST(now - silent_since < 10 * MINUTE);
    }
    MUST(send.state != WRY_XMODEM_DONE || send.done == LENGTH);
    MUST((send.state == WRY_XMODEM_FAILED) == (send.failure != WRY_XMODEM_NO_FAILURE));
    MUST(!wry_xmodem_send_input(&send, 'C', now));
}

static void feed_receiver(const struct wry_xmodem_options *options, const uint8_t *bytes, size_t n)
{
    struct wry_xmodem_receive receive;
    const uint8_t *said, *content;
    uint64_t now = 0, silent_since = 0;
    uint32_t taken = 0;

    wry_xmodem_receive_begin(&receive, options, now);
    for (size_t i = 0; receive.state == WRY_XMODEM_RUNNING; i++) {
        if (i < n) {
            silent_since = now += pause_before(bytes[i], i);
            wry_xmodem_receive_input(&receive, bytes[i], now);
        } else {
            uint64_t until = wry_xmodem_receive_deadline(&receive);
            now = until > now ? until : now + 1;
        }
        size_t length = wry_xmodem_receive_content(&receive, &content);
        MUST(length == 0 || length == WRY_XMODEM_SMALL || length == WRY_XMODEM_LARGE);
        taken += (uint32_t)length;
        MUST(taken == receive.done);
        MUST(wry_xmodem_receive_output(&receive, now, &said) <= sizeof receive.output);
        MUST(now - silent_since < 10 * MINUTE);
    }
    MUST((receive.state == WRY_XMODEM_FAILED) == (receive.failure != WRY_XMODEM_NO_FAILURE));
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct wry_xmodem_options options = {.speed = 115200, .start_time = MINUTE};

    if (n == 0)
        return 0;
    options.large = bytes[0] & 1;
    options.sum_only = bytes[0] & 2;
    answer_sender(&options, bytes + 1, n - 1);
    feed_receiver(&options, bytes + 1, n - 1);
    return 0;
}
