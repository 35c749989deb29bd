/* The receiver of XMODEM. */
#include "xmodem.h"

#include "bytes/memory.h"

enum phase {
    ASKING,  /* for the first block */
    BETWEEN, /* waits for a block, or the end */
    IN_BLOCK,
    CLEARING, /* waits until the line is silent, to ask again */
};

enum {
    ASKED_FOR_CRC = 4, /* times, before checksums are asked for */
};

#define ASK_EVERY 3000000u /* us */
#define BYTE_TIME 1000000u /* us to wait for the next byte of a block */
#define QUIET_TIME 300000u /* us of silence that end what was garbled */
#define END_QUIET 50000u   /* us of silence after the end */

static void answer(struct wry_xmodem_receive *receive, uint8_t byte, size_t n)
{
    memset(receive->output, byte, n);
    receive->output_length = n;
}

static void fail(struct wry_xmodem_receive *receive, enum wry_xmodem_failure failure, bool cancels)
{
    receive->state = WRY_XMODEM_FAILED;
    receive->failure = failure;
    receive->ready = false;
    receive->output_length = 0;
    if (cancels)
        answer(receive, XMODEM_CAN, XMODEM_CANS);
}

void wry_xmodem_receive_begin(struct wry_xmodem_receive *receive,
                              const struct wry_xmodem_options *options, uint64_t now)
{
    memset(receive, 0, sizeof *receive);
    receive->options = *options;
    receive->crc = !options->sum_only;
    receive->number = 1;
    receive->begun = receive->ask_at = now;
    receive->until = now;
}

static void await_block(struct wry_xmodem_receive *receive, uint64_t now)
{
    receive->phase = BETWEEN;
    receive->until = now + XMODEM_BLOCK_TIME;
}

static void ask_again(struct wry_xmodem_receive *receive, uint64_t now)
{
    if (++receive->tries == WRY_XMODEM_TRIES) {
        fail(receive, WRY_XMODEM_NOT_ANSWERED, true);
        return;
    }
    receive->repeated += !receive->ended;
    answer(receive, XMODEM_NAK, 1);
    await_block(receive, now);
}

static void clear(struct wry_xmodem_receive *receive, uint64_t now)
{
    receive->phase = CLEARING;
    receive->until = now + QUIET_TIME + xmodem_line_time(receive->options.speed, 2);
}

static void take_block(struct wry_xmodem_receive *receive, uint64_t now)
{
    const uint8_t *frame = receive->frame;
    size_t n = frame[0] == XMODEM_STX ? WRY_XMODEM_LARGE : WRY_XMODEM_SMALL;
    uint8_t check[2];
    size_t length = xmodem_check(check, frame + 3, n, receive->crc);

    if ((frame[1] ^ frame[2]) != 0xFF || memcmp(frame + 3 + n, check, length) != 0) {
        clear(receive, now);
        return;
    }
    bool twice = receive->done > 0 && frame[1] == (uint8_t)(receive->number - 1);
    if (frame[1] != receive->number && !twice) {
        fail(receive, WRY_XMODEM_OUT_OF_ORDER, true);
        return;
    }
    if (!twice) {
        receive->ready = true;
        receive->number++;
        receive->done += (uint32_t)n;
    }
    receive->tries = 0;
    answer(receive, XMODEM_ACK, 1);
    await_block(receive, now);
}

static void begin_block(struct wry_xmodem_receive *receive, uint8_t byte, uint64_t now)
{
    size_t n = byte == XMODEM_STX ? WRY_XMODEM_LARGE : WRY_XMODEM_SMALL;

    receive->phase = IN_BLOCK;
    receive->ended = false;
    receive->frame[0] = byte;
    receive->frame_length = 1;
    receive->frame_whole = 3 + n + (receive->crc ? 2 : 1);
    receive->until = now + BYTE_TIME;
}

/* The end counts when it is announced twice: a single byte may be a garbled one, or the number of a
 * block whose first byte was lost. */
static void take_end(struct wry_xmodem_receive *receive, uint64_t now)
{
    if (receive->ended) {
        answer(receive, XMODEM_ACK, 1);
        receive->state = WRY_XMODEM_DONE;
        return;
    }
    clear(receive, now);
    receive->ended = true;
    receive->until = now + END_QUIET + xmodem_line_time(receive->options.speed, 2);
}

static bool take_header(struct wry_xmodem_receive *receive, uint8_t byte, uint64_t now)
{
    if (byte == XMODEM_SOH || byte == XMODEM_STX) {
        begin_block(receive, byte, now);
        return true;
    }
    if (byte == XMODEM_EOT) {
        take_end(receive, now);
        return true;
    }
    if (byte == XMODEM_CAN)
        return true;
    if (receive->phase == ASKING)
        return false;
    clear(receive, now);
    return true;
}

bool wry_xmodem_receive_input(struct wry_xmodem_receive *receive, uint8_t byte, uint64_t now)
{
    bool outside = receive->phase == ASKING || receive->phase == BETWEEN;

    if (receive->state != WRY_XMODEM_RUNNING)
        return false;
    receive->ready = false;
    receive->cans = outside && byte == XMODEM_CAN ? (uint8_t)(receive->cans + 1) : 0;
    if (receive->cans == 2) {
        fail(receive, WRY_XMODEM_CANCELLED, false);
        return true;
    }
    if (outside)
        return take_header(receive, byte, now);
    if (receive->phase == CLEARING) {
        receive->ended = false;
        clear(receive, now);
        return true;
    }
    receive->frame[receive->frame_length++] = byte;
    receive->until = now + BYTE_TIME;
    if (receive->frame_length == receive->frame_whole)
        take_block(receive, now);
    return true;
}

static void ask_to_begin(struct wry_xmodem_receive *receive, uint64_t now)
{
    if (now >= receive->begun + receive->options.start_time) {
        fail(receive, WRY_XMODEM_NOT_BEGUN, false);
        return;
    }
    if (now < receive->ask_at)
        return;
    if (receive->crc && receive->asked == ASKED_FOR_CRC)
        receive->crc = false;
    receive->asked += receive->crc;
    answer(receive, receive->crc ? XMODEM_CRC : XMODEM_NAK, 1);
    receive->ask_at = now + ASK_EVERY;
    uint64_t end = receive->begun + receive->options.start_time;
    receive->until = receive->ask_at < end ? receive->ask_at : end;
}

size_t wry_xmodem_receive_output(struct wry_xmodem_receive *receive, uint64_t now,
                                 const uint8_t **bytes)
{
    bool goes_on = receive->state == WRY_XMODEM_RUNNING;

    if (goes_on && receive->phase == ASKING)
        ask_to_begin(receive, now);
    else if (goes_on && receive->output_length == 0 && now >= receive->until)
        ask_again(receive, now);
    size_t n = receive->output_length;
    receive->output_length = 0;
    *bytes = receive->output;
    return n;
}

uint64_t wry_xmodem_receive_deadline(const struct wry_xmodem_receive *receive)
{
    return receive->until;
}

void wry_xmodem_receive_cancel(struct wry_xmodem_receive *receive)
{
    if (receive->state == WRY_XMODEM_RUNNING)
        fail(receive, WRY_XMODEM_STOPPED, true);
}

size_t wry_xmodem_receive_content(struct wry_xmodem_receive *receive, const uint8_t **content)
{
    if (!receive->ready)
        return 0;
    receive->ready = false;
    *content = receive->frame + 3;
    return receive->frame[0] == XMODEM_STX ? WRY_XMODEM_LARGE : WRY_XMODEM_SMALL;
}
