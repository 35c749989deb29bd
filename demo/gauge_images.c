/*
 * Makes the images of the tide-gauge demo: start program, region table and application for a
 * Turnstone T2 with 4 MiB of flash, and the flash of three gauges as they came back from the pier,
 * with an older application and each its own calibration. The same bytes at every run.
 *
 * usage: gauge_images FOLDER
 */
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "firmware_like.h"
#include "program_like.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/bytes.h"
#include "wrytograph/chip.h"
#include "wrytograph/flash.h"
#include "wrytograph/message.h"
#include "wrytograph/module_image.h"
#include "wrytograph/region_table.h"
#include "wrytograph/settings_block.h"

#define FLASH_SIZE 0x400000u
#define START_OFFSET 0x4000u
#define TABLE_OFFSET 0xE000u
#define SETTINGS_OFFSET 0x10000u
#define APP_OFFSET 0x40000u
#define APP_BODY (900u * 1024u)
#define START_BODY 21000u
#define SOUNDER_BODY 60000u

/* Header, body and digest into to, where the body stands already; returns the whole length. */
static size_t wrap_program(uint8_t *to, uint8_t kind, const char *version, uint32_t body_length)
{
    struct wry_boot_header header = {.chip_code = WRY_CHIP_TURNSTONE_T2,
                                     .kind = kind,
                                     .flash_size_log2 = 22,
                                     .read_lines = 2,
                                     .read_clock = 40,
                                     .body_length = body_length};
    uint8_t *body = to + WRY_BOOT_HEADER_SIZE;
    struct wry_sha256 sha;

    snprintf(header.version, sizeof header.version, "%s", version);
    wry_boot_header_put(to, &header);
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, body, body_length);
    wry_sha256_end(&sha, body + body_length);
    return WRY_BOOT_HEADER_SIZE + body_length + WRY_SHA256_SIZE;
}

static size_t make_start(uint8_t *to, const char *version, uint32_t body_length, uint64_t seed)
{
    fill_like_firmware(to + WRY_BOOT_HEADER_SIZE, body_length, seed);
    return wrap_program(to, WRY_PROGRAM_START, version, body_length);
}

/* Builds of one application from different times. */
static size_t make_app(uint8_t *to, const char *version, unsigned build)
{
    fill_like_program(to + WRY_BOOT_HEADER_SIZE, APP_BODY, 2, build);
    return wrap_program(to, WRY_PROGRAM_APP, version, APP_BODY);
}

static size_t make_table(uint8_t *to)
{
    static const struct wry_region_table table = {
        .flash_size = FLASH_SIZE,
        .count = 5,
        .regions = {
            {.name = "start", .kind = WRY_REGION_START, .offset = START_OFFSET, .length = 0xA000},
            {.name = "table", .kind = WRY_REGION_TABLE, .offset = TABLE_OFFSET, .length = 0x1000},
            {.name = "calibration",
             .kind = WRY_REGION_SETTINGS,
             .offset = SETTINGS_OFFSET,
             .length = 0x4000},
            {.name = "app", .kind = WRY_REGION_APP, .offset = APP_OFFSET, .length = 0x180000},
            {.name = "log", .kind = WRY_REGION_FILES, .offset = 0x1C0000, .length = 0x240000},
        }};

    return wry_region_table_put(to, &table);
}

/* Firmware of the echo sounder behind a gauge. */
static size_t make_sounder(uint8_t *to)
{
    struct wry_module_image image = {.kind = WRY_MODULE_ECHO_SOUNDER,
                                     .version = "echo-sounder 1.1",
                                     .body_length = SOUNDER_BODY};

    fill_like_firmware(to + WRY_MODULE_IMAGE_HEAD, SOUNDER_BODY, 7);
    image.body_crc = wry_crc32(0, to + WRY_MODULE_IMAGE_HEAD, SOUNDER_BODY);
    wry_module_image_put(to, &image);
    return WRY_MODULE_IMAGE_HEAD + SOUNDER_BODY;
}

static struct wry_setting named(const char *key, uint8_t type)
{
    return (struct wry_setting){.key = key, .key_length = (uint8_t)strlen(key), .type = type};
}

/* Each gauge has its own calibration. */
static void make_settings(uint8_t *to, unsigned gauge)
{
    const uint8_t pier = (uint8_t)('A' + gauge - 1);
    struct wry_settings_writer writer;
    struct wry_setting number = named("gauge", WRY_SETTING_INTEGER);
    struct wry_setting place = named("pier", WRY_SETTING_TEXT);
    struct wry_setting datum = named("datum_mm", WRY_SETTING_INTEGER);
    struct wry_setting scale = named("scale", WRY_SETTING_REAL);

    number.integer = gauge;
    place.bytes = &pier;
    place.length = 1;
    datum.integer = -(int64_t)(1790 + 37 * gauge);
    scale.real = 1 + 0.0011 * gauge;
    wry_settings_begin(&writer, to, WRY_SECTOR_SIZE);
    wry_settings_add(&writer, &number);
    wry_settings_add(&writer, &place);
    wry_settings_add(&writer, &datum);
    wry_settings_add(&writer, &scale);
    wry_settings_end(&writer, 1);
}

