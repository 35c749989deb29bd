/* What must hold of an image before it is written. */
#include "image_checks.h"

#include "store/content.h"
#include "wrytograph/layout.h"

static uint64_t end_of(const struct image *image)
{
    return image->facts.start + image->facts.span;
}

/* Where the image lies, and the region concerned. */
static enum wry_outcome fail_place(struct wry_station *station, enum wry_problem_kind kind,
                                   const struct image *image, const struct wry_region *region)
{
    station_fail(station, WRY_OUTCOME_WRONG, kind, image->facts.path);
    station->problem.start = image->facts.start;
    station->problem.last = end_of(image) - 1;
    if (region)
        station->problem.region = *region;
    return station->problem.outcome;
}

static enum wry_outcome check_chip(struct wry_station *station, const struct image *image,
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
    struct wry_boot_header header = image->facts.header;
    while (UINT64_C(1) << header.flash_size_log2 < target->flash_size)
        header.flash_size_log2++;
    wry_boot_header_put(image->header_bytes, &header);
    image->facts.header_set = true;
    return WRY_OUTCOME_DONE;
}

static enum wry_outcome check_named_region(struct wry_station *station, const struct image *image)
{
    const struct wry_region *region = image->facts.region;

    if (image->facts.start >= region->offset &&
        end_of(image) <= (uint64_t)region->offset + region->length)
        return WRY_OUTCOME_DONE;
    return fail_place(station, WRY_PROBLEM_OUTSIDE_REGION, image, region);
}

static bool is_for_programs(const struct wry_region *region)
{
    return region->kind == WRY_REGION_APP || region->kind == WRY_REGION_START;
}

/* Programs begin where a program region begins, and end within it. */
static enum wry_outcome check_program_place(struct wry_station *station, const struct image *image,
                                            const struct target *target)
{
    const struct wry_region *region = wry_layout_at(&target->layout.table, image->facts.start);

    if (!region)
        return fail_place(station, WRY_PROBLEM_PROGRAM_NOWHERE, image, NULL);
    if (!is_for_programs(region))
        return fail_place(station, WRY_PROBLEM_PROGRAM_AT_KIND, image, region);
    if (image->facts.start != region->offset)
        return fail_place(station, WRY_PROBLEM_PROGRAM_NOT_FIRST, image, region);
    if (end_of(image) > (uint64_t)region->offset + region->length)
        return fail_place(station, WRY_PROBLEM_PROGRAM_BEYOND, image, region);
    return WRY_OUTCOME_DONE;
}

enum wry_outcome image_check_region(struct wry_station *station, const struct image *image,
                                    enum image_use use)
{
    const struct wry_region *region = image->facts.region;

    if (!region || !image->facts.has_header || use != IMAGE_WRITE)
        return WRY_OUTCOME_DONE;
    if (!is_for_programs(region))
        return fail_place(station, WRY_PROBLEM_PROGRAM_IN_KIND, image, region);
    return check_named_region(station, image);
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

/* The usual layout of a chip is a guess for this board: no reason to refuse. */
static bool is_firm(const struct target *target)
{
    return target->layout.source == WRY_LAYOUT_FROM_FILE ||
           target->layout.source == WRY_LAYOUT_FROM_BOARD;
}

/* What the boot ROM would not start does not go where it starts from. */
static enum wry_outcome check_bootable(struct wry_station *station, const struct image *image,
                                       const struct target *target)
{
    const struct wry_region *region = image->facts.region;

    if (!region && is_firm(target))
        region = wry_layout_at(&target->layout.table, image->facts.start);
    if (!region || !is_for_programs(region) || image->facts.start != region->offset ||
        !target->chip || !target->chip->wants_header)
        return WRY_OUTCOME_DONE;
    fail_place(station, WRY_PROBLEM_NO_PROGRAM, image, region);
    station->problem.chip = target->chip;
    return station->problem.outcome = WRY_OUTCOME_BAD_INPUT;
}

enum wry_outcome image_check(struct wry_station *station, struct image *image,
                             const struct target *target, enum image_use use,
                             const struct wry_images_wanted *wanted)
{
    enum wry_outcome outcome = WRY_OUTCOME_DONE;
    bool looked_at = !image->facts.has_header && use == IMAGE_WRITE && !wanted->any_content;

    if (looked_at)
        outcome = check_content(station, image, target);
    if (looked_at && outcome == WRY_OUTCOME_DONE)
        outcome = check_bootable(station, image, target);
    if (outcome == WRY_OUTCOME_DONE && image->facts.region)
        outcome = check_named_region(station, image);
    if (outcome != WRY_OUTCOME_DONE || !image->facts.has_header)
        return outcome;
    if (use == IMAGE_WRITE)
        outcome = check_chip(station, image, target);
    if (use == IMAGE_WRITE && outcome == WRY_OUTCOME_DONE && is_firm(target))
        outcome = check_program_place(station, image, target);
    return outcome == WRY_OUTCOME_DONE
               ? settle_flash_size(station, image, target, use, wanted->leave_header)
               : outcome;
}
