/* examine: the link doctor. */
#include <string.h>

#include "findings.h"
#include "link.h"

#define LISTEN_TIME 400000u /* us at each speed */
#define PATIENCE 2500000u   /* us: a board that fades is a finding, not worth waiting for */
#define READ_LENGTH 0x10000u
#define LOAD_LENGTH 0x40000u

enum {
    READABLE_LEAST = 16, /* bytes of text worth believing */
};

static const uint32_t usual_speeds[] = {115200, 38400, 57600, 9600, 230400, 460800};

struct examination {
    struct app *app;
    enum finding finding;
    char *evidence;
    uint32_t speed; /* at which the board was understood; 0 = none */
};

static void find(struct examination *e, enum finding finding, char *evidence)
{
    e->finding = finding;
    g_free(e->evidence);
    e->evidence = evidence;
}

/* Bytes heard in a while, and how many of them are text. */
static bool listen(struct app *app, uint64_t time, unsigned *heard, unsigned *readable)
{
    const struct wry_port *port = app->port;
    uint64_t end = port->now(port->context) + time;
    uint8_t bytes[256];
    size_t got;

    *heard = *readable = 0;
    while (port->now(port->context) < end && !app_interrupted()) {
        if (port->read(port->context, bytes, sizeof bytes, end, &got) != WRY_OK)
            return false;
        *heard += (unsigned)got;
        for (size_t i = 0; i < got; i++)
            *readable +=
                (bytes[i] >= 0x20 && bytes[i] < 0x7F) || bytes[i] == '\r' || bytes[i] == '\n';
    }
    return true;
}

/* Held in reset, a board says nothing: what comes then comes from nowhere. */
static bool speaks_in_reset(struct app *app)
{
    const struct wry_port *port = app->port;
    unsigned heard, readable;

    port->set_lines(port->context, true, false);
    port->sleep(port->context, port->now(port->context) + 50000);
    port->discard(port->context);
    bool there = listen(app, LISTEN_TIME, &heard, &readable);
    port->set_lines(port->context, false, false);
    return there && heard > 4;
}

/* A session that calls at one speed. */
static enum wry_status call_at(struct app *app, uint32_t speed)
{
    struct wry_session_config config = {
        .token = link_token(app), .start_speed = speed, .max_speed = speed, .attempts = 1};

    wry_session_init(&app->session, app->port, &config);
    return wry_session_connect(&app->session);
}

static bool text_at(struct app *app, uint32_t speed)
{
    const struct wry_port *port = app->port;
    unsigned heard, readable;

    port->set_speed(port->context, speed);
    port->set_lines(port->context, true, false);
    port->sleep(port->context, port->now(port->context) + 50000);
    port->discard(port->context);
    port->set_lines(port->context, false, false);
    return listen(app, LISTEN_TIME, &heard, &readable) && readable >= READABLE_LEAST &&
           readable * 10 >= heard * 8;
}

/* Nothing understood at the usual speed: another one? */
static void try_other_speeds(struct examination *e)
{
    for (size_t i = 1; i < G_N_ELEMENTS(usual_speeds) && !app_interrupted(); i++) {
        uint32_t speed = usual_speeds[i];
        if (call_at(e->app, speed) == WRY_OK) {
            e->speed = speed;
            find(e, FINDING_OTHER_SPEED,
                 g_strdup_printf("a loader that answers at %u baud", (unsigned)speed));
            return;
        }
        if (text_at(e->app, speed)) {
            e->speed = speed;
            find(e, FINDING_OTHER_SPEED,
                 g_strdup_printf("readable text at %u baud", (unsigned)speed));
            return;
        }
    }
}

static void examine_silence(struct examination *e)
{
    find(e, finding_judge(wry_session_stats(&e->app->session)), finding_evidence(e->app));
    if (e->finding == FINDING_GARBAGE && speaks_in_reset(e->app)) {
        e->finding = FINDING_NO_GROUND;
        return;
    }
    if (e->finding == FINDING_GARBAGE || e->finding == FINDING_STRAP)
        try_other_speeds(e);
}

