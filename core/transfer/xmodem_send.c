/*
 * The sender of XMODEM. A frame that was sent twice may be answered twice, and the second answer,
 * taken for that of the next frame, would leave out a block. So an answer that comes before its
 * frame can have arrived does not count then. If no other comes, again and again, it was the
 * answer: the line is faster than its speed says.
 */
#include "xmodem.h"

#include "bytes/memory.h"

enum phase {
    BEGINNING, /* the receiver asks for the first block */
    SENDING,   /* it confirms a block */
    ENDING,    /* it confirms the end */
};

enum {
    EARLY_MOST = 2, /* early answers to one frame that no other followed */
};

#define BEGIN_QUIET 50000u /* us of silence after which a letter was no part of a text */

void wry_xmodem_send_begin(struct wry_xmodem_send *send, const struct wry_xmodem_options *options,
                           const struct wry_reader *content, uint32_t length, uint64_t now)
{
    memset(send, 0, sizeof *send);
    send->options = *options;
    send->content = *content;
    send->length = length;
    send->until = now + options->start_time;
}

static void fail(struct wry_xmodem_send *send, enum wry_xmodem_failure failure, bool cancels)
{
    send->state = WRY_XMODEM_FAILED;
    send->failure = failure;
    send->pending = cancels;
    send->frame_length = XMODEM_CANS;
    memset(send->frame, XMODEM_CAN, XMODEM_CANS);
}

static size_t block_for(const struct wry_xmodem_send *send, uint32_t left)
{
    bool fewer = left <= WRY_XMODEM_LARGE - WRY_XMODEM_SMALL;

    return send->options.large && send->crc && !fewer ? WRY_XMODEM_LARGE : WRY_XMODEM_SMALL;
}

/* Puts the block at done, or the end, into the frame. */
static void compose(struct wry_xmodem_send *send)
{
    uint32_t left = send->length - send->done;
    uint8_t *content = send->frame + 3;

    send->surplus = send->sent > send->answers;
    send->sent = send->answers = 0;
    send->early = false;
    send->only_early = 0;
    send->tries = 0;
    send->again = false;
    send->pending = true;
    send->cans = 0;
    if (left == 0) {
        send->phase = ENDING;
        send->frame[0] = XMODEM_EOT;
        send->frame_length = 1;
        return;
    }
    send->phase = SENDING;
    send->number++;
    send->block = block_for(send, left);
    size_t n = left < send->block ? left : send->block;
    if (!send->content.read(send->content.context, send->done, content, n)) {
        fail(send, WRY_XMODEM_UNREADABLE, true);
        return;
    }
    memset(content + n, WRY_XMODEM_PADDING, send->block - n);
    send->frame[0] = send->block == WRY_XMODEM_LARGE ? XMODEM_STX : XMODEM_SOH;
    send->frame[1] = send->number;
    send->frame[2] = (uint8_t)~send->number;
    send->frame_length =
        3 + send->block + xmodem_check(content + send->block, content, send->block, send->crc);
}

static void repeat(struct wry_xmodem_send *send)
{
    send->only_early += send->early;
    send->early = false;
    send->unpaced = send->unpaced || send->only_early == EARLY_MOST;
    if (++send->tries == WRY_XMODEM_TRIES) {
        fail(send, send->again ? WRY_XMODEM_REFUSED : WRY_XMODEM_NOT_ANSWERED, true);
        return;
    }
    send->pending = true;
    send->repeated += send->phase == SENDING;
}

static void confirm(struct wry_xmodem_send *send)
{
    uint32_t left = send->length - send->done;

    if (send->phase == ENDING) {
        send->state = WRY_XMODEM_DONE;
        return;
    }
    send->done += left < send->block ? left : (uint32_t)send->block;
    compose(send);
}

static bool take_request(struct wry_xmodem_send *send, uint8_t byte, uint64_t now)
{
    bool asks = byte == XMODEM_CRC || byte == XMODEM_NAK;

    send->asked = asks ? byte : 0;
    send->asked_at = now;
    return byte == XMODEM_NAK || byte == XMODEM_CAN;
}

/* True for an answer that may be that of an earlier frame. */
static bool is_stale(struct wry_xmodem_send *send, uint64_t now)
{
    bool early = now < send->answer_at, once = send->sent == 1 && !send->surplus;

    send->unpaced = send->unpaced || (early && once);
    return send->pending || (early && !once && !send->unpaced);
}

static bool take_answer(struct wry_xmodem_send *send, uint8_t byte, uint64_t now)
{
    bool asks = byte == XMODEM_NAK || (byte == XMODEM_CRC && send->done == 0);

    if ((byte == XMODEM_ACK || asks) && is_stale(send, now)) {
        send->early = send->early || (byte == XMODEM_ACK && !send->pending);
    } else if (byte == XMODEM_ACK || asks) {
        send->answers++;
        send->again = send->again || asks;
        if (asks)
            repeat(send);
        else
            confirm(send);
    }
    return byte == XMODEM_ACK || byte == XMODEM_NAK || byte == XMODEM_CAN || byte == XMODEM_CRC;
}

bool wry_xmodem_send_input(struct wry_xmodem_send *send, uint8_t byte, uint64_t now)
{
    if (send->state != WRY_XMODEM_RUNNING)
        return false;
    send->cans = byte == XMODEM_CAN ? (uint8_t)(send->cans + 1) : 0;
    if (send->cans == 2) {
        fail(send, WRY_XMODEM_CANCELLED, false);
        return true;
    }
    return send->phase == BEGINNING ? take_request(send, byte, now) : take_answer(send, byte, now);
}

/* us: when no text has followed the letter. */
static uint64_t begin_at(const struct wry_xmodem_send *send)
{
    return send->asked_at + BEGIN_QUIET + xmodem_line_time(send->options.speed, 2);
}

static void wait_for_beginning(struct wry_xmodem_send *send, uint64_t now)
{
    if (send->asked != 0 && now >= begin_at(send)) {
        send->crc = send->asked == XMODEM_CRC;
        compose(send);
    } else if (now >= send->until) {
        fail(send, WRY_XMODEM_NOT_BEGUN, false);
    }
}

size_t wry_xmodem_send_output(struct wry_xmodem_send *send, uint64_t now, const uint8_t **bytes)
{
    if (send->state == WRY_XMODEM_RUNNING && send->phase == BEGINNING)
        wait_for_beginning(send, now);
    else if (send->state == WRY_XMODEM_RUNNING && !send->pending && now >= send->until)
        repeat(send);
    if (!send->pending)
        return 0;
    uint64_t time = xmodem_line_time(send->options.speed, send->frame_length);
    send->pending = false;
    send->sent++;
    send->answer_at = now + time - time / 4;
    send->until = now + time + XMODEM_ANSWER_TIME;
    *bytes = send->frame;
    return send->frame_length;
}

uint64_t wry_xmodem_send_deadline(const struct wry_xmodem_send *send)
{
    bool asked = send->phase == BEGINNING && send->asked != 0;

    return asked ? begin_at(send) : send->until;
}

void wry_xmodem_send_cancel(struct wry_xmodem_send *send)
{
    if (send->state == WRY_XMODEM_RUNNING)
        fail(send, WRY_XMODEM_STOPPED, true);
}
