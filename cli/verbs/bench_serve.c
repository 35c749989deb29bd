/* 'bench serve': simulated boards for other programs, in real time. */
#include "bench_serve.h"

#include <gio/gio.h>
#include <stdio.h>
#include <string.h>

#include "views/explain.h"

#define LOOK_EVERY 50000 /* us between checks whether to end; the boards run in threads */

static void announce(struct app *app, struct wry_bench_server *server, char **names,
                     const char *host)
{
    bool ipv6 = strchr(host, ':') != NULL;

    for (size_t i = 0; names[i]; i++) {
        const char *pty = wry_bench_server_pty(server, i);
        app_print(app, "%-12s rfc2217://%s%s%s:%u%s%s", names[i], ipv6 ? "[" : "", host,
                  ipv6 ? "]" : "", wry_bench_server_port(server, i), pty ? "  " : "",
                  pty ? pty : "");
    }
    fflush(stdout);
    app_note(app, "Serving in real time; Ctrl-C ends it and saves the boards.");
}

static bool is_this_computer(const char *host)
{
    g_autoptr(GInetAddress) address = g_inet_address_new_from_string(host);

    return address ? g_inet_address_get_is_loopback(address) : g_strcmp0(host, "localhost") == 0;
}

int bench_serve(struct app *app, const struct wry_bench_server_settings *options)
{
    struct wry_bench_server_settings settings = *options;
    GError *error = NULL;
    g_auto(GStrv) names =
        app->rest[1] ? g_strdupv(app->rest + 1) : wry_bench_list(app->bench_folder, &error);

    settings.host = options->host ? options->host : "127.0.0.1";
    if (!names)
        return explain_error(app, error);
    if (!names[0])
        return app_fail(app, EXIT_USAGE, "'wrytograph bench add' puts a board on it.",
                        "the bench in %s is empty", app->bench_folder);
    struct wry_bench_server *server = wry_bench_server_new(&settings, names, &error);
    if (!server)
        return explain_error(app, error);
    if (!is_this_computer(settings.host))
        app_note(app,
                 "Note: anybody who can reach %s can read and write these boards: RFC 2217 has no "
                 "passwords and no encryption. docs/security.md shows a tunnel.",
                 settings.host);
    announce(app, server, names, settings.host);
    while (!app_interrupted())
        g_usleep(LOOK_EVERY);
    wry_bench_server_free(server);
    app_note(app, "The boards are saved.");
    return EXIT_DONE;
}
