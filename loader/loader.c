/* One poll of the loader: receive, act, send. */
#include "wrytograph/loader.h"
#include "wire/frame_codec.h"

#include "bytes/memory.h"

#include "loader_inner.h"

enum {
    BITS_PER_BYTE = 10,  /* bits of a byte on the line */
    PROGRAM_REST = 50,   /* us between status reads: a page takes some hundred us */
    ERASE_REST = 500,    /* and a sector tens of thousands */
    CONFIRM_LEAST = 100, /* ms, the shortest confirm time */
    CONFIRM_MOST = 2000,
};

void wry_loader_init(struct wry_loader *loader, const struct wry_board_port *port,
                     const struct wry_board_identity *identity, void *memory, size_t size)
{
    memset(loader, 0, sizeof *loader);
    loader->port = port;
    loader->identity = *identity;
    loader_memory_divide(loader, memory, size);
    loader_packed_divide(loader);
    frame_decoder_init(&loader->decoder, loader->body, sizeof loader->body);
    loader->speed = WRY_STARTING_SPEED;
    loader->speed_confirmed = loader->speed_proved = true;
    loader->heard_at = port->now(port->context);
    port->set_speed(port->context, loader->speed);
    loader_flash_start(loader);
}

/* A new session: cancels what the previous one left unfinished. */
static void begin_session(struct wry_loader *loader, uint32_t token)
{
    loader->in_session = true;
    loader->token = token;
    loader_read_drop(loader);
    loader->progress_due = false;
    memset(&loader->write, 0, sizeof loader->write);
    memset(&loader->digest, 0, sizeof loader->digest);
    memset(&loader->content, 0, sizeof loader->content);
    if (loader->op == WRY_OP_NONE && !loader_flash_await(loader))
        loader_flash_identify(loader);
    if (loader->op != WRY_OP_NONE)
        loader->op = WRY_OP_DROPPED;
}

static void on_hello(struct wry_loader *loader, const struct wry_message *message)
{
    struct wry_hello_message hello;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    if (!wry_message_get_hello(message, &hello)) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_MALFORMED, 0);
        return;
    }
    bool spoken =
        hello.version_min <= WRY_PROTOCOL_VERSION && hello.version_max >= WRY_PROTOCOL_VERSION;
    bool continued = loader->in_session && hello.token == loader->token;
    loader->part.told = hello.flash_size;
    if (!continued)
        begin_session(loader, hello.token);
    if (loader_flash_await(loader)) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_BUSY, 0);
        return;
    }
    const struct wry_loader_layout *old = &loader->layouts[1];
    struct wry_hello_reply reply = {
        .token = hello.token,
        .version = spoken ? WRY_PROTOCOL_VERSION : 0,
        .continued = continued,
        .features =
            WRY_FEATURE_WHOLE | WRY_FEATURE_SPREAD | WRY_FEATURE_AFTER | WRY_FEATURE_CLEAR |
            (loader->identity.usual_protection ? 0 : WRY_FEATURE_BLIND) |
            (loader->layouts[0].dictionary > 0 ? WRY_FEATURE_STREAMS : 0) |
            (loader->layouts[0].dictionary > 0 && loader_lzma_is_built_in() ? WRY_FEATURE_LZMA
                                                                            : 0) |
            (loader_packed_can(loader) ? WRY_FEATURE_PACKED : 0) |
            (loader->cache_size > 0 ? WRY_FEATURE_SOON : 0) | WRY_FEATURE_PROOF |
            WRY_FEATURE_TOGETHER | WRY_FEATURE_ODD |
            (loader->port->sha256 ? WRY_FEATURE_ACCELERATOR : 0),
        .chip_code = loader->identity.chip_code,
        .chip_revision = loader->identity.chip_revision,
        .protect = loader->protect,
        .encodings = 1u << WRY_ENCODING_STORED | 1u << WRY_ENCODING_BLANK,
        .capacity = loader->capacity,
        .window = (uint32_t)loader->layouts[0].window_pages * WRY_PAGE_SIZE,
        .old_window = (uint32_t)old->window_pages * WRY_PAGE_SIZE,
        .payload_max = WRY_PAYLOAD_MAX,
        .top_speed = loader->identity.top_speed,
        .dictionary = loader->layouts[0].dictionary,
        .old_dictionary = old->dictionary,
        .old_block = old->old_block,
        .old_history = old->old_size - old->old_block,
        .flash_limit = loader->part.limit,
        .size_from = loader->part.size_from,
        .filters = loader_stream_filters(loader),
        .flash_rate = (uint8_t)(loader->part.lines * loader->identity.flash_mhz / 8),
        .erase_least = loader->part.least_log2 > 0 ? UINT32_C(1) << loader->part.least_log2 : 0,
    };
    memcpy(reply.eui48, loader->identity.eui48, sizeof reply.eui48);
    memcpy(reply.jedec, loader->jedec, sizeof reply.jedec);
    size_t n = wry_message_put_hello_reply(head, message->seq, &reply);
    if (loader_output_has_room(loader, n))
        loader_output_frame(loader, head, n, NULL, 0);
}

