/* bench: simulated boards that stand in for hardware. */
#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "app.h"
#include "bench/serve.h"
#include "store/units.h"

struct bench_options {
    char *chip, *flash, *content;
    int revision;
    char *host;
    int port;
    gboolean pty;
};

static int usage_error(struct app *app, const char *what)
{
    return app_fail(app, EXIT_USAGE, "See 'wrytograph bench --help'.", "%s", what);
}

static int add(struct app *app, const struct bench_options *options)
{
    struct bench_description description = {.revision = (uint8_t)options->revision};
    GError *error = NULL;
    const char *name = app->rest[1];

    if (!name || app->rest[2] || !options->chip || !options->flash)
        return usage_error(app, "'bench add' takes NAME, --chip and --flash");
    description.chip = wry_chip_by_name(options->chip);
    if (!description.chip)
        return app_fail(app, EXIT_USAGE, "Known are sanderling-s1, turnstone-t2 and dunlin-d3.",
                        "there is no chip '%s'", options->chip);
    if (!units_parse_size(options->flash, &description.flash_size))
        return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                        "'%s' is no flash size", options->flash);
    bench_make_address(name, description.eui48);
    if (!bench_add(app->bench_folder, name, &description, options->content, &error))
        return app_fail_error(app, error);
    g_autofree char *address = units_address(description.eui48);
    app_print(app, "Board '%s' is on the bench: %s, %s. Its link is bench:%s", name,
              description.chip->title, address, name);
    app_json_text(app, "name", name);
    app_json_text(app, "address", address);
    return EXIT_DONE;
}

/* Faults that are there or not. */
static const struct {
    const char *name;
    size_t at; /* of the bool in struct sim_board_faults */
} switches[] = {
    {"strap-released", offsetof(struct sim_board_faults, strap_released)},
    {"unpowered", offsetof(struct sim_board_faults, unpowered)},
    {"no-ground", offsetof(struct sim_board_faults, no_ground)},
    {"swapped", offsetof(struct sim_board_faults, swapped)},
    {"echo", offsetof(struct sim_board_faults, echo)},
    {"brown-out", offsetof(struct sim_board_faults, brown_out)},
};

/* "strap-released, noise 1e-05"; free with g_free. */
static char *describe_faults(const struct sim_board_faults *faults)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < G_N_ELEMENTS(switches); i++) {
        if (*(const bool *)((const char *)faults + switches[i].at))
            g_string_append_printf(text, "%s, ", switches[i].name);
    }
    if (faults->loader_baud > 0)
        g_string_append_printf(text, "loader at %u baud, ", (unsigned)faults->loader_baud);
    if (faults->noise_ppb > 0)
        g_string_append_printf(text, "noise %g, ", faults->noise_ppb / 1e9);
    if (faults->noise_above > 0)
        g_string_append_printf(text, "noise only above %u baud, ", (unsigned)faults->noise_above);
    if (faults->lost_ppb > 0)
        g_string_append_printf(text, "lost bytes %g, ", faults->lost_ppb / 1e9);
    if (faults->latency_ms > 0)
        g_string_append_printf(text, "latency %u ms, ", (unsigned)faults->latency_ms);
    if (faults->clean_baud > 0)
        g_string_append_printf(text, "cable good to %u baud, ", (unsigned)faults->clean_baud);
    if (faults->protect > 0)
        g_string_append_printf(text, "block-protect bits 0x%02X, ", faults->protect);
    if (faults->claims > 0)
        g_string_append_printf(text, "flash claims %u KiB, ", (unsigned)(faults->claims / 1024));
    if (faults->power_cut > 0)
        g_string_append_printf(text, "power cut at flash operation %" G_GUINT64_FORMAT ", ",
                               faults->power_cut);
    if (faults->cable_cut > 0)
        g_string_append_printf(text, "cable pulled at byte %" G_GUINT64_FORMAT ", ",
                               faults->cable_cut);
    g_string_truncate(text, text->len > 2 ? text->len - 2 : 0);
    return g_string_free(text, FALSE);
}

static int list_board(struct app *app, const char *name)
{
    struct bench_description d;
    GError *error = NULL;

    if (!bench_load(app->bench_folder, name, &d, &error))
        return app_fail_error(app, error);
    g_autofree char *address = units_address(d.eui48);
    g_autofree char *size = units_flash_size(d.flash_size);
    g_autofree char *faults = describe_faults(&d.faults);
    app_print(app, "%-12s %-14s %s  %-17s %s", name, d.chip->title, address, size,
              faults[0] ? faults : "no faults");
    json_builder_begin_object(app->json);
    app_json_text(app, "name", name);
    app_json_text(app, "chip", d.chip->name);
    app_json_text(app, "address", address);
    app_json_number(app, "flash_bytes", d.flash_size);
    app_json_text(app, "faults", faults);
    json_builder_end_object(app->json);
    return EXIT_DONE;
}

