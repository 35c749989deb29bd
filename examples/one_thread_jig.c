/*
 * Many boards on one thread: each station runs in a coroutine, on a port of this program's own. A
 * station that waits for bytes lets the others go on.
 *
 * usage: one_thread_jig IMAGE TERMINAL...      raw terminals, as of 'wrytograph bench serve --pty'
 */
#define _GNU_SOURCE
#include <fcntl.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <termios.h>
#include <ucontext.h>
#include <unistd.h>
#include <wrytograph-host/jobs.h>
#include <wrytograph-host/words.h>

enum {
    MOST = 16,
    STACK = 1024 * 1024,
};

struct place {
    const char *image, *terminal;
    int file;
    struct wry_port port;
    ucontext_t context;
    bool ended;
    enum wry_outcome outcome;
};

static ucontext_t scheduler;
static struct place places[MOST];

static uint64_t now(void *context)
{
    (void)context;
    return (uint64_t)g_get_monotonic_time();
}

/* Lets the others go on. */
static void yield(struct place *place)
{
    swapcontext(&place->context, &scheduler);
}

static void sleep_until(void *context, uint64_t until)
{
    while (now(context) < until)
        yield(context);
}

static enum wry_status write_bytes(void *context, const uint8_t *bytes, size_t n)
{
    struct place *place = context;

    for (size_t sent = 0; sent < n;) {
        ssize_t some = write(place->file, bytes + sent, n - sent);
        sent += some > 0 ? (size_t)some : 0;
        if (some <= 0)
            yield(place);
    }
    return WRY_OK;
}

static enum wry_status read_bytes(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                  size_t *got)
{
    struct place *place = context;
    ssize_t some = 0;

    while ((some = read(place->file, bytes, room)) <= 0 && now(context) < deadline)
        yield(place);
    *got = some > 0 ? (size_t)some : 0;
    return WRY_OK;
}

static enum wry_status set_speed(void *context, uint32_t baud)
{
    (void)context, (void)baud; /* a pseudo-terminal has none */
    return WRY_OK;
}

static enum wry_status set_lines(void *context, bool reset, bool boot)
{
    (void)context, (void)reset, (void)boot; /* nor control lines: its board is in loading mode */
    return WRY_OK;
}

static enum wry_status discard(void *context)
{
    return tcflush(((struct place *)context)->file, TCIFLUSH) == 0 ? WRY_OK : WRY_LINK_LOST;
}

static void serve(int i)
{
    struct place *place = &places[i];
    struct wry_station_settings settings = {.port = &place->port, .link = place->terminal};
    struct wry_image_options image = {.place = "app", .file = place->image};
    struct wry_images_options options = {.images = &image, .image_count = 1};
    wry_auto(write_result) written = {0};
    struct wry_station *station = wry_station_new(&settings);

    place->outcome = wry_station_write(station, &options, &written);
    g_autofree char *words = wry_problem_sentence(wry_station_problem(station));
    printf("%s: %s\n", place->terminal,
           place->outcome == WRY_OUTCOME_DONE ? wry_outcome_text(WRY_OUTCOME_DONE) : words);
    wry_station_free(station);
    place->ended = true;
}

static bool begin(struct place *place, int i)
{
    struct termios raw;

    place->file = open(place->terminal, O_RDWR | O_NOCTTY | O_NONBLOCK);
    if (place->file < 0 || tcgetattr(place->file, &raw) != 0)
        return false;
    cfmakeraw(&raw);
    tcsetattr(place->file, TCSANOW, &raw);
    place->port = (struct wry_port){.context = place,
                                    .write = write_bytes,
                                    .read = read_bytes,
                                    .set_speed = set_speed,
                                    .set_lines = set_lines,
                                    .discard = discard,
                                    .now = now,
                                    .sleep = sleep_until,
                                    .top_speed = 921600};
    getcontext(&place->context);
    place->context.uc_stack.ss_sp = malloc(STACK);
    place->context.uc_stack.ss_size = STACK;
    place->context.uc_link = &scheduler;
    makecontext(&place->context, (void (*)(void))serve, 1, i);
    return true;
}

int main(int argc, char **argv)
{
    int count = argc - 2, working = count, failed = 0;

    if (count < 1 || count > MOST)
        return fprintf(stderr, "usage: one_thread_jig IMAGE TERMINAL...\n") > 0 ? 2 : 1;
    for (int i = 0; i < count; i++) {
        places[i] = (struct place){.image = argv[1], .terminal = argv[i + 2]};
        if (!begin(&places[i], i))
            return fprintf(stderr, "%s cannot be opened\n", argv[i + 2]) > 0 ? 2 : 1;
    }
    while (working > 0) {
        struct pollfd files[MOST];
        for (int i = 0; i < count; i++) {
            files[i] =
                (struct pollfd){.fd = places[i].ended ? -1 : places[i].file, .events = POLLIN};
            if (places[i].ended)
                continue;
            swapcontext(&scheduler, &places[i].context);
            working -= places[i].ended;
        }
        poll(files, (nfds_t)count, 1);
    }
    for (int i = 0; i < count; i++) {
        failed |= places[i].outcome != WRY_OUTCOME_DONE;
        free(places[i].context.uc_stack.ss_sp);
        close(places[i].file);
    }
    return failed;
}
