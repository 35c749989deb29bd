/* What must hold of an image before it is written. */
#include "jobs/plan/image_checks.h"

#include "jobs/plan/placement_rules.h"
#include "store/file/file_kind.h"
#include "wrytograph/layout.h"
#include "wrytograph/settings_block.h"

static uint64_t end_of(const struct image *image)
{
    return image->facts.start + image->facts.span;
}

enum wry_outcome image_check_chip(struct wry_station *station, const struct image *image,
                                  const struct target *target)
{
    uint16_t code = image->facts.header.chip_code;

    if (target->chip && code == target->chip->code)
        return WRY_OUTCOME_DONE;
    station_fail(station, WRY_OUTCOME_WRONG, WRY_PROBLEM_FOR_OTHER_CHIP, image->facts.path);
    station->problem.chip = wry_chip_by_code(code);
    station->problem.found_chip = target->chip;
    return station->problem.outcome;
}

static enum wry_outcome fail_larger(struct wry_station *station, const struct image *image,
                                    const struct target *target)
{
    station_fail(station, WRY_OUTCOME_WRONG, WRY_PROBLEM_FOR_LARGER_FLASH, image->facts.path);
    station->problem.expected = UINT64_C(1) << image->facts.header.flash_size_log2;
    station->problem.found = target->flash_size;
    return station->problem.outcome;
}

/* The header learns of a larger flash; a smaller one than it was built for is refused. */
static enum wry_outcome settle_flash_size(struct wry_station *station, struct image *image,
                                          const struct target *target, enum image_use use,
                                          bool leave_header)
{
    uint8_t log2 = image->facts.header.flash_size_log2;
    uint64_t built_for = UINT64_C(1) << log2;

    if (log2 == 0 || built_for == target->flash_size)
        return WRY_OUTCOME_DONE;
    if (built_for > target->flash_size)
        return use == IMAGE_COMPARE ? WRY_OUTCOME_DONE : fail_larger(station, image, target);
    if (leave_header)
        return WRY_OUTCOME_DONE;
    struct wry_boot_header *header = &image->facts.header;
    while (UINT64_C(1) << header->flash_size_log2 < target->flash_size)
        header->flash_size_log2++;
    wry_boot_header_put(image->header_bytes, header);
    image->facts.header_set = true;
    return WRY_OUTCOME_DONE;
}

/* Read mode and clock as wanted; what the chip cannot do, it would not start from. */
static enum wry_outcome settle_read_mode(struct wry_station *station, struct image *image,
                                         const struct target *target, enum image_use use,
                                         const struct wry_images_options *options)
{
    struct wry_boot_header *header = &image->facts.header;
    bool set = (options->read_lines > 0 && options->read_lines != header->read_lines) ||
               (options->read_clock > 0 && options->read_clock != header->read_clock);

    if (options->read_lines > 0)
        header->read_lines = options->read_lines;
    if (options->read_clock > 0)
        header->read_clock = options->read_clock;
    if (set) {
        wry_boot_header_put(image->header_bytes, header);
        image->facts.read_set = true;
    }
    if (use == IMAGE_COMPARE || !target->chip ||
        (header->read_lines <= target->chip->read_lines_most &&
         header->read_clock <= target->chip->read_clock_most))
        return WRY_OUTCOME_DONE;
    placement_fail(station, WRY_PROBLEM_READ_MODE, image, NULL);
    station->problem.expected = header->read_lines;
    station->problem.found = header->read_clock;
    station->problem.chip = target->chip;
    return station->problem.outcome;
}

static enum wry_outcome check_named_region(struct wry_station *station, const struct image *image,
                                           const struct target *target)
{
    const struct wry_region *region = image->facts.region;

    if (image->facts.start >= region->offset &&
        end_of(image) <= (uint64_t)region->offset + region->length)
        return WRY_OUTCOME_DONE;
    placement_fail(station, WRY_PROBLEM_OUTSIDE_REGION, image, region);
    if (image->facts.has_header)
        station->problem.other = g_strdup(placement_of_program(target, image));
    return station->problem.outcome;
}

/* Programs begin where a program region begins, and end within it. */
static enum wry_outcome check_program_place(struct wry_station *station, const struct image *image,
                                            const struct target *target)
{
    const struct wry_region *region = wry_layout_at(&target->layout.table, image->facts.start);

    if (!region)
        return placement_fail(station, WRY_PROBLEM_PROGRAM_NOWHERE, image, NULL);
    if (!placement_is_for_programs(region))
        return placement_fail(station, WRY_PROBLEM_PROGRAM_AT_KIND, image, region);
    if (image->facts.start != region->offset)
        return placement_fail(station, WRY_PROBLEM_PROGRAM_NOT_FIRST, image, region);
    if (end_of(image) > (uint64_t)region->offset + region->length)
        return placement_fail(station, WRY_PROBLEM_PROGRAM_BEYOND, image, region);
    return WRY_OUTCOME_DONE;
}

