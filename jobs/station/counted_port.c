/* A port that counts the bytes that pass through another one. */
#include "jobs/station/counted_port.h"

static void tell(const struct counted_port *counted, struct wry_trace trace)
{
    if (!counted->trace)
        return;
    trace.now = counted->inner->now(counted->inner->context);
    if ((trace.kind == WRY_TRACE_SENT || trace.kind == WRY_TRACE_RECEIVED) &&
        trace.status != WRY_OK)
        trace.kind = WRY_TRACE_FAILED;
    counted->trace(counted->context, &trace);
}

static enum wry_status counted_write(void *context, const uint8_t *bytes, size_t n)
{
    struct counted_port *counted = context;
    enum wry_status status = counted->inner->write(counted->inner->context, bytes, n);

    if (status == WRY_OK)
        counted->sent += n;
    tell(counted,
         (struct wry_trace){.kind = WRY_TRACE_SENT, .bytes = bytes, .n = n, .status = status});
    return status;
}

static enum wry_status counted_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                    size_t *got)
{
    struct counted_port *counted = context;
    enum wry_status status =
        counted->inner->read(counted->inner->context, bytes, room, deadline, got);

    if (status == WRY_OK)
        counted->received += *got;
    if (status != WRY_OK || *got > 0)
        tell(counted, (struct wry_trace){.kind = WRY_TRACE_RECEIVED,
                                         .bytes = bytes,
                                         .n = status == WRY_OK ? *got : 0,
                                         .status = status});
    return status;
}

static enum wry_status counted_set_speed(void *context, uint32_t baud)
{
    const struct counted_port *counted = context;
    enum wry_status status = counted->inner->set_speed(counted->inner->context, baud);

    tell(counted, (struct wry_trace){.kind = WRY_TRACE_SPEED, .speed = baud, .status = status});
    return status;
}

static bool counted_can_speed(void *context, uint32_t baud)
{
    const struct wry_port *inner = ((struct counted_port *)context)->inner;

    return inner->can_speed(inner->context, baud);
}

static enum wry_status counted_set_lines(void *context, bool reset, bool boot)
{
    const struct counted_port *counted = context;
    enum wry_status status = counted->inner->set_lines(counted->inner->context, reset, boot);

    tell(counted, (struct wry_trace){
                      .kind = WRY_TRACE_LINES, .reset = reset, .boot = boot, .status = status});
    return status;
}

static enum wry_status counted_send_break(void *context)
{
    const struct wry_port *inner = ((struct counted_port *)context)->inner;

    return inner->send_break(inner->context);
}

static enum wry_status counted_discard(void *context)
{
    const struct wry_port *inner = ((struct counted_port *)context)->inner;

    return inner->discard(inner->context);
}

static enum wry_status counted_reopen(void *context)
{
    const struct wry_port *inner = ((struct counted_port *)context)->inner;

    return inner->reopen(inner->context);
}

static uint64_t counted_now(void *context)
{
    const struct wry_port *inner = ((struct counted_port *)context)->inner;

    return inner->now(inner->context);
}

static void counted_sleep(void *context, uint64_t until)
{
    const struct wry_port *inner = ((struct counted_port *)context)->inner;

    inner->sleep(inner->context, until);
}

void counted_port_open(struct counted_port *counted, const struct wry_port *inner)
{
    counted->inner = inner;
    counted->opened = inner->now(inner->context);
    counted->port = (struct wry_port){.context = counted,
                                      .write = counted_write,
                                      .read = counted_read,
                                      .set_speed = counted_set_speed,
                                      .can_speed = inner->can_speed ? counted_can_speed : NULL,
                                      .set_lines = counted_set_lines,
                                      .send_break = inner->send_break ? counted_send_break : NULL,
                                      .discard = counted_discard,
                                      .reopen = inner->reopen ? counted_reopen : NULL,
                                      .now = counted_now,
                                      .sleep = counted_sleep,
                                      .top_speed = inner->top_speed};
}
