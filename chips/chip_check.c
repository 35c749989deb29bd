/* Checks of chip descriptions. */
#include "chips/chip_check.h"

#include <glib.h>
#include <string.h>

#include "wrytograph-host/units.h"
#include "wrytograph/flash.h"
#include "wrytograph/layout.h"

enum {
    NAME_MOST = 32,
    TITLE_MOST = 40,
    STRAP_MOST = 16,
    SAYS_MOST = 120,
    SLOWEST = 9600, /* baud */
    FASTEST = 12000000,
};

static bool is_line(const char *text, size_t most)
{
    if (!text || text[0] == '\0' || strlen(text) > most || !g_utf8_validate(text, -1, NULL))
        return false;
    for (const char *c = text; *c; c++) {
        if (g_ascii_iscntrl(*c))
            return false;
    }
    return true;
}

static bool is_name(const char *text)
{
    return is_line(text, NAME_MOST) && g_ascii_islower(text[0]) &&
           strspn(text, "abcdefghijklmnopqrstuvwxyz0123456789-") == strlen(text);
}

static bool is_speed(uint32_t baud)
{
    return baud >= SLOWEST && baud <= FASTEST;
}

static bool is_place(uint32_t offset, const struct wry_chip *chip)
{
    return offset % WRY_SECTOR_SIZE == 0 && offset < chip->flash_min;
}

static enum chip_fault fault(enum chip_fault which, char **wrong, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

static enum chip_fault fault(enum chip_fault which, char **wrong, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    *wrong = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    return which;
}

static const char *problem_words(enum wry_layout_problem problem)
{
    switch (problem) {
    case WRY_LAYOUT_UNALIGNED:
        return "does not begin and end on a sector (multiples of 0x1000), or is empty";
    case WRY_LAYOUT_BEYOND:
        return "does not fit into the flash";
    case WRY_LAYOUT_BAD_NAME:
        return "has a name that no region may have";
    case WRY_LAYOUT_REPEATED:
        return "is there twice";
    default:
        return "overlaps another";
    }
}

static enum chip_fault check_layout(const struct wry_chip *chip, uint32_t size, char **wrong)
{
    struct wry_region_table layout;
    uint32_t which = 0, other = 0;

    if (chip->usual_count == 0)
        return CHIP_FINE;
    wry_layout_built_in(&layout, chip, size);
    enum wry_layout_problem problem = wry_layout_check(&layout, size, &which, &other);
    if (problem == WRY_LAYOUT_FINE)
        return CHIP_FINE;
    g_autofree char *flash = wry_units_flash_size(size);
    return fault(CHIP_REGIONS, wrong, "with %s of flash, the region '%s' %s", flash,
                 chip->usual[which].name, problem_words(problem));
}

static enum chip_fault check_regions(const struct wry_chip *chip, char **wrong)
{
    enum chip_fault found = CHIP_FINE;

    if (chip->usual_count > WRY_REGION_MAX)
        return fault(CHIP_REGIONS, wrong, "more than %u regions", WRY_REGION_MAX);
    for (size_t i = 0; i < chip->usual_count; i++) {
        if (chip->usual[i].kind < WRY_REGION_START || chip->usual[i].kind > WRY_REGION_FILES)
            return fault(CHIP_REGIONS, wrong, "the region '%s' is of no kind that there is",
                         chip->usual[i].name);
        if (!wry_region_name_is_fit(chip->usual[i].name) ||
            strlen(chip->usual[i].name) > WRY_REGION_NAME_SIZE)
            return fault(CHIP_REGIONS, wrong,
                         "'%s' is not a name: a letter, then up to 15 letters, digits, '-' and "
                         "'_'; not all or rest",
                         chip->usual[i].name);
    }
    for (uint32_t size = chip->flash_min; size < chip->flash_max && !found; size *= 2)
        found = check_layout(chip, size, wrong);
    return found ? found : check_layout(chip, chip->flash_max, wrong);
}

static enum chip_fault check_flash(const struct wry_chip *chip, char **wrong)
{
    uint32_t least = chip->flash_min, most = chip->flash_max;

    if (least >= 16 * WRY_SECTOR_SIZE && least <= most && most <= WRY_FLASH_MAX &&
        (least | most) % WRY_SECTOR_SIZE == 0)
        return CHIP_FINE;
    return fault(CHIP_FLASH, wrong,
                 "flash has sizes from 64 KiB to 256 MiB, the least one first, in whole sectors");
}

static enum chip_fault check_places(const struct wry_chip *chip, char **wrong)
{
    static const char words[] =
        "the %s is at a multiple of 0x1000 within the smallest flash of this chip";

    if (!is_place(chip->start_offset, chip))
        return fault(CHIP_START, wrong, words, "start program");
    if (chip->table_offset != WRY_NO_OFFSET && !is_place(chip->table_offset, chip))
        return fault(CHIP_TABLE, wrong, words, "region table");
    if (!is_place(chip->app_offset, chip))
        return fault(CHIP_APPS, wrong, words, "lowest application");
    return CHIP_FINE;
}

enum chip_fault chip_check(const struct wry_chip *chip, char **wrong)
{
    if (chip->code == 0 || chip->code == UINT16_MAX)
        return fault(CHIP_CODE, wrong, "a code is a number from 0x0001 to 0xFFFE");
    if (!is_name(chip->name))
        return fault(CHIP_NAME, wrong,
                     "a name is up to %d small letters, digits and '-', and begins with a letter",
                     NAME_MOST);
    if (!is_line(chip->title, TITLE_MOST))
        return fault(CHIP_TITLE, wrong, "a title is one line, up to %d characters", TITLE_MOST);
    if (!is_line(chip->strap, STRAP_MOST))
        return fault(CHIP_STRAP, wrong, "the strap is a pin's name, up to %d characters",
                     STRAP_MOST);
    if ((chip->says_loading && !is_line(chip->says_loading, SAYS_MOST)) ||
        (chip->says_nothing && !is_line(chip->says_nothing, SAYS_MOST)))
        return fault(CHIP_SAYS, wrong, "what a chip says is one line, up to %d characters",
                     SAYS_MOST);
    if (chip->cores == 0)
        return fault(CHIP_CORES, wrong, "a chip has one core at least");
    if (chip->instructions > WRY_INSTRUCTIONS_ARM64)
        return fault(CHIP_INSTRUCTIONS, wrong, "there is no instruction set %u",
                     chip->instructions);
    if (!is_speed(chip->boot_speed) || !is_speed(chip->run_speed) || !is_speed(chip->top_speed))
        return fault(CHIP_SPEEDS, wrong, "speeds are numbers from %d to %d", SLOWEST, FASTEST);
    if (chip->read_clock_most == 0)
        return fault(CHIP_READ, wrong, "a flash is read with 1 MHz at least");
    if (chip->read_lines_most != 1 && chip->read_lines_most != 2 && chip->read_lines_most != 4)
        return fault(CHIP_READ, wrong, "a flash is read over 1, 2 or 4 lines");
    enum chip_fault found = check_flash(chip, wrong);
    if (!found)
        found = check_places(chip, wrong);
    return found ? found : check_regions(chip, wrong);
}
