/* Checks of an image before it is written. */
#include "jobs/plan/image_checks.h"

#include "jobs/plan/placement_rules.h"
#include "store/file/file_kind.h"
#include "wrytograph-host/chips.h"
#include "wrytograph/layout.h"
#include "wrytograph/settings_block.h"

static uint64_t end_of(const struct image *image)
{
    return image->facts.start + image->facts.span;
}

struct wry_problem *image_check_chip(const struct image *image, const struct target *target)
{
    uint16_t code = image->facts.header.chip_code;

    if (code == target->chip_code)
        return NULL;
    return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_FOR_OTHER_CHIP, image->facts.path,
                   .chip = wry_chips_by_code(code), .found_chip = target->chip);
}

static struct wry_problem *fail_larger(const struct image *image, const struct target *target)
{
    return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_FOR_LARGER_FLASH, image->facts.path,
                   .expected = UINT64_C(1) << image->facts.header.flash_size_log2,
                   .found = target->flash_size);
}

/* Adapts the header to a larger flash; refuses a smaller one than it was built for. */
static struct wry_problem *settle_flash_size(struct image *image, const struct target *target,
                                             enum image_use use, bool leave_header)
{
    uint8_t log2 = image->facts.header.flash_size_log2;
    uint64_t built_for = UINT64_C(1) << log2;

    if (log2 == 0 || built_for == target->flash_size)
        return NULL;
    if (built_for > target->flash_size)
        return use == IMAGE_COMPARE ? NULL : fail_larger(image, target);
    if (leave_header)
        return NULL;
    struct wry_boot_header *header = &image->facts.header;
    while (UINT64_C(1) << header->flash_size_log2 < target->flash_size)
        header->flash_size_log2++;
    wry_boot_header_put(image->header_bytes, header);
    image->facts.header_set = true;
    return NULL;
}

/* Sets read mode and clock; refuses values the chip could not start with. */
static struct wry_problem *settle_read_mode(struct image *image, const struct target *target,
                                            enum image_use use,
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
        return NULL;
    struct wry_problem *problem = placement_fail(WRY_PROBLEM_READ_MODE, image, NULL);
    problem->expected = header->read_lines;
    problem->found = header->read_clock;
    problem->chip = target->chip;
    return problem;
}

static struct wry_problem *check_named_region(const struct image *image,
                                              const struct target *target)
{
    const struct wry_region *region = image->facts.region;

    if (image->facts.start >= region->offset &&
        end_of(image) <= (uint64_t)region->offset + region->length)
        return NULL;
    struct wry_problem *problem = placement_fail(WRY_PROBLEM_OUTSIDE_REGION, image, region);
    if (!image_may_move(image))
        problem->expected = image->facts.start;
    else if (image->facts.has_header)
        problem->other = g_strdup(placement_of_program(target, image));
    return problem;
}

/* With the region that the program would fit, unless the file's addresses say otherwise. */
static struct wry_problem *misplaced(enum wry_problem_kind kind, const struct image *image,
                                     const struct wry_region *region, const struct target *target)
{
    struct wry_problem *problem = placement_fail(kind, image, region);

    if (image->facts.has_header && image_may_move(image))
        problem->other = g_strdup(placement_of_program(target, image));
    return problem;
}

/* Programs begin at the start of a program region and end within it. */
static struct wry_problem *check_program_place(const struct image *image,
                                               const struct target *target)
{
    const struct wry_region *region = wry_layout_at(&target->layout.table, image->facts.start);

    if (!region)
        return misplaced(WRY_PROBLEM_PROGRAM_NOWHERE, image, NULL, target);
    if (!placement_is_for_programs(region))
        return misplaced(WRY_PROBLEM_PROGRAM_AT_KIND, image, region, target);
    if (image->facts.start != region->offset)
        return misplaced(WRY_PROBLEM_PROGRAM_NOT_FIRST, image, region, target);
    if (end_of(image) > (uint64_t)region->offset + region->length)
        return misplaced(WRY_PROBLEM_PROGRAM_BEYOND, image, region, target);
    return NULL;
}

/* Checks the kind in the header against the region. */
static struct wry_problem *check_kind(const struct image *image, const struct target *target)
{
    const struct wry_region *region = placement_region(target, image);
    uint8_t kind = image->facts.header.kind;

    if (!region || !placement_is_for_programs(region) || kind == WRY_PROGRAM_UNSAID ||
        kind == region->kind)
        return NULL;
    struct wry_problem *problem = placement_fail(WRY_PROBLEM_OTHER_KIND, image, region);
    problem->other = g_strdup(placement_of_program(target, image));
    return problem;
}

/* Content that is certainly not firmware may only go into regions for files and settings. */
static struct wry_problem *check_content(const struct image *image, const struct target *target)
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
        return NULL;
    bytes = g_malloc(n);
    if (!image_file_read(image->file, image->header_at, bytes, n))
        return problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_FILE_CHANGED, image->facts.path);
    if (!content_recognise(image->facts.path, bytes, n, &content, &error))
        return problem_of_error(error);
    if (content == WRY_CONTENT_ANY)
        return NULL;
    return PROBLEM(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_NO_FIRMWARE, image->facts.path,
                   .content = content);
}

/* True if a valid block begins at this offset of the file. */
static bool is_block(const struct image *image, uint64_t at, uint32_t room)
{
    uint32_t n = (uint32_t)MIN(room, image->facts.length - at);
    g_autofree uint8_t *bytes = g_malloc(n);
    struct wry_settings_head head;

    return image_file_read(image->file, image->header_at + (uint32_t)at, bytes, n) &&
           n >= WRY_SETTINGS_HEAD_SIZE && wry_settings_head(&head, bytes) && head.length <= n &&
           wry_settings_get(&head, bytes, head.length);
}

