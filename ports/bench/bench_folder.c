/* The bench folder. */
#include "bench_folder.h"
#include "base/folder_names.h"
#include "posix/wiring_lines.h"

#include <errno.h>
#include <fcntl.h>
#include <gio/gio.h>
#include <glib/gstdio.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

#include "base/file_lock.h"
#include "base/folders.h"
#include "buttons.h"
#include "chips/chip_check.h"
#include "wrytograph-host/units.h"
#include "wrytograph/module_image.h"

#define DESCRIPTION "board.yaml"
#define FLASH "flash.bin"
#define SOUNDER "sounder.bin"

#define RESET_RISE UINT64_C(7000000) /* ns: 10 kOhm and 1 uF to the half of the supply */

struct bench_board {
    struct sim_board board;
    struct sim_adapter adapter;
    int file;
    uint8_t *cells;
    size_t size;
    char *home;
    uint8_t *sounder; /* flash of the module behind the board; NULL: not needed yet */
    const struct wry_wiring *taken_for, *wired;
    bool rts;             /* RTS as last set */
    struct wry_port port; /* the adapter's port, through the two wirings */
};

char *wry_bench_default_folder(void)
{
    char *named = folders_named("WRYTOGRAPH_BENCH");

    return named ? named : folders_user(FOLDER_DATA, "bench");
}

void bench_make_address(const char *name, uint8_t eui48[WRY_EUI48_SIZE])
{
    uint32_t sum = wry_crc32(0, (const uint8_t *)name, strlen(name));

    eui48[0] = 0x02;
    eui48[1] = 0x57;
    eui48[2] = (uint8_t)(sum >> 24);
    eui48[3] = (uint8_t)(sum >> 16);
    eui48[4] = (uint8_t)(sum >> 8);
    eui48[5] = (uint8_t)sum;
}

/* A valid name: letters, digits, '-', '_' and '.', not beginning with '.'. */
static gboolean check_name(const char *name, GError **error)
{
    gboolean fits = name[0] != '\0' && name[0] != '.' && strlen(name) <= 64;

    for (const char *c = name; *c; c++)
        fits = fits && (g_ascii_isalnum(*c) || strchr("-_.", *c));
    if (!fits)
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_NAME,
                    "'%s' is not a name for a board: use letters, digits, '-', '_' and '.'", name);
    return fits;
}

static gboolean file_error(GError **error, const char *path)
{
    g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_FILE, "%s: %s", path, g_strerror(errno));
    return FALSE;
}

static gboolean check_description(const struct bench_description *description, GError **error)
{
    const struct wry_chip *chip = description->chip;
    uint32_t size = description->flash_size;
    g_autofree char *wrong = NULL;

    if (chip_check(chip, &wrong) != CHIP_FINE) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_VALUE, "the chip of this board: %s",
                    wrong);
        return FALSE;
    }
    if ((size & (size - 1)) == 0 && size >= chip->flash_min && size <= chip->flash_max)
        return TRUE;
    g_autofree char *least = wry_units_bytes(chip->flash_min);
    g_autofree char *most = wry_units_bytes(chip->flash_max);
    g_autofree char *given = wry_units_bytes(size);
    g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_VALUE,
                "a %s has a flash of %s to %s, a power of two; %s does not fit", chip->title, least,
                most, given);
    return FALSE;
}

/* Writes flash.bin in full size: the content file, then blank. Piece by piece, since a flash may be
 * larger than a command's memory. */
static gboolean fill_flash(FILE *flash, FILE *content, uint32_t size)
{
    uint8_t piece[16384];

    for (uint32_t at = 0; at < size; at += sizeof piece) {
        size_t n = content ? fread(piece, 1, sizeof piece, content) : 0;
        memset(piece + n, 0xFF, sizeof piece - n);
        if (fwrite(piece, 1, sizeof piece, flash) != sizeof piece)
            return FALSE;
    }
    return !content || !ferror(content);
}

static gboolean make_flash(const char *path, uint32_t size, const char *content_path,
                           GError **error)
{
    FILE *content = content_path ? fopen(content_path, "rb") : NULL;

    if (content_path && !content)
        return file_error(error, content_path);
    FILE *flash = fopen(path, "wb");
    gboolean made = flash && fill_flash(flash, content, size);
    if (flash)
        made = fclose(flash) == 0 && made;
    if (!made)
        file_error(error, path);
    if (made && content && getc(content) != EOF) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_VALUE,
                    "%s: larger than a flash of %u KiB", content_path, (unsigned)(size / 1024));
        made = FALSE;
    }
    if (content)
        fclose(content);
    return made;
}

static gboolean remove_folder(const char *path, GError **error)
{
    g_auto(GStrv) names = folder_names(path, error);
    gboolean removed = names != NULL;

    for (char **name = names; removed && *name; name++) {
        g_autofree char *inner = g_build_filename(path, *name, NULL);
        bool folder =
            g_file_test(inner, G_FILE_TEST_IS_DIR) && !g_file_test(inner, G_FILE_TEST_IS_SYMLINK);
        removed =
            folder ? remove_folder(inner, error) : g_unlink(inner) == 0 || file_error(error, inner);
    }
    return removed && (g_rmdir(path) == 0 || file_error(error, path));
}

