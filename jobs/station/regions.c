/* Region names and parts. */
#include "jobs/station/regions.h"

#include <string.h>

#include "store/image/layout_file.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/units.h"
#include "wrytograph/region_table.h"

struct table_bytes {
    uint32_t start;
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];
};

static bool keep_table(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct table_bytes *table = context;

    memcpy(table->bytes + (offset - table->start), bytes, n);
    return true;
}

/* Reads the region table from the flash; *found is false if there is no valid one. */
static struct wry_problem *load_from_board(struct wry_station *station, struct target *target,
                                           bool *found)
{
    struct table_bytes table;
    struct wry_writer writer = {.context = &table, .write = keep_table};
    struct wry_region_table *layout = &target->layout.table;
    uint32_t which, other;

    *found = false;
    if (!target->on_link || !target->chip || target->chip->table_offset == WRY_NO_OFFSET)
        return NULL;
    table.start = target->chip->table_offset;
    enum wry_status status =
        wry_session_read(&station->session, table.start, sizeof table.bytes, &writer);
    if (status != WRY_OK)
        return problem_of_session(station, status);
    *found = wry_region_table_get(layout, table.bytes, sizeof table.bytes) &&
             wry_layout_check(layout, target->flash_size, &which, &other) == WRY_LAYOUT_FINE;
    return NULL;
}

static struct wry_problem *load_from_file(struct wry_station *station, struct target *target)
{
    const char *path = station->settings.layout_file;
    struct layout_file file;
    GError *error = NULL;

    if (!layout_file_load(path, target->flash_size, &file, &error))
        return problem_of_error(error);
    if (file.chip && (!target->chip || file.chip->code != target->chip->code))
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_LAYOUT_CHIP, path, .chip = file.chip);
    if (file.layout.flash_size > 0 && file.layout.flash_size != target->flash_size)
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_LAYOUT_FLASH, path,
                       .found = file.layout.flash_size, .expected = target->flash_size);
    target->layout =
        (struct wry_layout){.source = WRY_LAYOUT_SOURCE_FILE, .file = path, .table = file.layout};
    return NULL;
}

struct wry_problem *regions_of_target(struct wry_station *station, struct target *target)
{
    bool found;

    if (station->settings.layout_file)
        return load_from_file(station, target);
    struct wry_problem *problem = load_from_board(station, target, &found);
    if (problem)
        return problem;
    target->layout.source = WRY_LAYOUT_SOURCE_BOARD;
    if (found)
        return NULL;
    bool usual = target->chip &&
                 wry_layout_built_in(&target->layout.table, target->chip, target->flash_size);
    target->layout.source = usual ? WRY_LAYOUT_SOURCE_USUAL : WRY_LAYOUT_SOURCE_UNKNOWN;
    if (!usual)
        target->layout.table.count = 0;
    return NULL;
}

struct wry_problem *regions_of_board(struct wry_station *station, struct target *target)
{
    const struct wry_hello_reply *board = wry_session_board(&station->session);

    *target = (struct target){.chip = wry_chips_by_code(board->chip_code),
                              .chip_code = board->chip_code,
                              .flash_size = board->capacity,
                              .on_link = true};
    return regions_of_target(station, target);
}

struct wry_problem *regions_find(const struct target *target, const char *name,
                                 const struct wry_region **region)
{
    const struct wry_region_table *layout = &target->layout.table;

    *region = wry_layout_find(layout, name);
    if (*region)
        return NULL;
    /* No name begins with a digit: a range in another form. */
    if (g_ascii_isdigit(name[0]))
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_PART, name);
    struct wry_problem *problem = problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_NO_REGION, name);
    problem->names = g_new0(char *, layout->count + 1);
    for (uint32_t i = 0; i < layout->count; i++)
        problem->names[i] = g_strdup(layout->regions[i].name);
    return problem;
}

static struct wry_problem *parse_numbers(const struct target *target, const char *text,
                                         uint32_t *offset, uint32_t *length)
{
    const char *plus = strchr(text, '+');
    g_autofree char *first = g_strndup(text, (gsize)(plus - text));

    if (!wry_units_parse_offset(first, offset) || !wry_units_parse_size(plus + 1, length) ||
        *length == 0)
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_PART, text);
    if (*offset < target->flash_size && *length <= target->flash_size - *offset)
        return NULL;
    return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_PART_BEYOND, text,
                   .expected = target->flash_size);
}

struct wry_problem *regions_parse_part(const struct target *target, const char *text,
                                       uint32_t *offset, uint32_t *length)
{
    if (strcmp(text, "all") == 0) {
        *offset = 0;
        *length = target->flash_size;
        return NULL;
    }
    if (strchr(text, '+'))
        return parse_numbers(target, text, offset, length);
    const struct wry_region *region;
    struct wry_problem *problem = regions_find(target, text, &region);
    if (problem)
        return problem;
    *offset = region->offset;
    *length = region->length;
    return NULL;
}