static int list(struct app *app)
{
    GError *error = NULL;
    int code = EXIT_DONE;
    g_auto(GStrv) names = bench_list(app->bench_folder, &error);

    if (!names)
        return app_fail_error(app, error);
    if (!names[0])
        app_print(app, "The bench in %s is empty. 'wrytograph bench add' puts a board on it.",
                  app->bench_folder);
    json_builder_set_member_name(app->json, "boards");
    json_builder_begin_array(app->json);
    for (char **name = names; *name && code == EXIT_DONE; name++)
        code = list_board(app, *name);
    json_builder_end_array(app->json);
    return code;
}

/* NAME=COUNT with a count of at least 1. */
static bool parse_count(const char *text, const char *name, uint64_t *count)
{
    return g_str_has_prefix(text, name) &&
           g_ascii_string_to_unsigned(text + strlen(name), 10, 1, UINT64_MAX, count, NULL);
}

/* NAME=RATE, from 0 to 0.1, in parts of 10^9. */
static bool parse_rate(const char *text, const char *name, uint32_t *ppb)
{
    char *end;
    double rate;

    if (!g_str_has_prefix(text, name))
        return false;
    rate = g_ascii_strtod(text + strlen(name), &end);
    if (*end != '\0' || end[-1] == '=' || !(rate >= 0) || rate > 0.1)
        return false;
    *ppb = (uint32_t)(rate * 1e9 + 0.5);
    return true;
}

static bool parse_latency(const char *text, uint32_t *latency_ms)
{
    uint64_t time;

    if (!units_parse_time(text, &time) || time > 10000000)
        return false;
    *latency_ms = (uint32_t)(time / 1000);
    return true;
}

static bool parse_fault(const char *text, struct sim_board_faults *faults)
{
    uint32_t value;

    if (strcmp(text, "none") == 0) {
        *faults = (struct sim_board_faults){0};
        return true;
    }
    for (size_t i = 0; i < G_N_ELEMENTS(switches); i++) {
        if (strcmp(text, switches[i].name) == 0) {
            *(bool *)((char *)faults + switches[i].at) = true;
            return true;
        }
    }
    if (g_str_has_prefix(text, "loader="))
        return units_parse_speed(text + strlen("loader="), &faults->loader_baud);
    if (g_str_has_prefix(text, "noise-above="))
        return units_parse_speed(text + strlen("noise-above="), &faults->noise_above);
    if (g_str_has_prefix(text, "latency="))
        return parse_latency(text + strlen("latency="), &faults->latency_ms);
    if (g_str_has_prefix(text, "cable="))
        return units_parse_speed(text + strlen("cable="), &faults->clean_baud);
    if (g_str_has_prefix(text, "claims="))
        return units_parse_size(text + strlen("claims="), &faults->claims) &&
               faults->claims >= 0x10000 && (faults->claims & (faults->claims - 1)) == 0;
    if (g_str_has_prefix(text, "protect=")) {
        if (!units_parse_size(text + strlen("protect="), &value) || (value & ~0x7Cu) != 0)
            return false;
        faults->protect = (uint8_t)value;
        return true;
    }
    return parse_rate(text, "noise=", &faults->noise_ppb) ||
           parse_rate(text, "lost=", &faults->lost_ppb) ||
           parse_count(text, "power-cut=", &faults->power_cut) ||
           parse_count(text, "cable-cut=", &faults->cable_cut);
}

static int fault(struct app *app)
{
    struct bench_description d;
    GError *error = NULL;
    const char *name = app->rest[1];

    if (!name || !app->rest[2])
        return usage_error(app, "'bench fault' takes NAME and one fault or more");
    if (!bench_load(app->bench_folder, name, &d, &error))
        return app_fail_error(app, error);
    for (char **text = app->rest + 2; *text; text++) {
        if (!parse_fault(*text, &d.faults))
            return app_fail(app, EXIT_USAGE,
                            "Faults are none, strap-released, unpowered, no-ground, swapped, echo, "
                            "brown-out, loader=BAUD, noise=RATE, noise-above=BAUD, lost=RATE, "
                            "latency=TIME, cable=BAUD, "
                            "protect=BITS, claims=SIZE, power-cut=N and cable-cut=N.",
                            "'%s' is no fault", *text);
    }
    if (!bench_save(app->bench_folder, name, &d, &error))
        return app_fail_error(app, error);
    g_autofree char *faults = describe_faults(&d.faults);
    app_print(app, "Board '%s' has %s%s.", name, faults[0] ? "these faults: " : "no faults",
              faults);
    app_json_text(app, "faults", faults);
    return EXIT_DONE;
}