static uint32_t confirm_time(uint32_t ms)
{
    if (ms == 0)
        return WRY_LOADER_SPEED_CONFIRM;
    return 1000 * (ms < CONFIRM_LEAST ? CONFIRM_LEAST : loader_least(ms, CONFIRM_MOST));
}

static void on_speed(struct wry_loader *loader, const struct wry_message *message)
{
    struct wry_speed_message speed;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    if (!wry_message_get_speed(message, &speed)) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_MALFORMED, 0);
        return;
    }
    if (speed.baud < WRY_SLOWEST_SPEED || speed.baud > loader->identity.top_speed) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_UNSUPPORTED, 0);
        return;
    }
    size_t n = wry_message_put_speed(head, message->kind | WRY_KIND_REPLY, message->seq, &speed);
    if (!loader_output_has_room(loader, n))
        return;
    loader_output_frame(loader, head, n, NULL, 0);
    loader->speed_next = speed.baud;
    loader->speed_proved = !speed.prove;
    loader->speed_confirm = confirm_time(speed.confirm_ms);
    loader_read_drop(loader); /* the host repeats its requests once the new speed works */
}

static void on_start(struct wry_loader *loader, const struct wry_message *message)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t n = wry_message_put_bare(head, message->kind | WRY_KIND_REPLY, message->seq);

    if (loader->write.state == WRY_JOB_RUNNING) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_BUSY,
                            loader->write.start);
        return;
    }
    if (loader_output_has_room(loader, n)) {
        loader_output_frame(loader, head, n, NULL, 0);
        loader->restart_due = true;
    }
}

/*
 * A hello proves that the host is heard. Whether the host hears the board shows when it says so, or
 * sends another request.
 */
static void note_life(struct wry_loader *loader, const struct wry_message *message)
{
    loader->speed_proved |=
        message->kind != WRY_KIND_HELLO || (message->flags & WRY_FLAG_HEARD) != 0;
    if (!loader->speed_confirmed && !loader->speed_proved)
        return;
    loader->heard_at = loader->port->now(loader->port->context);
    loader->speed_confirmed = true;
}

static void on_frame(struct wry_loader *loader)
{
    struct wry_message message;

    if (!wry_message_split(&message, loader->decoder.body, loader->decoder.length))
        return;
    if (loader->speed_next == 0)
        note_life(loader, &message);
    loader->last_seq = message.seq;
    switch (message.kind) {
    case WRY_KIND_HELLO:
        on_hello(loader, &message);
        break;
    case WRY_KIND_SPEED:
        on_speed(loader, &message);
        break;
    case WRY_KIND_ERASE:
        loader_write_request(loader, &message);
        break;
    case WRY_KIND_DATA:
        loader_write_data(loader, &message);
        break;
    case WRY_KIND_READ:
        loader_read_request(loader, &message);
        break;
    case WRY_KIND_DIGEST:
        loader_digest_request(loader, &message);
        break;
    case WRY_KIND_START:
        on_start(loader, &message);
        break;
    case WRY_KIND_STATUS:
        loader_write_progress(loader, message.seq);
        break;
    default:
        loader_output_error(loader, message.kind, message.seq, WRY_ERROR_UNSUPPORTED, 0);
    }
}

