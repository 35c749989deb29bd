/* Any bytes from a client of the serving end: the same comes of them in any pieces, and what goes
 * back can be taken apart. */
#include <glib.h>
#include <string.h>

#include "door.h"
#include "rfc2217/server.h"

struct heard {
    GByteArray *data, *sent;
    guint speeds, outputs, breaks;
    uint32_t last_speed;
    bool taken;
};

static void on_send(void *context, const uint8_t *bytes, size_t n)
{
    struct heard *heard = context;

    g_byte_array_append(heard->sent, bytes, (guint)n);
}

static void on_data(void *context, const uint8_t *bytes, size_t n)
{
    struct heard *heard = context;

    g_byte_array_append(heard->data, bytes, (guint)n);
}

static void on_speed(void *context, uint32_t baud)
{
    struct heard *heard = context;

    MUST(baud > 0);
    heard->speeds++;
    heard->last_speed = baud;
}

static void on_outputs(void *context, bool dtr, bool rts)
{
    struct heard *heard = context;

    heard->outputs += 1u + dtr + 2u * rts;
}

static void on_break(void *context)
{
    struct heard *heard = context;

    heard->breaks++;
}

static struct heard serve(const uint8_t *bytes, size_t n, size_t step)
{
    struct heard heard = {.data = g_byte_array_new(), .sent = g_byte_array_new(), .taken = true};
    struct rfc2217_server *server =
        rfc2217_server_new(&(struct rfc2217_calls){.context = &heard,
                                                   .send = on_send,
                                                   .data = on_data,
                                                   .speed = on_speed,
                                                   .outputs = on_outputs,
                                                   .line_break = on_break});

    for (size_t at = 0; at < n && heard.taken; at += step)
        heard.taken = rfc2217_server_take(server, bytes + at, n - at < step ? n - at : step);
    rfc2217_server_give(server, bytes, n);
    rfc2217_server_free(server);
    return heard;
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct heard whole = serve(bytes, n, n + 1), single = serve(bytes, n, 1);

    MUST(whole.data->len == single.data->len &&
         (whole.data->len == 0 ||
          memcmp(whole.data->data, single.data->data, whole.data->len) == 0));
    MUST(whole.data->len <= n && whole.sent->len <= 64 * n + 4096);
    MUST(whole.taken == single.taken);
    MUST(whole.speeds == single.speeds && whole.last_speed == single.last_speed &&
         whole.outputs == single.outputs && whole.breaks == single.breaks);
    g_byte_array_unref(whole.data);
    g_byte_array_unref(whole.sent);
    g_byte_array_unref(single.data);
    g_byte_array_unref(single.sent);
    return 0;
}