static void save(const char *folder, const char *name, const uint8_t *bytes, size_t n)
{
    char path[4096];

    snprintf(path, sizeof path, "%s/%s", folder, name);
    FILE *file = fopen(path, "wb");
    if (!file || fwrite(bytes, 1, n, file) != n || fclose(file) != 0) {
        perror(path);
        exit(1);
    }
}

/* What a gauge holds when it comes back: old programs, its own calibration, a log. */
static void save_returned(const char *folder, unsigned gauge, uint8_t *flash)
{
    char name[64];

    memset(flash, 0xFF, FLASH_SIZE);
    make_start(flash + START_OFFSET, "gauge-start 1.0.2", START_BODY - 900, 11);
    make_table(flash + TABLE_OFFSET);
    make_settings(flash + SETTINGS_OFFSET, gauge);
    make_app(flash + APP_OFFSET, "tide-gauge 2.3.0", 0);
    fill_like_firmware(flash + 0x1C0000, 600000 + 10000 * gauge, 20 + gauge);
    snprintf(name, sizeof name, "returned-%u.bin", gauge);
    save(folder, name, flash, FLASH_SIZE);
}

static void make_folder(const char *folder, const char *name)
{
    char path[4096];

    snprintf(path, sizeof path, "%s%s%s", folder, name[0] ? "/" : "", name);
    if (mkdir(path, 0777) != 0 && errno != EEXIST) {
        perror(path);
        exit(1);
    }
}

static void save_text(const char *folder, const char *name, const char *text)
{
    save(folder, name, (const uint8_t *)text, strlen(text));
}

/* A file of the demo's own folder. */
static void copy_text(const char *folder, const char *name)
{
    char path[4096], text[4096];

    snprintf(path, sizeof path, "%s/%s", WRY_DEMO_FOLDER, name);
    FILE *file = fopen(path, "rb");
    if (!file) {
        perror(path);
        exit(1);
    }
    size_t n = fread(text, 1, sizeof text, file);
    fclose(file);
    save(folder, name, (const uint8_t *)text, n);
}

/* The images of a release, in a folder of their own. */
static void save_release(const char *folder, uint8_t *room)
{
    make_folder(folder, "release");
    save(folder, "release/start.bin", room, make_start(room, "gauge-start 1.2.0", START_BODY, 1));
    save(folder, "release/regions.bin", room, make_table(room));
    save(folder, "release/gauge.bin", room, make_app(room, "tide-gauge 2.3.1", 1));
    save_text(folder, "offsets.txt",
              "# image offsets of the autumn release\n"
              "0x4000  start.bin\n0xE000  regions.bin\n0x40000 gauge.bin\n");
}

/* What the tours in the documents use beside images. */
static void save_texts(const char *folder)
{
    save_text(folder, "downloaded.bin",
              "<!DOCTYPE html>\n<html><head><title>tide-gauge</title></head>"
              "<body>Sign in</body></html>\n");
    save_text(folder, "pier-d.yaml",
              "settings:\n  gauge: 4\n  pier: D\n  datum_mm: -1812\n  scale: 1.0009\n");
    save_text(folder, "few.yaml", "settings:\n  gauge: 1\n  pier: A\n");
    make_folder(folder, "site");
    save_text(folder, "site/tide.html", "<!DOCTYPE html>\n<title>Tide at pier D</title>\n");
    copy_text(folder, "pier-gauges.yaml");
    copy_text(folder, "levels.csv");
    copy_text(folder, "gauge-settings.yaml");
    copy_text(folder, "sounder-update.yaml");
}

int main(int argc, char **argv)
{
    static const uint8_t other[] = {'t', 'i', 'd', 'a', 'l', '?'};

    if (argc != 2) {
        fprintf(stderr, "usage: gauge_images FOLDER\n");
        return 2;
    }
    uint8_t *room = malloc(FLASH_SIZE);
    if (!room)
        return 1;
    make_folder(argv[1], "");
    save(argv[1], "start.bin", room, make_start(room, "gauge-start 1.2.0", START_BODY, 1));
    save(argv[1], "regions.bin", room, make_table(room));
    save(argv[1], "sounder.bin", room, make_sounder(room));
    size_t n = make_app(room, "tide-gauge 2.3.1", 1);
    save(argv[1], "gauge.bin", room, n);
    memcpy(room + 0x493E0, other, sizeof other);
    save(argv[1], "other.bin", room, n);
    save_release(argv[1], room);
    save_texts(argv[1]);
    for (unsigned gauge = 1; gauge <= 3; gauge++)
        save_returned(argv[1], gauge, room);
    free(room);
    return 0;
}
