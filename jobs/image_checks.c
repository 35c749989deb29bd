/* What must hold of an image before it is written. */
#include "image_checks.h"

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

enum wry_outcome image_check(struct wry_station *station, struct image *image,
                             const struct target *target, enum image_use use, bool leave_header)
{
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    if (image->facts.region)
        outcome = check_named_region(station, image);
    if (outcome != WRY_OUTCOME_DONE || !image->facts.has_header)
        return outcome;
    if (use == IMAGE_WRITE)
        outcome = check_chip(station, image, target);
    /* The usual layout of a chip is a guess for this board: no reason to refuse. */
    bool firm = target->layout.source == WRY_LAYOUT_FROM_FILE ||
                target->layout.source == WRY_LAYOUT_FROM_BOARD;
    if (use == IMAGE_WRITE && outcome == WRY_OUTCOME_DONE && firm)
        outcome = check_program_place(station, image, target);
    return outcome == WRY_OUTCOME_DONE
               ? settle_flash_size(station, image, target, use, leave_header)
               : outcome;
}
