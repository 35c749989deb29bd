/*
 * Real lines: the bench served in real time to other processes, over RFC 2217, pseudo-terminals and
 * raw TCP, with peers that are not ours. A peer that is not installed is said so plainly.
 */
#include <arpa/inet.h>
#include <glib.h>
#include <netinet/in.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"
#include "served.h"
#include "wrytograph-host/remote.h"
#include "wrytograph-host/serial.h"
#include "wrytograph/session.h"

#define PYTHON "/usr/bin/python3"

/* Whoever opens a bench to other computers is told what that means. */
static void a_bench_that_others_reach_is_told_of(void)
{
    static const char *const hosts[] = {"0.0.0.0", "::1", "127.0.0.1", "localhost"};

    scratch_add_gauge("open");
    for (size_t i = 0; i < G_N_ELEMENTS(hosts); i++) {
        const char *const argv[] = {"sh",
                                    "-c",
                                    "exec \"$0\" \"$@\" 2>&1",
                                    command_path(),
                                    "bench",
                                    "serve",
                                    "open",
                                    "--host",
                                    hosts[i],
                                    NULL};
        struct background process;
        if (!background_start(&process, argv))
            continue;
        check_context("%s: %s", hosts[i], process.line);
        /* A machine without IPv6 cannot serve there. */
        if (i != 1 || strstr(process.line, "rfc2217"))
            CHECK((strstr(process.line, "anybody who can reach") != NULL) == (i == 0));
        background_end(&process);
    }
}

static void work_through(const char *link, const char *name)
{
    size_t n = 0, length = 0;
    g_autofree uint8_t *image = scratch_read("start.bin", &length);

    EXPECT(0, "Turnstone T2", command("identify", "-l", link, NULL));
    EXPECT(0, "verified by the board's SHA-256",
           command("write", "-l", link, placed("start", "start.bin"), NULL));
    EXPECT(0, "agrees", command("verify", "-l", link, placed("start", "start.bin"), NULL));
    EXPECT(0, "Seen", command("start", "-l", link, "--expect", "gauge ready", NULL));
    g_autofree uint8_t *flash = scratch_flash(name, &n);
    CHECK(memcmp(flash + 0x4000, image, length) == 0);
}

/* What it answers is its fault and the line's: never an internal error, never a hang. */
static void a_lying_board_is_no_error_of_ours(void)
{
    static const char *const verbs[][4] = {
        {"identify", "--deep", NULL},
        {"backup", "--only", "0+64K", "--replace"},
        {"write", "0x8345=", "--any-content", NULL},
        {"erase", "0x8000+8K", NULL},
    };

    for (unsigned seed = 1; seed <= 48; seed += check_one_in(2)) {
        const char *const *words = verbs[seed % G_N_ELEMENTS(verbs)];
        g_autofree char *number = g_strdup_printf("%u", seed);
        const char *const argv[] = {PYTHON, peer("lying_board.py"), number, NULL};
        struct background liar;
        CHECK(background_start(&liar, argv));
        g_autofree char *link = g_strdup_printf("tcp://127.0.0.1:%s", liar.line);
        bool writes = seed % G_N_ELEMENTS(verbs) == 2;
        struct said said = command(words[0], writes ? placed("0x8345", "start.bin") : words[1],
                                   "-l", link, "--patience", "1s", words[2] ? words[2] : "--stay",
                                   words[3] ? words[3] : "--stay",
                                   words[0][0] == 'b' ? scratch_file("lies.zip") : NULL, NULL);
        check_context("seed %u: %s", seed, said.err);
        CHECK(said.code > 1 && said.code != 9);
        background_end(&liar);
    }
    check_context(NULL);
}