gboolean bench_add(const char *folder, const char *name,
                   const struct bench_description *description, const char *content, GError **error)
{
    g_autofree char *home = g_build_filename(folder, name, NULL);
    g_autofree char *yaml = g_build_filename(home, DESCRIPTION, NULL);
    g_autofree char *flash = g_build_filename(home, FLASH, NULL);

    if (!check_name(name, error) || !check_description(description, error))
        return FALSE;
    if (g_file_test(home, G_FILE_TEST_EXISTS)) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_EXISTS, "%s: board '%s' exists already",
                    folder, name);
        return FALSE;
    }
    if (g_mkdir_with_parents(home, 0777) != 0)
        return file_error(error, home);
    if (make_flash(flash, description->flash_size, content, error) &&
        board_file_save(yaml, description, error))
        return TRUE;
    remove_folder(home, NULL);
    return FALSE;
}

char **bench_list(const char *folder, GError **error)
{
    g_autoptr(GStrvBuilder) boards = g_strv_builder_new();

    if (g_file_test(folder, G_FILE_TEST_IS_DIR)) {
        g_auto(GStrv) names = folder_names(folder, error);
        if (!names)
            return NULL;
        for (char **name = names; *name; name++) {
            g_autofree char *yaml = g_build_filename(folder, *name, DESCRIPTION, NULL);
            if (g_file_test(yaml, G_FILE_TEST_EXISTS))
                g_strv_builder_add(boards, *name);
        }
    }
    return g_strv_builder_end(boards);
}

gboolean bench_load(const char *folder, const char *name, struct bench_description *description,
                    GError **error)
{
    g_autofree char *path = g_build_filename(folder, name, DESCRIPTION, NULL);

    if (!check_name(name, error))
        return FALSE;
    if (!g_file_test(path, G_FILE_TEST_EXISTS)) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_UNKNOWN,
                    "'%s' is not a board of the bench in %s", name, folder);
        return FALSE;
    }
    return board_file_load(path, description, error);
}

char *bench_description_path(const char *folder, const char *name)
{
    return g_build_filename(folder, name, DESCRIPTION, NULL);
}

gboolean bench_save(const char *folder, const char *name,
                    const struct bench_description *description, GError **error)
{
    g_autofree char *path = bench_description_path(folder, name);

    return board_file_save(path, description, error);
}

static gboolean lock_flash(int file, const char *path, GError **error)
{
    switch (file_lock_try(file)) {
    case FILE_LOCK_OURS:
        return TRUE;
    case FILE_LOCK_HELD:
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BUSY,
                    "%s: another program works on this board", path);
        return FALSE;
    default:
        return file_error(error, path);
    }
}

gboolean bench_remove(const char *folder, const char *name, GError **error)
{
    g_autofree char *home = g_build_filename(folder, name, NULL);
    g_autofree char *yaml = g_build_filename(home, DESCRIPTION, NULL);
    g_autofree char *flash = g_build_filename(home, FLASH, NULL);

    if (!check_name(name, error))
        return FALSE;
    if (!g_file_test(yaml, G_FILE_TEST_EXISTS)) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_UNKNOWN,
                    "'%s' is not a board of the bench in %s", name, folder);
        return FALSE;
    }
    int file = open(flash, O_RDWR | O_CLOEXEC);
    gboolean removed = (file < 0 || lock_flash(file, flash, error)) && remove_folder(home, error);
    if (file >= 0)
        close(file);
    return removed;
}

static gboolean map_flash(struct bench_board *board, const char *path, size_t size, GError **error)
{
    board->file = open(path, O_RDWR | O_CLOEXEC);
    if (board->file < 0)
        return file_error(error, path);
    if (!lock_flash(board->file, path, error))
        return FALSE;
    if (lseek(board->file, 0, SEEK_END) != (off_t)size) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_DAMAGED,
                    "%s: should be %" G_GSIZE_FORMAT " bytes long", path, size);
        return FALSE;
    }
    void *cells = mmap(NULL, size, PROT_READ | PROT_WRITE, MAP_SHARED, board->file, 0);
    if (cells == MAP_FAILED)
        return file_error(error, path);
    board->cells = cells;
    board->size = size;
    return TRUE;
}

/* Translates what the host sets into what the board sees. */
static enum wry_status port_set_lines(void *context, bool reset, bool boot)
{
    struct sim_adapter *adapter = context;
    struct bench_board *board =
        (struct bench_board *)(void *)((char *)context - offsetof(struct bench_board, adapter));
    uint64_t delay = board->board.faults.line_delay_ms * UINT64_C(1000);
    bool dtr, rts;