/* True if one of the two slots has a valid block, as in a copy of the region. */
static bool holds_block(const struct image *image, const struct wry_region *region)
{
    uint32_t room = wry_settings_slot(region->length);

    return room > 0 && (is_block(image, 0, room) ||
                        (image->facts.length > room && is_block(image, room, room)));
}

/* A settings region accepts a settings file, a block, or a copy of the region. */
static struct wry_problem *check_settings(const struct image *image, const struct target *target)
{
    const struct wry_region *region = placement_region(target, image);

    if (!region || region->kind != WRY_REGION_SETTINGS || image->facts.what == WRY_WHAT_SETTINGS ||
        holds_block(image, region))
        return NULL;
    struct wry_problem *problem = placement_fail(WRY_PROBLEM_NOT_SETTINGS, image, region);
    problem->outcome = WRY_OUTCOME_BAD_INPUT;
    return problem;
}

/* Content that the boot ROM would not start must not go where it starts from. */
static struct wry_problem *check_bootable(const struct image *image, const struct target *target)
{
    const struct wry_region *region = placement_region(target, image);

    if (!region || !placement_is_for_programs(region) || image->facts.start != region->offset)
        return NULL;
    if (image->facts.what == WRY_WHAT_TABLE)
        return placement_fail(WRY_PROBLEM_TABLE_ELSEWHERE, image, region);
    if (!target->chip || !target->chip->wants_header)
        return NULL;
    struct wry_problem *problem = placement_fail(WRY_PROBLEM_NO_PROGRAM, image, region);
    problem->chip = target->chip;
    problem->outcome = WRY_OUTCOME_BAD_INPUT;
    return problem;
}

/* The place of the chip's region table must get a valid table. */
static struct wry_problem *check_table(const struct image *image, const struct target *target)
{
    const struct wry_region *region = image->facts.region;
    bool by_name = region && region->kind == WRY_REGION_TABLE;
    bool by_place = target->chip && target->chip->table_offset != WRY_NO_OFFSET &&
                    image->facts.start == target->chip->table_offset;

    if ((!by_name && !by_place) || image->facts.what == WRY_WHAT_TABLE)
        return NULL;
    struct wry_problem *problem = placement_fail(WRY_PROBLEM_NO_TABLE, image, region);
    problem->chip = target->chip;
    problem->outcome = WRY_OUTCOME_BAD_INPUT;
    return problem;
}

/* Checks further programs within a file at the starts of program regions. */
static struct wry_problem *check_covered(const struct image *image, const struct target *target)
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
            return problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_FILE_CHANGED, image->facts.path);
        if (wry_bytes_blank(bytes, sizeof bytes))
            continue;
        bool whole = wry_boot_header_present(bytes) && wry_boot_header_get(&header, bytes) &&
                     image_body_is_whole(image->file, at, &header);
        if (whole && header.chip_code != target->chip_code) {
            struct wry_problem *problem = placement_fail(WRY_PROBLEM_FOR_OTHER_CHIP, image, region);
            problem->chip = wry_chips_by_code(header.chip_code);
            problem->found_chip = target->chip;
            return problem;
        }
        if (!whole && target->chip && target->chip->wants_header) {
            struct wry_problem *problem = placement_fail(WRY_PROBLEM_NO_PROGRAM, image, region);
            problem->chip = target->chip;
            problem->outcome = WRY_OUTCOME_BAD_INPUT;
            return problem;
        }
    }
    return NULL;
}

static struct wry_problem *check_looked_at(const struct image *image, const struct target *target)
{
    struct wry_problem *problem = NULL;

    if (image->facts.what == WRY_WHAT_OTHER)
        problem = check_content(image, target);
    if (!problem && !image->facts.has_header)
        problem = check_table(image, target);
    return !problem && !image->facts.has_header ? check_bootable(image, target) : problem;
}

struct wry_problem *image_check_region(const struct image *image, const struct target *target,
                                       const struct wry_images_options *options)
{
    const struct wry_region *region = image->facts.region;

    if (!image->facts.has_header) {
        struct wry_problem *problem = options->any_content ? NULL : check_looked_at(image, target);
        if (!problem && region)
            problem = check_named_region(image, target);
        return !problem && !options->any_content ? check_settings(image, target) : problem;
    }
    if (region && !placement_is_for_programs(region)) {
        struct wry_problem *problem = placement_fail(WRY_PROBLEM_PROGRAM_IN_KIND, image, region);
        problem->other = g_strdup(placement_of_program(target, image));
        return problem;
    }
    struct wry_problem *problem = options->any_place ? NULL : check_kind(image, target);
    if (problem || !region)
        return problem;
    return check_named_region(image, target);
}

static struct wry_problem *check_program(struct image *image, const struct target *target,
                                         enum image_use use,
                                         const struct wry_images_options *options)
{
    struct wry_problem *problem = NULL;

    if (use == IMAGE_WRITE)
        problem = image_check_chip(image, target);
    if (use == IMAGE_WRITE && !problem && placement_are_firm(target))
        problem = check_program_place(image, target);
    if (!problem)
        problem = settle_flash_size(image, target, use, options->leave_header);
    return problem ? problem : settle_read_mode(image, target, use, options);
}

struct wry_problem *image_check(struct image *image, const struct target *target,
                                enum image_use use, const struct wry_images_options *options)
{
    struct wry_problem *problem = NULL;

    if (image->facts.region)
        problem = check_named_region(image, target);
    if (!problem && image->facts.has_header)
        problem = check_program(image, target, use, options);
    if (!problem && use == IMAGE_WRITE)
        problem = placement_check(target, image, options->any_place);
    return !problem && use == IMAGE_WRITE && !options->any_content ? check_covered(image, target)
                                                                   : problem;
}