static bool forget(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    (void)offset;
    (void)bytes;
    (void)n;
    return true;
}

/* The board answers; does it also under load, and is the line clean? */
static void examine_work(struct examination *e)
{
    struct wry_session *session = &e->app->session;
    const struct wry_session_stats *stats = wry_session_stats(session);
    struct wry_writer writer = {.write = forget};
    uint32_t outside = stats->bytes_outside;
    uint8_t digest[WRY_SHA256_SIZE];
    enum wry_status status = wry_session_read(session, 0, READ_LENGTH, &writer);

    if (status == WRY_OK)
        status = wry_session_digest(session, 0, LOAD_LENGTH, digest);
    if (status != WRY_OK || stats->reconnects > 0) {
        bool text = stats->bytes_outside > outside + READABLE_LEAST;
        find(e, text ? FINDING_BROWN_OUT : FINDING_FADES,
             text ? g_strdup("boot text in the middle of the work")
                  : g_strdup("answers at first, then none"));
    } else if (stats->frames_bad > 0) {
        find(e, FINDING_NOISE,
             g_strdup_printf("%u damaged frames while 64 KiB were read at %u baud",
                             stats->frames_bad, (unsigned)session->speed));
    } else if (stats->speed_steps_down > 0) {
        find(e, FINDING_SLOW,
             g_strdup_printf("%u speeds given up; %u baud works, also under load",
                             stats->speed_steps_down, (unsigned)session->speed));
    } else {
        find(e, FINDING_GOOD,
             g_strdup_printf("a loader that answers at %u baud, also under load",
                             (unsigned)session->speed));
    }
}

static int report(struct examination *e)
{
    struct app *app = e->app;
    bool good = e->finding == FINDING_GOOD || e->finding == FINDING_SLOW;
    const char *const *checks = finding_checks(e->finding);

    app_outcome(app, good, "%s", finding_cause(e->finding));
    app_print(app, "Heard: %s.", e->evidence);
    if (checks[0])
        app_print(app, "Check, in this order:");
    for (unsigned i = 0; checks[i]; i++)
        app_print(app, "  %u. %s", i + 1, checks[i]);
    app_json_text(app, "finding", finding_name(e->finding));
    app_json_text(app, "cause", finding_cause(e->finding));
    app_json_text(app, "heard", e->evidence);
    app_json_number(app, "speed_baud", e->speed);
    if (good)
        return EXIT_DONE;
    if (e->finding == FINDING_NOISE || e->finding == FINDING_BROWN_OUT ||
        e->finding == FINDING_FADES)
        return EXIT_LINK_LOST;
    return EXIT_NO_ANSWER;
}

static int run(struct examination *e)
{
    struct app *app = e->app;
    struct wry_session_config config = {.patience = PATIENCE};
    int code = link_config(app, &config);

    if (code == EXIT_DONE)
        code = link_open(app);
    if (code != EXIT_DONE)
        return code;
    link_fix_speed(app, &config);
    app_note(app, "Examining %s …", app->link);
    enum wry_status status = link_call(app, &config);
    if (status == WRY_LINK_LOST)
        return app_fail_session(app, status);
    if (status == WRY_OK) {
        e->speed = app->session.speed;
        examine_work(e);
    } else {
        examine_silence(e);
    }
    if (app_interrupted())
        return app_fail(app, EXIT_STOPPED, NULL, "stopped at your request");
    return report(e);
}

int verb_examine(struct app *app, int argc, char **argv)
{
    struct examination e = {.app = app};

    if (!app_parse(app, argc, argv, APP_LINK, NULL, "",
                   "Says what is wrong with a link: calls the board, listens, tries other speeds,\n"
                   "and names the most likely cause, what was heard, and what to check first.\n"
                   "Changes nothing in the flash. Exit code 0: good; 4: no answer; 7: unreliable."))
        return app->code;
    if (app->rest[0])
        return app_fail(app, EXIT_USAGE, "See 'wrytograph examine --help'.",
                        "'%s' was not expected", app->rest[0]);
    int code = run(&e);
    g_free(e.evidence);
    return code;
}
