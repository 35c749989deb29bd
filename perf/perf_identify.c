/*
 * How long 'identify' takes, in simulated time, compared with connecting and reading the region
 * table, which is all that it did before it looked into the regions. Boards of three programs
 * (a start program and two applications), small, as usual, and as large as their regions; settings
 * in both copies; two latencies; at several speeds. "checked" is how many of the three digests the
 * time is enough for; --deep checks all.
 */
#include <glib.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bench/bench_folder.h"
#include "demo/firmware_like.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/region_table.h"
#include "wrytograph/settings_block.h"

#define FLASH 0x400000u

static void die(const char *what)
{
    fprintf(stderr, "perf: %s failed\n", what);
    exit(1);
}

static const struct wry_region_table table = {
    .flash_size = FLASH,
    .count = 6,
    .regions = {
        {.name = "start", .kind = WRY_REGION_START, .offset = 0x4000, .length = 0xA000},
        {.name = "table", .kind = WRY_REGION_TABLE, .offset = 0xE000, .length = 0x1000},
        {.name = "settings", .kind = WRY_REGION_SETTINGS, .offset = 0x10000, .length = 0x4000},
        {.name = "app", .kind = WRY_REGION_APP, .offset = 0x40000, .length = 0x180000},
        {.name = "spare", .kind = WRY_REGION_APP, .offset = 0x1C0000, .length = 0x180000},
        {.name = "log", .kind = WRY_REGION_FILES, .offset = 0x340000, .length = 0xC0000}}};

static const struct wry_chip *chip;

static void put_program(uint8_t *to, uint8_t kind, uint32_t body)
{
    struct wry_boot_header header = {.chip_code = chip->code,
                                     .kind = kind,
                                     .read_lines = 2,
                                     .read_clock = 40,
                                     .body_length = body,
                                     .version = "tide-gauge 2.3.1"};
    uint8_t *bytes = to + WRY_BOOT_HEADER_SIZE;
    struct wry_sha256 sha;

    wry_boot_header_put(to, &header);
    fill_like_firmware(bytes, body, body);
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, bytes, body);
    wry_sha256_end(&sha, bytes + body);
}

/* A block that does not fit the first read of it. */
static void put_settings(uint8_t *to, uint32_t generation)
{
    struct wry_settings_writer writer;
    char key[16];

    wry_settings_begin(&writer, to, 0x2000);
    for (int i = 0; i < 40; i++) {
        snprintf(key, sizeof key, "depth-%d", i);
        struct wry_setting setting = {.key = key,
                                      .key_length = (uint8_t)strlen(key),
                                      .type = WRY_SETTING_INTEGER,
                                      .integer = i};
        wry_settings_add(&writer, &setting);
    }
    if (wry_settings_end(&writer, generation) == 0)
        die("settings");
}

/* Without one the usual layout counts, which has no spare region. */
static bool has_table(void)
{
    return chip->table_offset != WRY_NO_OFFSET;
}

static void make_board(const char *folder, const char *name, uint32_t app, uint32_t spare,
                       uint32_t latency)
{
    g_autofree uint8_t *flash = g_malloc(FLASH);
    g_autofree char *path = g_build_filename(folder, "content", NULL);
    struct bench_description board = {
        .chip = chip, .revision = 1, .flash_size = FLASH, .faults = {.latency_ms = latency}};

    fill_like_firmware(flash, FLASH, 3);
    put_program(flash + chip->start_offset, WRY_PROGRAM_START, 0x5000);
    put_program(flash + chip->app_offset, WRY_PROGRAM_APP, app);
    if (has_table()) {
        wry_region_table_put(flash + chip->table_offset, &table);
        put_program(flash + 0x1C0000, WRY_PROGRAM_APP, spare);
    }
    put_settings(flash + 0x10000, 1);
    put_settings(flash + 0x12000, 2);
    bench_make_address(name, board.eui48);
    if (!g_file_set_contents(path, (const char *)flash, FLASH, NULL) ||
        !bench_add(folder, name, &board, path, NULL))
        die("bench");
}

static bool forget(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    (void)offset;
    (void)bytes;
    (void)n;
    return true;
}

static struct wry_station *open_station(const char *folder, const char *name, uint32_t speed)
{
    g_autofree char *link = g_strdup_printf("bench:%s", name);
    struct wry_station_settings settings = {
        .link = link, .bench_folder = folder, .max_speed = speed};

    return wry_station_new(&settings);
}

