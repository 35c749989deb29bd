/* The boot ROM's checks of the flash, and the text of ROM and firmware. */
#include "firmware.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "storage.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/region_table.h"

struct printer {
    char *text;
    size_t room, used;
};

static void print(struct printer *p, const char *format, ...) __attribute__((format(printf, 2, 3)));

static void print(struct printer *p, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    int n = vsnprintf(p->text + p->used, p->room - p->used, format, arguments);
    va_end(arguments);
    if (n > 0)
        p->used += (size_t)n < p->room - p->used ? (size_t)n : p->room - p->used - 1;
}

/* What is wrong with the program with a header at offset; NULL if it is valid. */
static const char *check_header(const struct sim_firmware *board, uint32_t offset,
                                struct wry_boot_header *header)
{
    const uint8_t *at = board->die->cells + offset;
    uint32_t left = board->die->size - offset;
    uint8_t digest[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    if (!wry_boot_header_get(header, at))
        return "boot header damaged";
    if (header->chip_code != board->chip->code)
        return "built for another chip";
    if (header->body_length > left - WRY_BOOT_HEADER_SIZE - WRY_SHA256_SIZE)
        return "length beyond flash";
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, at + WRY_BOOT_HEADER_SIZE, header->body_length);
    wry_sha256_end(&sha, digest);
    if (memcmp(digest, at + WRY_BOOT_HEADER_SIZE + header->body_length, sizeof digest) != 0)
        return "digest differs";
    if (header->flash_size_log2 != 0 && UINT32_C(1) << header->flash_size_log2 > board->die->size)
        return "built for a larger flash";
    if (header->read_lines > board->chip->read_lines_most ||
        header->read_clock > board->chip->read_clock_most)
        return "read mode beyond this chip";
    return NULL;
}

/* The same for any program. One without a header has the version "program". */
static const char *check_program(const struct sim_firmware *board, uint32_t offset,
                                 struct wry_boot_header *header)
{
    const uint8_t *at = board->die->cells + offset;

    if (wry_bytes_blank(at, WRY_BOOT_HEADER_SIZE))
        return "blank";
    if (wry_boot_header_present(at))
        return check_header(board, offset, header);
    *header = (struct wry_boot_header){.version = "program"};
    return board->chip->wants_header ? "no boot header" : NULL;
}

static bool report(struct printer *p, const struct sim_firmware *board, const char *what,
                   uint32_t offset, struct wry_boot_header *header)
{
    const char *wrong = check_program(board, offset, header);

    if (wrong)
        print(p, "%s at 0x%X: %s\r\n", what, (unsigned)offset, wrong);
    else
        print(p, "%s at 0x%X: %s, digest ok\r\n", what, (unsigned)offset, header->version);
    return wrong == NULL;
}

/* The start program finds the application by the region table, if the chip has one. */
static bool find_app(struct printer *p, const struct sim_firmware *board, uint32_t *offset)
{
    struct wry_region_table table;
    uint32_t at = board->chip->table_offset;

    if (at == WRY_NO_OFFSET) {
        *offset = board->chip->app_offset;
        return true;
    }
    if (!wry_region_table_get(&table, board->die->cells + at, WRY_REGION_TABLE_SIZE_MAX)) {
        print(p, "region table at 0x%X: not valid\r\n", (unsigned)at);
        return false;
    }
    for (uint32_t i = 0; i < table.count; i++) {
        if (table.regions[i].kind == WRY_REGION_APP && table.regions[i].offset < board->die->size) {
            *offset = table.regions[i].offset;
            return true;
        }
    }
    print(p, "region table at 0x%X: no application region\r\n", (unsigned)at);
    return false;
}

static bool boot_program(struct printer *p, const struct sim_firmware *board)
{
    const struct wry_chip *chip = board->chip;
    struct wry_boot_header header;
    uint32_t app = 0;

    if (chip->start_offset != chip->app_offset &&
        !report(p, board, "start program", chip->start_offset, &header))
        return false;
    if (!find_app(p, board, &app) || !report(p, board, "application", app, &header))
        return false;
    return true;
}

/* The running application, which the boot ROM has checked; false if there is none. */
static bool running_app(const struct sim_firmware *board, struct wry_boot_header *header)
{
    struct printer silent = {.text = (char[1]){0}, .room = 1};
    uint32_t app = 0;

    if (!find_app(&silent, board, &app))
        return false;
    if (wry_boot_header_present(board->die->cells + app))
        return wry_boot_header_get(header, board->die->cells + app);
    *header = (struct wry_boot_header){.version = "program"};
    return !board->chip->wants_header;
}

void sim_firmware_greet(const struct sim_firmware *board, char *text, size_t room)
{
    struct printer p = {.text = text, .room = room};
    const uint8_t *e = board->identity->eui48;
    struct wry_boot_header header;

    text[0] = '\0';
    if (!running_app(board, &header))
        return;
    print(&p, "%s on %02X:%02X:%02X:%02X:%02X:%02X\r\n", header.version, e[0], e[1], e[2], e[3],
          e[4], e[5]);
    print(&p, "gauge ready\r\n");
}

bool sim_firmware_boot(const struct sim_firmware *board, char *text, size_t room)
{
    struct printer p = {.text = text, .room = room};

    print(&p, "%s revision %u, boot ROM 1%s\r\n", board->chip->title,
          board->identity->chip_revision, board->browned_out ? ", supply failed" : "");
    bool runs = boot_program(&p, board);
    if (!runs && board->chip->says_nothing)
        print(&p, "%s\r\n", board->chip->says_nothing);
    return runs;
}

void sim_firmware_answer(const struct sim_firmware *board, const char *line, char *text,
                         size_t room)
{
    struct printer p = {.text = text, .room = room};
    struct wry_boot_header header;

    text[0] = '\0';
    if (strcmp(line, "version") == 0) {
        if (running_app(board, &header))
            print(&p, "%s\r\n", header.version);
    } else if (strcmp(line, "tide") == 0) {
        sim_firmware_report(0, text, room);
    } else if (strcmp(line, "settings") == 0) {
        sim_storage_settings(board, text, room);
    } else if (strcmp(line, "files") == 0) {
        sim_storage_files(board, text, room);
    } else if (strncmp(line, "set ", 4) == 0) {
        sim_storage_set(board, line + 4, text, room);
    } else if (strcmp(line, "sounder") == 0) {
        sim_sounder_version(board->sounder, text, room);
    } else if (strcmp(line, "bridge") == 0) {
        print(&p, "%s\r\n",
              sim_sounder_open(board->sounder) ? "bridge to the echo sounder; a break ends it"
                                               : "no echo sounder answers");
    } else if (line[0] != '\0') {
        print(&p, "commands: version, tide, settings, set KEY VALUE, files, sounder, bridge\r\n");
    }
}

/* A tide that changes by a few centimetres. */
void sim_firmware_report(unsigned n, char *text, size_t room)
{
    unsigned step = n % 40 < 20 ? n % 40 : 40 - n % 40;

    snprintf(text, room, "tide %u.%02u m\r\n", 2 + (31 + step) / 100, (31 + step) % 100);
}