    if (board->taken_for->none)
        return WRY_OK;
    wiring_outputs(board->taken_for, reset, boot, &dtr, &rts);
    if (delay > 0 && rts != board->rts) {
        wiring_meaning(board->wired, dtr, board->rts, &reset, &boot);
        adapter->port.set_lines(context, reset, boot);
        adapter->port.sleep(context, adapter->port.now(context) + delay);
    }
    board->rts = rts;
    wiring_meaning(board->wired, dtr, rts, &reset, &boot);
    return adapter->port.set_lines(context, reset, boot);
}

static void press_buttons(struct bench_board *board, const char *home)
{
    struct buttons buttons = buttons_read(home);

    sim_adapter_hold_strap(&board->adapter, buttons.boot || buttons.due);
    buttons_done(home);
}

/* The module's flash: a file beside the board's, which is made when it is first needed, with the
 * program that it was delivered with. */
static gboolean make_sounder(const char *path)
{
    static const char body[] = "echo sounder of the first delivery";
    struct wry_module_image image = {.kind = WRY_MODULE_ECHO_SOUNDER,
                                     .version = "echo-sounder 1.0",
                                     .body_length = sizeof body,
                                     .body_crc = wry_crc32(0, (const uint8_t *)body, sizeof body)};
    g_autofree uint8_t *cells = g_malloc(SIM_SOUNDER_SIZE);

    memset(cells, 0xFF, SIM_SOUNDER_SIZE);
    wry_module_image_put(cells, &image);
    memcpy(cells + WRY_MODULE_IMAGE_HEAD, body, sizeof body);
    return g_file_set_contents(path, (const char *)cells, SIM_SOUNDER_SIZE, NULL);
}

/* NULL if it cannot be opened: then it is not there. */
static uint8_t *supply_sounder(void *context)
{
    struct bench_board *board = context;
    g_autofree char *path = g_build_filename(board->home, SOUNDER, NULL);
    int file = -1;

    if (board->sounder)
        return board->sounder;
    if (g_file_test(path, G_FILE_TEST_EXISTS) || make_sounder(path))
        file = open(path, O_RDWR | O_CLOEXEC);
    bool whole = file >= 0 && lseek(file, 0, SEEK_END) == (off_t)SIM_SOUNDER_SIZE;
    void *cells = whole ? mmap(NULL, SIM_SOUNDER_SIZE, PROT_READ | PROT_WRITE, MAP_SHARED, file, 0)
                        : MAP_FAILED;
    if (file >= 0)
        close(file);
    board->sounder = cells == MAP_FAILED ? NULL : cells;
    return board->sounder;
}

struct bench_board *bench_open(const char *folder, const char *name,
                               const struct wry_wiring *wiring, GError **error)
{
    struct bench_description description;
    g_autofree char *home = g_build_filename(folder, name, NULL);
    g_autofree char *path = g_build_filename(folder, name, FLASH, NULL);
    struct wry_board_identity identity;

    if (!bench_load(folder, name, &description, error) || !check_description(&description, error))
        return NULL;
    struct bench_board *board = g_new0(struct bench_board, 1);
    if (!map_flash(board, path, description.flash_size, error)) {
        bench_close(board);
        return NULL;
    }
    identity.chip_code = description.chip->code;
    identity.chip_revision = description.revision;
    identity.top_speed = description.chip->top_speed;
    memcpy(identity.eui48, description.eui48, sizeof identity.eui48);
    uint64_t seed = wry_crc32(0, identity.eui48, sizeof identity.eui48);
    sim_board_init(&board->board, description.chip, &identity, board->cells, description.flash_size,
                   seed);
    sim_board_set_faults(&board->board, &description.faults);
    board->board.sounder.supply = supply_sounder;
    board->board.sounder.context = board;
    board->home = g_steal_pointer(&home);
    sim_adapter_init(&board->adapter, &board->board, seed);
    board->wired = description.wiring;
    board->board.reset_rise = board->wired->cross_coupled ? RESET_RISE : 0;
    board->taken_for = wiring ? wiring : board->wired;
    board->port = board->adapter.port;
    board->port.set_lines = port_set_lines;
    press_buttons(board, board->home);
    sim_adapter_power(&board->adapter, true);
    return board;
}

const struct wry_port *bench_port(const struct bench_board *board)
{
    return &board->port;
}

const struct wry_wiring *bench_wiring(const struct bench_board *board)
{
    return board->wired;
}

struct sim_adapter *bench_adapter(struct bench_board *board)
{
    return &board->adapter;
}

void bench_take_wiring(struct bench_board *board, const struct wry_wiring *wiring)
{
    board->taken_for = wiring;
}

void bench_take_faults(struct bench_board *board, const struct sim_board_faults *faults)
{
    sim_adapter_take_faults(&board->adapter, faults);
}

void bench_close(struct bench_board *board)
{
    if (!board)
        return;
    if (board->cells) {
        sim_adapter_power(&board->adapter, false);
        munmap(board->cells, board->size);
    }
    if (board->sounder)
        munmap(board->sounder, SIM_SOUNDER_SIZE);
    if (board->file >= 0)
        close(board->file);
    g_free(board->home);
    g_free(board);
}
