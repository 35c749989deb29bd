/* Wirings, and the serving end of RFC 2217 without a network. */
#include <string.h>

#include "harness.h"
#include "posix/wiring_lines.h"
#include "rfc2217/com_port.h"
#include "rfc2217/server.h"
#include "rig.h"
#include "wrytograph-host/wiring.h"

static void every_wiring_leads_back_to_what_was_meant(void)
{
    unsigned count = 0;

    for (size_t n = 0; wry_wiring_at(n); n++) {
        const struct wry_wiring *wiring = wry_wiring_at(n);
        CHECK(wry_wiring_by_name(wiring->name) == wiring);
        for (unsigned meant = 0; meant < 4 && !wiring->none; meant++, count++) {
            bool dtr, rts, reset, boot;
            wiring_outputs(wiring, meant & 1, meant & 2, &dtr, &rts);
            wiring_meaning(wiring, dtr, rts, &reset, &boot);
            check_context("%s %u", wiring->name, meant);
            /* Both at once cannot be held there. */
            CHECK_EQUAL(wiring->cross_coupled && meant == 3 ? 1 : meant,
                        (unsigned)reset | (unsigned)boot << 1);
        }
    }
    CHECK_EQUAL(20, count);
    CHECK(wry_wiring_by_name("knitted") == NULL);
}

static void the_usual_wiring_is_as_its_words_say(void)
{
    bool dtr, rts;

    wiring_outputs(wry_wiring_at(0), true, false, &dtr, &rts);
    CHECK(rts && !dtr);
    wiring_outputs(wry_wiring_by_name("dtr-reset-inverted"), true, false, &dtr, &rts);
    CHECK(!dtr && rts);
}

/* What the server did. */
struct record {
    uint8_t sent[8192], data[8192];
    size_t sent_n, data_n;
    uint32_t baud;
    bool dtr, rts;
    unsigned outputs;
};

static void on_send(void *context, const uint8_t *bytes, size_t n)
{
    struct record *r = context;

    CHECK(r->sent_n + n <= sizeof r->sent);
    memcpy(r->sent + r->sent_n, bytes, n);
    r->sent_n += n;
}

static void on_data(void *context, const uint8_t *bytes, size_t n)
{
    struct record *r = context;

    CHECK(r->data_n + n <= sizeof r->data);
    memcpy(r->data + r->data_n, bytes, n);
    r->data_n += n;
}

static void on_speed(void *context, uint32_t baud)
{
    struct record *r = context;

    r->baud = baud;
}

static void on_outputs(void *context, bool dtr, bool rts)
{
    struct record *r = context;

    r->dtr = dtr;
    r->rts = rts;
    r->outputs++;
}

static struct rfc2217_server *begin(struct record *record)
{
    memset(record, 0, sizeof *record);
    return rfc2217_server_new(&(struct rfc2217_calls){.context = record,
                                                      .send = on_send,
                                                      .data = on_data,
                                                      .speed = on_speed,
                                                      .outputs = on_outputs});
}

static bool sent(const struct record *record, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i + n <= record->sent_n; i++) {
        if (memcmp(record->sent + i, bytes, n) == 0)
            return true;
    }
    return false;
}

static void speed_and_lines_are_set_and_answered(void)
{
    static const uint8_t speed[] = {255, 250, 44, 1, 0, 0x0E, 0x10, 0, 255, 240};
    static const uint8_t answer[] = {255, 250, 44, 101, 0, 0x0E, 0x10, 0, 255, 240};
    static const uint8_t rts[] = {255, 250, 44, 5, 11, 255, 240};
    static const uint8_t rts_answer[] = {255, 250, 44, 105, 11, 255, 240};
    static const uint8_t ask[] = {255, 250, 44, 5, 10, 255, 240};
    struct record record;
    struct rfc2217_server *server = begin(&record);

    rfc2217_server_take(server, (const uint8_t[]){255, 251, 44}, 3);
    CHECK(sent(&record, (const uint8_t[]){255, 253, 44}, 3));
    rfc2217_server_take(server, speed, sizeof speed);
    CHECK_EQUAL(921600, record.baud);
    CHECK(sent(&record, answer, sizeof answer));
    rfc2217_server_take(server, rts, sizeof rts);
    CHECK(record.rts && !record.dtr);
    CHECK(sent(&record, rts_answer, sizeof rts_answer));
    record.sent_n = 0;
    rfc2217_server_take(server, ask, sizeof ask);
    CHECK(sent(&record, rts_answer, sizeof rts_answer));
    rfc2217_server_free(server);
}

static void data_comes_through_byte_for_byte(void)
{
    struct record record;
    struct rfc2217_server *server = begin(&record);
    uint8_t bytes[512], telnet[1024];
    size_t n = 0;

    for (size_t i = 0; i < sizeof bytes; i++) {
        bytes[i] = (uint8_t)i;
        telnet[n++] = (uint8_t)i;
        if (bytes[i] == 255)
            telnet[n++] = 255;
    }
    for (size_t at = 0; at < n; at += 3)
        rfc2217_server_take(server, telnet + at, n - at < 3 ? n - at : 3);
    CHECK_EQUAL(sizeof bytes, record.data_n);
    CHECK(memcmp(record.data, bytes, sizeof bytes) == 0);
    rfc2217_server_give(server, bytes, sizeof bytes);
    CHECK(record.sent_n == n && memcmp(record.sent, telnet, n) == 0);
    rfc2217_server_free(server);
}

static void arbitrary_telnet_does_no_harm(void)
{
    static struct record record;
    uint8_t bytes[300];

    for (uint64_t seed = 0; seed < 2000; seed++) {
        struct rfc2217_server *server = begin(&record);
        rig_random(bytes, sizeof bytes, seed);
        for (size_t i = 0; i < sizeof bytes - 4; i += 5 + seed % 11) {
            bytes[i] = 255;
            bytes[i + 1] = (uint8_t)(seed % 3 ? 250 : 240 + bytes[i + 1] % 15);
            bytes[i + 2] = COM_PORT_OPTION;
            bytes[i + 3] %= 13;
        }
        rfc2217_server_take(server, bytes, sizeof bytes);
        CHECK(record.data_n <= sizeof bytes);
        rfc2217_server_free(server);
    }
}

/* RFC 1950 behind IAC SB COMPRESS2 IAC SE: nobody agreed to it, and it could become anything. */
static void who_sends_compressed_is_hung_up_on(void)
{
    static const uint8_t marked[] = {'o', 'k',  255,  250,  86,   255,
                                     240, 0x78, 0x9C, 0x4B, 0x04, 0x00};
    struct record record;
    struct rfc2217_server *server = begin(&record);

    CHECK(rfc2217_server_take(server, marked, 4));
    CHECK(!rfc2217_server_take(server, marked + 4, sizeof marked - 4));
    CHECK(!rfc2217_server_take(server, marked, 2));
    CHECK_EQUAL(2, record.data_n);
    rfc2217_server_free(server);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_wiring_leads_back_to_what_was_meant),
        FACT(the_usual_wiring_is_as_its_words_say),
        FACT(speed_and_lines_are_set_and_answered),
        FACT(data_comes_through_byte_for_byte),
        FACT(arbitrary_telnet_does_no_harm),
        FACT(who_sends_compressed_is_hung_up_on),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
