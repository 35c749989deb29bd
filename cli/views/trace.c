/* The trace of a link. */
#include "trace.h"

#include "wrytograph/frame.h"
#include "wrytograph/message.h"

enum {
    HEAD = 4, /* bytes of a body that are kept: kind, flags, sequence number */
};

/* One direction. */
struct flow {
    const char *arrow;
    bool inside, escaped;
    uint8_t head[HEAD];
    size_t length;  /* of the frame's body and FCS */
    size_t outside; /* bytes since the last frame */
};

struct trace {
    const struct app *app;
    struct flow sent, received;
};

struct trace *trace_new(const struct app *app)
{
    struct trace *trace = g_new0(struct trace, 1);

    trace->app = app;
    trace->sent.arrow = ">";
    trace->received.arrow = "<";
    return trace;
}

void trace_free(struct trace *trace)
{
    g_free(trace);
}

static const char *name_of(uint8_t kind)
{
    static const char *const names[] = {
        [WRY_KIND_HELLO] = "hello", [WRY_KIND_SPEED] = "speed",   [WRY_KIND_ERASE] = "erase",
        [WRY_KIND_DATA] = "data",   [WRY_KIND_READ] = "read",     [WRY_KIND_DIGEST] = "digest",
        [WRY_KIND_START] = "start", [WRY_KIND_STATUS] = "status",
    };
    uint8_t plain = kind & (uint8_t)~WRY_KIND_REPLY;

    if (kind == WRY_KIND_ERROR)
        return "error";
    return plain < G_N_ELEMENTS(names) && names[plain] ? names[plain] : "unknown";
}

static void show_outside(struct trace *trace, struct flow *flow, uint64_t now)
{
    if (flow->outside > 0)
        app_note(trace->app, "%10.6f s  %s %zu bytes outside frames", (double)now / 1e6,
                 flow->arrow, flow->outside);
    flow->outside = 0;
}

static void end_frame(struct trace *trace, struct flow *flow, uint64_t now)
{
    size_t body = flow->length > WRY_FRAME_FCS_SIZE ? flow->length - WRY_FRAME_FCS_SIZE : 0;
    uint8_t kind = flow->head[0];
    bool reply = (kind & WRY_KIND_REPLY) != 0 && kind != WRY_KIND_ERROR;

    show_outside(trace, flow, now);
    app_note(trace->app, "%10.6f s  %s %s%s, sequence %u, %zu bytes", (double)now / 1e6,
             flow->arrow, name_of(kind), reply ? " reply" : "",
             (unsigned)(flow->head[2] | flow->head[3] << 8), body);
}

/* Frames as in docs/protocol.md; their FCS is not checked here. */
static void follow(struct trace *trace, struct flow *flow, const struct wry_trace *event)
{
    for (size_t i = 0; i < event->n; i++) {
        uint8_t byte = event->bytes[i];
        if (byte == WRY_FRAME_FLAG && flow->inside && flow->length > 0) {
            end_frame(trace, flow, event->now);
            flow->inside = false;
        } else if (byte == WRY_FRAME_FLAG) {
            flow->inside = true;
            flow->length = 0;
            flow->escaped = false;
        } else if (!flow->inside) {
            flow->outside++;
        } else if (byte == WRY_FRAME_ESCAPE) {
            flow->escaped = true;
        } else {
            if (flow->length < HEAD)
                flow->head[flow->length] = flow->escaped ? byte ^ 0x20 : byte;
            flow->escaped = false;
            flow->length++;
        }
    }
    show_outside(trace, flow, event->now);
}

void trace_show(struct trace *trace, const struct wry_trace *event)
{
    double seconds = (double)event->now / 1e6;
    const char *failed = event->status == WRY_OK ? "" : ": failed";

    switch (event->kind) {
    case WRY_TRACE_SENT:
        follow(trace, &trace->sent, event);
        break;
    case WRY_TRACE_RECEIVED:
        follow(trace, &trace->received, event);
        break;
    case WRY_TRACE_SPEED:
        app_note(trace->app, "%10.6f s    %u baud%s", seconds, (unsigned)event->speed, failed);
        break;
    case WRY_TRACE_LINES:
        app_note(trace->app, "%10.6f s    reset %s, boot strap %s%s", seconds,
                 event->reset ? "held" : "released", event->boot ? "held" : "released", failed);
        break;
    case WRY_TRACE_FAILED:
        app_note(trace->app, "%10.6f s    the port failed (status %d)", seconds,
                 (int)event->status);
        break;
    }
}