static bool take_input(struct wry_loader *loader)
{
    uint8_t bytes[128];
    size_t n = loader->port->receive(loader->port->context, bytes, sizeof bytes);
    const uint8_t *at = bytes;

    if (n > 0)
        loader->port->worked(loader->port->context, WRY_WORK_FRAME_IN, (uint32_t)n);
    for (size_t left = n; left > 0;) {
        enum wry_frame_event event;
        size_t used = frame_decoder_take(&loader->decoder, at, left, &event);
        at += used;
        left -= used;
        if (event == WRY_FRAME_GOOD)
            on_frame(loader);
    }
    return n > 0;
}

static void set_speed(struct wry_loader *loader, uint32_t baud, bool confirmed)
{
    loader->speed = baud;
    loader->speed_confirmed = confirmed;
    loader->heard_at = loader->port->now(loader->port->context);
    loader->port->set_speed(loader->port->context, baud);
}

/*
 * Watches the speed. A new speed must be confirmed soon; a confirmed one is abandoned after a
 * longer silence. The board's own sending counts as life, since the host then listens. At low
 * speeds a frame takes seconds, and some may be lost. Returns the us until the next check.
 */
static uint32_t watch_speed(struct wry_loader *loader, bool sending)
{
    uint32_t now = loader->port->now(loader->port->context);
    uint32_t frame_ms = WRY_FRAME_WORST(WRY_BODY_MAX) * 10u * 1000u / loader->speed;
    uint32_t allowed = loader->speed_confirmed
                           ? WRY_LOADER_SPEED_IDLE + WRY_LOADER_IDLE_FRAMES * frame_ms * 1000u
                           : loader->speed_confirm;

    if (sending && loader->speed_confirmed)
        loader->heard_at = now;
    uint32_t quiet = now - loader->heard_at;

    if (loader->speed == WRY_STARTING_SPEED)
        return WRY_LOADER_REST_MOST;
    if (quiet < allowed)
        return allowed - quiet;
    set_speed(loader, WRY_STARTING_SPEED, true);
    return WRY_LOADER_REST_MOST;
}

/* Does what had to wait until the last reply has left. */
static void after_sending(struct wry_loader *loader)
{
    if (!loader->port->transmitted(loader->port->context))
        return;
    if (loader->speed_next > 0) {
        set_speed(loader, loader->speed_next, false);
        loader->speed_next = 0;
    }
    if (loader->restart_due) {
        loader->restart_due = false;
        loader_flash_leave(loader);
        loader->port->restart(loader->port->context);
    }
}

/* The us until the next status read of the flash. */
static uint32_t flash_rest(const struct wry_loader *loader, bool awaited)
{
    if (loader->op == WRY_OP_PROGRAM)
        return PROGRAM_REST;
    return awaited || loader->op != WRY_OP_NONE ? ERASE_REST : WRY_LOADER_REST_MOST;
}

/* True while a job is in progress, even if it waits for the host. */
static bool is_at_work(const struct wry_loader *loader)
{
    return loader->write.state == WRY_JOB_RUNNING || loader->digest.state == WRY_JOB_RUNNING ||
           loader->read_count > 0;
}

uint32_t wry_loader_poll(struct wry_loader *loader)
{
    loader->port->worked(loader->port->context, WRY_WORK_TURN, 0);
    bool awaited = loader_flash_await(loader);
    bool busy = take_input(loader);

    if (!awaited) {
        bool wrote = loader_write_step(loader);
        /* The flash comes first: work without flash waits if the flash would be idle meanwhile. */
        bool spare = !wrote || loader->op != WRY_OP_NONE;
        busy |= wrote;
        if (loader_read_step(loader) || loader_digest_step(loader, spare))
            busy = true;
    }
    if (loader->progress_due)
        loader_write_progress(loader, 0);
    bool waited = loader->output_sent < loader->output_fill;
    bool sending = loader_output_drain(loader);
    if (!sending)
        after_sending(loader);
    uint32_t rest = watch_speed(loader, sending);
    /* There may be room now for what could not be sent. */
    if (busy || (waited && !sending))
        return 0;
    /* The port does not report when it has room or is empty. */
    if (sending || loader->progress_due || loader->speed_next > 0 || loader->restart_due)
        rest = loader_least(rest, BITS_PER_BYTE * 1000000u / loader->speed);
    if (is_at_work(loader))
        rest = loader_least(rest, WRY_LOADER_REST_WORK);
    return loader_least(rest, flash_rest(loader, awaited));
}