/* By what its header says it is. */
static enum wry_outcome check_kind(struct wry_station *station, const struct image *image,
                                   const struct target *target)
{
    const struct wry_region *region = placement_region(target, image);
    uint8_t kind = image->facts.header.kind;

    if (!region || !placement_is_for_programs(region) || kind == WRY_PROGRAM_UNSAID ||
        kind == region->kind)
        return WRY_OUTCOME_DONE;
    placement_fail(station, WRY_PROBLEM_OTHER_KIND, image, region);
    station->problem.other = g_strdup(placement_of_program(target, image));
    return station->problem.outcome;
}

/* What is surely no firmware goes into regions for files and settings alone. */
static enum wry_outcome check_content(struct wry_station *station, const struct image *image,
                                      const struct target *target)
{
    const struct wry_region *region = image->facts.region;
    g_autofree uint8_t *bytes = NULL;
    uint32_t n = (uint32_t)MIN(image->facts.length, CONTENT_LOOKED_AT);
    enum wry_content content = WRY_CONTENT_ANY;
    GError *error = NULL;

    if (!region)
        region = wry_layout_at(&target->layout.table, image->facts.start);
    bool of_data =
        region && (region->kind == WRY_REGION_FILES || region->kind == WRY_REGION_SETTINGS);
    if (of_data || image->file->format != WRY_IMAGE_RAW)
        return WRY_OUTCOME_DONE;
    bytes = g_malloc(n);
    if (!image_file_read(image->file, image->header_at, bytes, n))
        return station_fail(station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_FILE_CHANGED,
                            image->facts.path);
    if (!content_recognise(image->facts.path, bytes, n, &content, &error))
        return station_fail_system(station, error);
    if (content == WRY_CONTENT_ANY)
        return WRY_OUTCOME_DONE;
    station_fail(station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_NO_FIRMWARE, image->facts.path);
    station->problem.content = content;
    return station->problem.outcome;
}

/* A sound block begins at that byte of the file. */
static bool is_block(const struct image *image, uint64_t at, uint32_t room)
{
    uint32_t n = (uint32_t)MIN(room, image->facts.length - at);
    g_autofree uint8_t *bytes = g_malloc(n);
    struct wry_settings_head head;

    return image_file_read(image->file, image->header_at + (uint32_t)at, bytes, n) &&
           n >= WRY_SETTINGS_HEAD_SIZE && wry_settings_head(&head, bytes) && head.length <= n &&
           wry_settings_get(&head, bytes, head.length);
}

/* In one of the two slots, as a copy of the region has one. */
static bool holds_block(const struct image *image, const struct wry_region *region)
{
    uint32_t room = wry_settings_slot(region->length);

    return room > 0 && (is_block(image, 0, room) ||
                        (image->facts.length > room && is_block(image, room, room)));
}

/* A settings region takes settings: a file of them, a block, or a copy of the region. */
static enum wry_outcome check_settings(struct wry_station *station, const struct image *image,
                                       const struct target *target)
{
    const struct wry_region *region = placement_region(target, image);

    if (!region || region->kind != WRY_REGION_SETTINGS || image->facts.what == WRY_WHAT_SETTINGS ||
        holds_block(image, region))
        return WRY_OUTCOME_DONE;
    placement_fail(station, WRY_PROBLEM_NOT_SETTINGS, image, region);
    return station->problem.outcome = WRY_OUTCOME_BAD_INPUT;
}

/* What the boot ROM would not start does not go where it starts from. */
static enum wry_outcome check_bootable(struct wry_station *station, const struct image *image,
                                       const struct target *target)
{
    const struct wry_region *region = placement_region(target, image);

    if (!region || !placement_is_for_programs(region) || image->facts.start != region->offset)
        return WRY_OUTCOME_DONE;
    if (image->facts.what == WRY_WHAT_TABLE)
        return placement_fail(station, WRY_PROBLEM_TABLE_ELSEWHERE, image, region);
    if (!target->chip || !target->chip->wants_header)
        return WRY_OUTCOME_DONE;
    placement_fail(station, WRY_PROBLEM_NO_PROGRAM, image, region);
    station->problem.chip = target->chip;
    return station->problem.outcome = WRY_OUTCOME_BAD_INPUT;
}

/* Where the chip looks for its region table, there is to be one. */
static enum wry_outcome check_table(struct wry_station *station, const struct image *image,
                                    const struct target *target)
{
    const struct wry_region *region = image->facts.region;
    bool by_name = region && region->kind == WRY_REGION_TABLE;
    bool by_place = target->chip && target->chip->table_offset != WRY_NO_OFFSET &&
                    image->facts.start == target->chip->table_offset;

    if ((!by_name && !by_place) || image->facts.what == WRY_WHAT_TABLE)
        return WRY_OUTCOME_DONE;
    placement_fail(station, WRY_PROBLEM_NO_TABLE, image, region);
    station->problem.chip = target->chip;
    return station->problem.outcome = WRY_OUTCOME_BAD_INPUT;
}