/* One that sets a speed at which its bytes take minutes, and hangs up, frees the line at once. */
static void a_client_at_a_speed_of_nothing_leaves_the_line(void)
{
    struct served bench;

    served_new(&bench, "slowed");
    for (unsigned i = 0; i < 2; i++) {
        const char *baud = i == 0 ? "\\x00\\x00\\x00\\x01" : "\\x00\\x00\\x00\\x32";
        g_autofree char *text =
            g_strdup_printf("exec 3<>/dev/tcp/127.0.0.1/%s; "
                            "printf '\\xff\\xfb\\x2c\\xff\\xfa\\x2c\\x01%s\\xff\\xf0' >&3; "
                            "dd bs=12 count=1 <&3 >/dev/null 2>&1; head -c 3000 /dev/zero >&3",
                            strrchr(bench.link, ':') + 1, baud);
        EXPECT(0, "", run_program("bash", "-c", text, NULL));
        EXPECT(0, "Turnstone T2", command("identify", "-l", bench.link, NULL));
    }
    served_end(&bench);
}

static void the_whole_job_works_over_rfc_2217(void)
{
    struct served bench;

    served_new(&bench, "served");
    work_through(bench.link, "served");
    EXPECT(0, "Seen: \"tide-gauge 2.3.0\"",
           command("listen", "-l", bench.link, "--send", "version", "--expect", "tide-gauge 2.3.0",
                   NULL));
    EXPECT(6, "was not seen",
           command("listen", "-l", bench.link, "--send", "version", "--line-end", "lf", "--expect",
                   "tide-gauge", "--within", "1s", NULL));
    EXPECT(4, "another program works on this board",
           command("identify", "-l", "bench:served", NULL));
    served_end(&bench);
    EXPECT(0, "Turnstone", command("identify", "-l", "bench:served", NULL));
}

static void the_whole_job_works_over_a_pseudo_terminal(void)
{
    struct served bench;

    served_new(&bench, "terminal");
    work_through(bench.pty, "terminal");
    EXPECT(0, "The board answers",
           command("identify", "-l", bench.pty, "--by-hand", "--wait", "5s", NULL));
    served_end(&bench);
}

static void a_port_is_held_by_one_program_at_a_time(void)
{
    struct served bench;
    GError *error = NULL;

    served_new(&bench, "held");
    struct wry_serial *serial = wry_serial_open(
        &(struct wry_serial_settings){.path = bench.pty, .wiring = wry_wiring_at(0)}, &error);
    CHECK(serial != NULL);
    EXPECT(4, "test_real_lines (process", command("identify", "-l", bench.pty, NULL));
    wry_serial_close(serial);
    EXPECT(0, "Turnstone", command("identify", "-l", bench.pty, NULL));
    EXPECT(4, "there is no such device", command("identify", "-l", "/dev/nothing", NULL));
    EXPECT(4, "it is not a serial port", command("identify", "-l", "/dev/null", NULL));
    served_end(&bench);
}

/* As much as the line takes a minute for, and gone. */
static void flood(const char *link)
{
    const char *port = strrchr(link, ':');
    struct sockaddr_in address = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    static const uint8_t bytes[1 << 20];
    int client = socket(AF_INET, SOCK_STREAM, 0);

    address.sin_port = htons((uint16_t)atoi(port + 1));
    CHECK(connect(client, (struct sockaddr *)&address, sizeof address) == 0);
    CHECK(send(client, bytes, sizeof bytes, MSG_DONTWAIT | MSG_NOSIGNAL) > 100000);
    close(client);
}

/* A board is never two programs' at once: one that holds it would keep it from its terminal. */
static void who_floods_and_leaves_frees_the_board(void)
{
    struct served bench;

    served_new(&bench, "flooded");
    for (int i = 0; i < 3; i++) {
        flood(bench.link);
        EXPECT(0, "Turnstone T2", command("identify", "-l", i == 1 ? bench.link : bench.pty, NULL));
    }
    served_end(&bench);
}