static void announce(struct app *app, struct bench_server *server, char **names, const char *host)
{
    bool ipv6 = strchr(host, ':') != NULL;

    for (size_t i = 0; names[i]; i++) {
        const char *pty = bench_server_pty(server, i);
        app_print(app, "%-12s rfc2217://%s%s%s:%u%s%s", names[i], ipv6 ? "[" : "", host,
                  ipv6 ? "]" : "", bench_server_port(server, i), pty ? "  " : "", pty ? pty : "");
    }
    fflush(stdout);
    app_note(app, "Serving in real time; Ctrl-C ends it and saves the boards.");
}

static int serve(struct app *app, const struct bench_options *options)
{
    struct bench_serve_settings settings = {.folder = app->bench_folder,
                                            .host = options->host ? options->host : "127.0.0.1",
                                            .first_port = (uint16_t)options->port,
                                            .pty = options->pty,
                                            .wiring = wry_wiring_at(0)};
    GError *error = NULL;
    g_auto(GStrv) names =
        app->rest[1] ? g_strdupv(app->rest + 1) : bench_list(app->bench_folder, &error);

    if (!names)
        return app_fail_error(app, error);
    if (!names[0])
        return app_fail(app, EXIT_USAGE, "'wrytograph bench add' puts a board on it.",
                        "the bench in %s is empty", app->bench_folder);
    struct bench_server *server = bench_server_new(&settings, names, &error);
    if (!server)
        return app_fail_error(app, error);
    announce(app, server, names, settings.host);
    while (!app_interrupted())
        bench_server_turn(server);
    bench_server_free(server);
    app_note(app, "The boards are saved.");
    return EXIT_DONE;
}

static int run(struct app *app, const struct bench_options *options)
{
    const char *what = app->rest[0];

    if (!app->bench_folder)
        app->bench_folder = bench_default_folder();
    if (g_strcmp0(what, "add") == 0)
        return add(app, options);
    if (g_strcmp0(what, "list") == 0)
        return app->rest[1] ? usage_error(app, "'bench list' takes no arguments") : list(app);
    if (g_strcmp0(what, "fault") == 0)
        return fault(app);
    if (g_strcmp0(what, "serve") == 0)
        return serve(app, options);
    return usage_error(app, what ? "'bench' does add, list, fault and serve"
                                 : "say add, list, fault or serve");
}

int verb_bench(struct app *app, int argc, char **argv)
{
    struct bench_options options = {.revision = 1};
    GOptionEntry entries[] = {
        {"chip", 0, 0, G_OPTION_ARG_STRING, &options.chip,
         "add: sanderling-s1, turnstone-t2 or dunlin-d3", "CHIP"},
        {"flash", 0, 0, G_OPTION_ARG_STRING, &options.flash, "add: size of the flash", "SIZE"},
        {"content", 0, 0, G_OPTION_ARG_FILENAME, &options.content,
         "add: what the flash begins with; else it is blank", "FILE"},
        {"host", 0, 0, G_OPTION_ARG_STRING, &options.host,
         "serve: address to listen on; else 127.0.0.1", "ADDRESS"},
        {"port", 0, 0, G_OPTION_ARG_INT, &options.port,
         "serve: TCP port of the first board; else any free ones", "N"},
        {"pty", 0, 0, G_OPTION_ARG_NONE, &options.pty, "serve: also as pseudo-terminals", NULL},
        {"revision", 0, 0, G_OPTION_ARG_INT, &options.revision, "add: of the chip", "N"},
        G_OPTION_ENTRY_NULL};
    int code;

    if (!app_parse(app, argc, argv, APP_BENCH, entries,
                   "add NAME --chip CHIP --flash SIZE | list | fault NAME FAULT… | serve [NAME…]",
                   "Simulated boards: each is a folder with board.yaml and flash.bin. Faults:\n"
                   "  none            take all faults away\n"
                   "  strap-released  the boot strap never reaches the chip\n"
                   "  unpowered       the board has no power\n"
                   "  no-ground       adapter and board share no ground\n"
                   "  swapped         TX is wired to TX, RX to RX\n"
                   "  echo            the adapter's TX is joined to its RX\n"
                   "  brown-out       the supply gives way when the board works hard\n"
                   "  loader=BAUD     the loader listens at another speed than 115200\n"
                   "  noise=RATE      bit errors per bit, up to 0.1\n"
                   "  cable=BAUD      the cable garbles anything faster\n"
                   "  protect=BITS    block-protect bits of the flash, such as 0x14\n"
                   "  claims=SIZE     the flash claims another size than it has\n"
                   "  power-cut=N     the power fails within the N-th flash operation of a run\n"
                   "  cable-cut=N     the cable is pulled after N bytes to the board"))
        code = app->code;
    else if (options.revision < 0 || options.revision > 255)
        code = usage_error(app, "--revision is a number from 0 to 255");
    else if (options.port < 0 || options.port > UINT16_MAX)
        code = usage_error(app, "--port is a number from 1 to 65535");
    else
        code = run(app, &options);
    g_free(options.chip);
    g_free(options.flash);
    g_free(options.content);
    g_free(options.host);
    return code;
}