static double now(const struct wry_station *station)
{
    const struct wry_port *port = wry_station_port(station);

    return (double)port->now(port->context) / 1e6;
}

/* Connecting, and one read of the region table. */
static double time_before(const char *folder, const char *name, uint32_t speed)
{
    struct wry_station *station = open_station(folder, name, speed);
    struct wry_session_config config = {.token = 1, .max_speed = speed};
    struct wry_writer writer = {.write = forget};
    g_autofree struct wry_session *session = g_new(struct wry_session, 1);

    if (wry_station_open(station) != WRY_OUTCOME_DONE)
        die("open");
    wry_session_init(session, wry_station_port(station), &config);
    if (wry_session_connect(session) != WRY_OK ||
        wry_session_read(session, 0xE000, WRY_REGION_TABLE_SIZE_MAX, &writer) != WRY_OK)
        die("connect");
    double time = now(station);
    wry_station_free(station);
    return time;
}

static double time_identify(const char *folder, const char *name, uint32_t speed, bool deep,
                            unsigned *checked)
{
    struct wry_station *station = open_station(folder, name, speed);
    struct wry_identity identity = {0};

    if (wry_station_identify(station, deep, &identity) != WRY_OUTCOME_DONE)
        die("identify");
    double time = now(station);
    *checked = 0;
    for (guint i = 0; i < identity.contents->len; i++) {
        const struct wry_content_of *content = g_ptr_array_index(identity.contents, i);
        *checked += content->digest == WRY_DIGEST_FITS;
    }
    wry_identity_clear(&identity);
    wry_station_free(station);
    return time;
}

static void remove_all(const char *path)
{
    GDir *dir = g_dir_open(path, 0, NULL);
    const char *name;

    while (dir && (name = g_dir_read_name(dir))) {
        g_autofree char *inner = g_build_filename(path, name, NULL);
        if (g_file_test(inner, G_FILE_TEST_IS_DIR))
            remove_all(inner);
        else
            g_unlink(inner);
    }
    if (dir)
        g_dir_close(dir);
    g_rmdir(path);
}

int main(void)
{
    static const struct {
        const char *name;
        uint16_t chip_code;
        uint32_t app, spare;
    } boards[] = {
        {"small", WRY_CHIP_TURNSTONE_T2, 200 * 1024, 200 * 1024},
        {"usual", WRY_CHIP_TURNSTONE_T2, 900 * 1024, 400 * 1024},
        {"full", WRY_CHIP_TURNSTONE_T2, 0x180000 - 96, 0x180000 - 96},
        {"usual", WRY_CHIP_DUNLIN_D3, 900 * 1024, 400 * 1024},
        {"full", WRY_CHIP_DUNLIN_D3, 0x180000 - 96, 0x180000 - 96},
    };
    static const uint32_t speeds[] = {115200, 460800, 921600, 2000000};
    static const uint32_t latencies[] = {2, 16, 100};
    g_autofree char *folder = g_dir_make_tmp("wrytograph-perf-XXXXXX", NULL);
    g_autofree char *shelf = g_build_filename(folder, "shelf", NULL);

    g_setenv("WRYTOGRAPH_SHELF", shelf, TRUE);
    printf("Identify in simulated time, compared with connecting and reading the region table\n\n");
    printf("  programs  chip           latency     baud    before   identify   more   checked   "
           "--deep\n");
    for (size_t b = 0; b < G_N_ELEMENTS(boards); b++) {
        for (size_t l = 0; l < G_N_ELEMENTS(latencies); l++) {
            g_autofree char *name = g_strdup_printf("%s-%zu-%u", boards[b].name, b, latencies[l]);
            chip = wry_chip_by_code(boards[b].chip_code);
            make_board(folder, name, boards[b].app, boards[b].spare, latencies[l]);
            for (size_t s = 0; s < G_N_ELEMENTS(speeds); s++) {
                unsigned checked, all;
                double before = time_before(folder, name, speeds[s]);
                double time = time_identify(folder, name, speeds[s], false, &checked);
                double deep = time_identify(folder, name, speeds[s], true, &all);
                printf(
                    "  %-8s  %-13s %5u ms  %7u  %6.3f s   %6.3f s  %5.3f    %u of %u   %6.3f s\n",
                    boards[b].name, chip->title, latencies[l], speeds[s], before, time,
                    time - before, checked, has_table() ? 3u : 2u, deep);
            }
        }
    }
    remove_all(folder);
    return 0;
}