/* Programs that a file carries besides the one that it begins with, where regions for them begin.
 */
static enum wry_outcome check_covered(struct wry_station *station, const struct image *image,
                                      const struct target *target)
{
    const struct wry_region_table *layout = &target->layout.table;
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];
    struct wry_boot_header header;

    for (uint32_t i = 0; i < layout->count && placement_are_firm(target); i++) {
        const struct wry_region *region = &layout->regions[i];
        uint32_t at = region->offset - image->facts.base;
        if (!placement_is_for_programs(region) || region->offset <= image->facts.start ||
            region->offset >= end_of(image) || !image_file_has(image->file, at, sizeof bytes))
            continue;
        if (!image_file_read(image->file, at, bytes, sizeof bytes))
            return station_fail(station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_FILE_CHANGED,
                                image->facts.path);
        if (wry_bytes_blank(bytes, sizeof bytes))
            continue;
        bool whole = wry_boot_header_present(bytes) && wry_boot_header_get(&header, bytes) &&
                     image_body_is_whole(image->file, at, &header);
        if (whole && target->chip && header.chip_code != target->chip->code) {
            placement_fail(station, WRY_PROBLEM_FOR_OTHER_CHIP, image, region);
            station->problem.chip = wry_chip_by_code(header.chip_code);
            station->problem.found_chip = target->chip;
            return station->problem.outcome;
        }
        if (!whole && target->chip && target->chip->wants_header) {
            placement_fail(station, WRY_PROBLEM_NO_PROGRAM, image, region);
            station->problem.chip = target->chip;
            return station->problem.outcome = WRY_OUTCOME_BAD_INPUT;
        }
    }
    return WRY_OUTCOME_DONE;
}

static enum wry_outcome check_looked_at(struct wry_station *station, const struct image *image,
                                        const struct target *target)
{
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    if (image->facts.what == WRY_WHAT_OTHER)
        outcome = check_content(station, image, target);
    if (outcome == WRY_OUTCOME_DONE && !image->facts.has_header)
        outcome = check_table(station, image, target);
    return outcome == WRY_OUTCOME_DONE && !image->facts.has_header
               ? check_bootable(station, image, target)
               : outcome;
}

enum wry_outcome image_check_region(struct wry_station *station, const struct image *image,
                                    const struct target *target,
                                    const struct wry_images_options *options)
{
    const struct wry_region *region = image->facts.region;

    if (!image->facts.has_header) {
        enum wry_outcome outcome =
            options->any_content ? WRY_OUTCOME_DONE : check_looked_at(station, image, target);
        if (outcome == WRY_OUTCOME_DONE && region)
            outcome = check_named_region(station, image, target);
        return outcome == WRY_OUTCOME_DONE && !options->any_content
                   ? check_settings(station, image, target)
                   : outcome;
    }
    if (region && !placement_is_for_programs(region)) {
        placement_fail(station, WRY_PROBLEM_PROGRAM_IN_KIND, image, region);
        station->problem.other = g_strdup(placement_of_program(target, image));
        return station->problem.outcome;
    }
    enum wry_outcome outcome =
        options->any_place ? WRY_OUTCOME_DONE : check_kind(station, image, target);
    if (outcome != WRY_OUTCOME_DONE || !region)
        return outcome;
    return check_named_region(station, image, target);
}

static enum wry_outcome check_program(struct wry_station *station, struct image *image,
                                      const struct target *target, enum image_use use,
                                      const struct wry_images_options *options)
{
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    if (use == IMAGE_WRITE)
        outcome = image_check_chip(station, image, target);
    if (use == IMAGE_WRITE && outcome == WRY_OUTCOME_DONE && placement_are_firm(target))
        outcome = check_program_place(station, image, target);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = settle_flash_size(station, image, target, use, options->leave_header);
    return outcome == WRY_OUTCOME_DONE ? settle_read_mode(station, image, target, use, options)
                                       : outcome;
}

enum wry_outcome image_check(struct wry_station *station, struct image *image,
                             const struct target *target, enum image_use use,
                             const struct wry_images_options *options)
{
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    if (image->facts.region)
        outcome = check_named_region(station, image, target);
    if (outcome == WRY_OUTCOME_DONE && image->facts.has_header)
        outcome = check_program(station, image, target, use, options);
    if (outcome == WRY_OUTCOME_DONE && use == IMAGE_WRITE)
        outcome = placement_check(station, target, image, options->any_place);
    return outcome == WRY_OUTCOME_DONE && use == IMAGE_WRITE && !options->any_content
               ? check_covered(station, image, target)
               : outcome;
}