static void addresses_that_lead_nowhere_are_told_apart(void)
{
    EXPECT(4, "Connection refused", command("identify", "-l", "rfc2217://127.0.0.1:1", NULL));
    EXPECT(4, "Connection refused", command("identify", "-l", "tcp://[::1]:1", NULL));
    EXPECT(2, "is not an address", command("identify", "-l", "tcp://nowhere", NULL));
    /* A raw connection cannot change the far end's speed. */
    EXPECT(2, "has a fixed speed of 115200 baud, which a speed of 921600 baud cannot change",
           command("identify", "--speed", "921600", "-l", "tcp://[::1]:1", NULL));
    EXPECT(2, "has a fixed speed of 2000000 baud, which a speed of 57600 baud",
           command("identify", "--call-speed", "57600", "-l", "tcp://[::1]:1?speed=2000000", NULL));
    EXPECT(4, "Connection refused",
           command("identify", "--speed", "2000000", "-l", "tcp://[::1]:1?speed=2000000", NULL));
    EXPECT(4, "Connection refused",
           command("identify", "--speed", "115200", "-l", "tcp://[::1]:1", NULL));
    EXPECT(2, "is not an address", command("identify", "-l", "rfc2217://::1:4000", NULL));
    EXPECT(2, "there is no wiring",
           command("identify", "--wiring", "knitted", "-l", "tcp://a:1", NULL));
}

static void a_link_that_breaks_is_opened_again_without_a_leak(void)
{
    struct served bench;
    GError *error = NULL;
    unsigned before = 0, after = 0;

    served_new(&bench, "reopened");
    uint16_t number = (uint16_t)atoi(strrchr(bench.link, ':') + 1);
    struct wry_remote *remote = wry_remote_open(
        &(struct wry_remote_settings){
            .host = "127.0.0.1", .port = number, .com_port = true, .wiring = wry_wiring_at(0)},
        &error);
    CHECK(remote != NULL);
    for (unsigned i = 0; remote && i < 100; i++) {
        const struct wry_port *port = wry_remote_port(remote);
        CHECK_EQUAL(WRY_OK, port->reopen(port->context));
        GDir *files = g_dir_open("/proc/self/fd", 0, NULL);
        unsigned count = 0;
        while (g_dir_read_name(files))
            count++;
        g_dir_close(files);
        before = i == 0 ? count : before;
        after = count;
    }
    CHECK_EQUAL(before, after);
    wry_remote_close(remote);
    served_end(&bench);
}

/* There outputs are set one after the other; the simulated strap is looked at a millisecond after
 * the reset. */
static void every_wiring_works_one_output_at_a_time(void)
{
    for (size_t i = 0; wry_wiring_at(i); i++) {
        const char *wiring = wry_wiring_at(i)->name;
        g_autofree char *name = g_strdup_printf("one-by-one-%s", wiring);
        struct served bench;
        EXPECT(0, "is on the bench",
               command("bench", "add", name, "--chip", "turnstone-t2", "--flash", "4MiB",
                       "--content", scratch_file("returned-1.bin"), "--wired", wiring, NULL));
        served_gauge(&bench, name);
        check_context("%s", wiring);
        int expected = wry_wiring_at(i)->none ? 4 : 0;
        EXPECT(expected, expected == 0 ? "Turnstone T2" : "no answer",
               command("identify", "-l", bench.link, "--wiring", wiring, NULL));
        if (expected == 0)
            EXPECT(
                0, "tide",
                command("start", "-l", bench.link, "--wiring", wiring, "--expect", "tide", NULL));
        served_end(&bench);
    }
}

/* What it took seconds to find out is not found out by each command. In real time a machine with
 * other work may carry less than the cable; what it does carry is remembered. */
static void the_speed_that_an_adapter_carries_is_remembered(void)
{
    static const char found[] = "Higher speeds failed on this link; continuing at ";
    struct served bench;

    scratch_add_gauge("slow");
    EXPECT(0, "500000", command("bench", "fault", "slow", "cable=500000", NULL));
    served_gauge(&bench, "slow");
    struct said first = command("identify", "-l", bench.link, NULL);
    const char *at = strstr(first.err, found);
    unsigned long speed = at ? strtoul(at + strlen(found), NULL, 10) : 0;
    CHECK(first.code == 0 && speed >= 115200 && speed <= 460800);
    g_autofree char *used = g_strdup_printf("Using %lu baud: higher speeds failed", speed);
    EXPECT(0, used, command("identify", "-l", bench.link, NULL));
    EXPECT(0, "Higher speeds failed on this link",
           command("identify", "-l", bench.link, "--speed", "921600", NULL));
    served_end(&bench);
}

