/* A port that passes everything on. */
#include "port_filter.h"

static const struct wry_port *behind(void *context)
{
    return *(const struct wry_port **)context;
}

static enum wry_status pass_write(void *context, const uint8_t *bytes, size_t n)
{
    const struct wry_port *port = behind(context);

    return port->write(port->context, bytes, n);
}

static enum wry_status pass_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    const struct wry_port *port = behind(context);

    return port->read(port->context, bytes, room, deadline, got);
}

static enum wry_status pass_set_speed(void *context, uint32_t baud)
{
    const struct wry_port *port = behind(context);

    return port->set_speed(port->context, baud);
}

static enum wry_status pass_set_lines(void *context, bool reset, bool boot)
{
    const struct wry_port *port = behind(context);

    return port->set_lines(port->context, reset, boot);
}

static enum wry_status pass_discard(void *context)
{
    const struct wry_port *port = behind(context);

    return port->discard(port->context);
}

static uint64_t pass_now(void *context)
{
    const struct wry_port *port = behind(context);

    return port->now(port->context);
}

static void pass_sleep(void *context, uint64_t until)
{
    const struct wry_port *port = behind(context);

    port->sleep(port->context, until);
}

struct wry_port port_filter(void *context)
{
    return (struct wry_port){.context = context,
                             .write = pass_write,
                             .read = pass_read,
                             .set_speed = pass_set_speed,
                             .set_lines = pass_set_lines,
                             .discard = pass_discard,
                             .now = pass_now,
                             .sleep = pass_sleep,
                             .top_speed = behind(context)->top_speed};
}