static void the_only_adapter_is_used_and_several_are_listed(void)
{
    struct served bench;

    served_new(&bench, "only");
    g_autofree char *one = g_strdup_printf("%s 1209:0001 A77 Harbour adapter\n", bench.pty);
    g_autofree char *two = g_strdup_printf("%s/dev/null 1209:0002 B78 Spare adapter\n", one);
    scratch_write("devices", one, strlen(one));
    g_setenv("WRYTOGRAPH_DEVICES", scratch_file("devices"), TRUE);
    EXPECT(0, "1209:0001", command("ports", NULL));
    EXPECT(0, "Harbour adapter", command("ports", "--json", NULL));
    EXPECT(0, "the only adapter", command("identify", NULL));
    scratch_write("devices", two, strlen(two));
    EXPECT(2, "there are 2 adapters", command("identify", NULL));
    scratch_write("devices", "/dev/missing 1209:0003 C1 Gone\n", 31);
    EXPECT(0, "there is no such device", command("ports", NULL));
    served_end(&bench);
}

static void an_adapter_that_appears_is_named(void)
{
    char *argv[] = {(char *)(uintptr_t)command_path(), (char *)(uintptr_t) "ports",
                    (char *)(uintptr_t) "--appearing", NULL};
    char line[256] = {0};
    GPid pid;
    int out, err, status = 0;

    g_setenv("WRYTOGRAPH_DEVICES", scratch_file("devices"), TRUE);
    scratch_write("devices", "/dev/null 1209:0001 A77 Old\n", 28);
    CHECK(g_spawn_async_with_pipes(NULL, argv, NULL, G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL, &pid,
                                   NULL, &out, &err, NULL));
    /* It has looked once when it says what to do. */
    CHECK(read(err, line, sizeof line - 1) > 0);
    CHECK(strstr(line, "Plug the adapter in now") != NULL);
    static const char more[] = "/dev/null 1209:0001 A77 Old\n/dev/zero 1209:0002 B78 New\n";
    scratch_write("devices", more, sizeof more - 1);
    ssize_t n = read(out, line, sizeof line - 1);
    line[n > 0 ? n : 0] = '\0';
    CHECK(strstr(line, "/dev/zero") != NULL && strstr(line, "New") != NULL);
    waitpid(pid, &status, 0);
    CHECK(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    close(out);
    close(err);
    g_unsetenv("WRYTOGRAPH_DEVICES");
}

static void ctrl_c_stops_a_long_wait_at_once(void)
{
    struct served bench;
    char *argv[] = {(char *)(uintptr_t)command_path(),
                    (char *)(uintptr_t) "identify",
                    (char *)(uintptr_t) "--by-hand",
                    (char *)(uintptr_t) "--wiring",
                    (char *)(uintptr_t) "none",
                    (char *)(uintptr_t) "-l",
                    NULL,
                    NULL};
    char text[512] = {0};
    GPid pid;
    int err, status = 0;

    served_new(&bench, "waiting");
    argv[6] = bench.link;
    CHECK(g_spawn_async_with_pipes(NULL, argv, NULL, G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL, &pid,
                                   NULL, NULL, &err, NULL));
    CHECK(read(err, text, sizeof text - 1) > 0);
    CHECK(strstr(text, "1. Hold the boot button") != NULL);
    kill(pid, SIGINT);
    waitpid(pid, &status, 0);
    CHECK(WIFEXITED(status) && WEXITSTATUS(status) == 9);
    ssize_t n = read(err, text, sizeof text - 1);
    text[n > 0 ? n : 0] = '\0';
    CHECK(strstr(text, "stopped at your request") != NULL);
    close(err);
    served_end(&bench);
}

static bool has_peer(const char *program)
{
    g_autofree char *path = g_find_program_in_path(program);

    if (!path)
        printf("the peer %s is not installed: scripts/install-deps does that\n", program);
    return path != NULL;
}

static void python3_serial_can_use_a_served_board(void)
{
    struct served bench;

    CHECK(has_peer(PYTHON));
    served_new(&bench, "python-client");
    struct said said =
        run_program(PYTHON, WRY_SOURCE_DIR "/tests/peers/talk_to_board.py", bench.link, NULL);
    EXPECT(0, "booted", said);
    CHECK(says(&said, "version tide-gauge 2.3.0"));
    served_end(&bench);
}

static void our_client_works_with_the_server_of_python3_serial(void)
{
    struct served bench;
    struct background server;

    CHECK(has_peer(PYTHON));
    served_new(&bench, "python-server");
    const char *const argv[] = {PYTHON, WRY_SOURCE_DIR "/tests/peers/serve_terminal.py", bench.pty,
                                NULL};
    CHECK(background_start(&server, argv));
    g_autofree char *link = g_strdup_printf("rfc2217://127.0.0.1:%s", server.line);
    EXPECT(0, "verified by the board's SHA-256",
           command("write", "-l", link, "--speed", "460800", placed("start", "start.bin"), NULL));
    background_end(&server);
    served_end(&bench);
}

/* A TCP port that is free now. */
static unsigned free_port(void)
{
    struct {
        unsigned short family, port;
        unsigned char rest[12];
    } address = {.family = AF_INET, .rest = {127, 0, 0, 1}};
    socklen_t length = sizeof address;
    int s = socket(AF_INET, SOCK_STREAM, 0);

    CHECK(bind(s, (struct sockaddr *)&address, sizeof address) == 0);
    CHECK(getsockname(s, (struct sockaddr *)&address, &length) == 0);
    close(s);
    return (unsigned)GUINT16_FROM_BE(address.port);
}

/* A peer that prints nothing when it is ready, or again, is called until it takes the call. */
static struct said call_until_open(const char *verb, const char *link, const char *argument)
{
    struct said said = {0};
    unsigned stalled = 0;
    /* A raw connection has the speed of its far end. */
    const char *speed = g_str_has_prefix(link, "tcp://") ? "115200" : "460800";

    for (unsigned i = 0; i < 200; i++) {
        said = command(verb, "--speed", speed, "-l", link, argument ? argument : "--stay", NULL);
        /* On a busy machine it now and then takes a connection and says nothing on it at all. */
        bool silent = says(&said, "offers no serial port") || says(&said, "stopped answering");
        stalled += silent;
        if (!says(&said, "Connection refused") && !says(&said, "closes the connection at once") &&
            (!silent || stalled > 4))
            break;
    }
    return said;
}

static void our_client_works_with_ser2net(void)
{
    struct served bench;
    GPid pid;
    unsigned port = free_port();
    int status;

    CHECK(has_peer("ser2net"));
    served_new(&bench, "ser2net");
    g_autofree char *yaml = g_strdup_printf("connection: &gauge\n"
                                            "  accepter: telnet(rfc2217),tcp,127.0.0.1,%u\n"
                                            "  connector: serialdev,%s,115200n81,local\n",
                                            port, bench.pty);
    scratch_write("ser2net.yaml", yaml, strlen(yaml));
    char *argv[] = {(char *)(uintptr_t) "ser2net", (char *)(uintptr_t) "-n",
                    (char *)(uintptr_t) "-c", (char *)(uintptr_t)scratch_file("ser2net.yaml"),
                    NULL};
    CHECK(g_spawn_async(NULL, argv, NULL, G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL,
                        NULL, &pid, NULL));
    g_autofree char *link = g_strdup_printf("rfc2217://127.0.0.1:%u", port);
    EXPECT(0, "Turnstone T2", call_until_open("identify", link, NULL));
    EXPECT(0, "verified by the board's SHA-256",
           call_until_open("write", link, placed("start", "start.bin")));
    kill(pid, SIGTERM);
    waitpid(pid, &status, 0);
    served_end(&bench);
}

/* One connection through a socat of its own, which ends with the connection. */
static GPid start_socat(const struct served *bench, unsigned port)
{
    GPid pid = 0;
    g_autofree char *listener = g_strdup_printf("TCP-LISTEN:%u,bind=127.0.0.1,reuseaddr", port);
    g_autofree char *terminal = g_strdup_printf("%s,raw,echo=0,b115200", bench->pty);
    char *argv[] = {(char *)(uintptr_t) "socat", listener, terminal, NULL};

    CHECK(
        g_spawn_async(NULL, argv, NULL,
                      G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD | G_SPAWN_STDERR_TO_DEV_NULL,
                      NULL, NULL, &pid, NULL));
    return pid;
}

static void a_raw_pipe_works_with_socat(void)
{
    struct served bench;
    unsigned port = free_port();
    g_autofree char *link = g_strdup_printf("tcp://127.0.0.1:%u", port);
    int status;

    CHECK(has_peer("socat"));
    served_new(&bench, "socat");
    GPid pid = start_socat(&bench, port);
    EXPECT(0, "at 115200 baud", call_until_open("identify", link, NULL));
    waitpid(pid, &status, 0);
    pid = start_socat(&bench, port);
    struct said said = command("write", "-l", link, placed("log", "note"), NULL);
    for (unsigned i = 0; i < 200 && says(&said, "Connection refused"); i++)
        said = command("write", "-l", link, placed("log", "note"), NULL);
    EXPECT(0, "verified by the board's SHA-256", said);
    waitpid(pid, &status, 0);
    served_end(&bench);
}

/* The server looks for them every 50 ms. */
static void faults_of_a_served_board_take_effect(void)
{
    struct served bench;
    struct said said = {0};

    served_new(&bench, "served-faulty");
    EXPECT(0, "Turnstone T2", command("identify", "-l", bench.link, NULL));
    EXPECT(0, "tx-open", command("bench", "fault", "served-faulty", "tx-open", NULL));
    for (unsigned i = 0; i < 20 && said.code == 0; i++)
        said = command("identify", "-l", bench.link, NULL);
    EXPECT(4, "First: TX wire:", said);
    EXPECT(0, "no faults", command("bench", "fault", "served-faulty", "none", NULL));
    for (unsigned i = 0; i < 20 && said.code == 4; i++)
        said = command("identify", "-l", bench.link, NULL);
    EXPECT(0, "Turnstone T2", said);
    served_end(&bench);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(faults_of_a_served_board_take_effect),
        FACT(a_lying_board_is_no_error_of_ours),
        FACT(a_client_at_a_speed_of_nothing_leaves_the_line),
        FACT(the_whole_job_works_over_rfc_2217),
        FACT(the_whole_job_works_over_a_pseudo_terminal),
        FACT(a_port_is_held_by_one_program_at_a_time),
        FACT(who_floods_and_leaves_frees_the_board),
        FACT(addresses_that_lead_nowhere_are_told_apart),
        FACT(a_link_that_breaks_is_opened_again_without_a_leak),
        FACT(every_wiring_works_one_output_at_a_time),
        FACT(the_speed_that_an_adapter_carries_is_remembered),
        FACT(the_only_adapter_is_used_and_several_are_listed),
        FACT(an_adapter_that_appears_is_named),
        FACT(ctrl_c_stops_a_long_wait_at_once),
        FACT(python3_serial_can_use_a_served_board),
        FACT(our_client_works_with_the_server_of_python3_serial),
        FACT(our_client_works_with_ser2net),
        FACT(a_raw_pipe_works_with_socat),
        FACT(a_bench_that_others_reach_is_told_of),
    };
    scratch_make_images();
    scratch_write("note", "rising tide", 11);
    g_setenv("WRYTOGRAPH_STATE", scratch_file("state"), TRUE);
    g_setenv("WRYTOGRAPH_CACHE", scratch_file("cache"), TRUE);
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
