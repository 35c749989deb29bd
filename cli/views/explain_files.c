/* Problems of images, places, parts and archives as sentences. */
#include "base/units.h"
#include "explain.h"
#include "words.h"

static const char unchanged[] = "Nothing was changed.";
static const char build_again[] = "Build or download the image again.";
static const char other_image[] =
    "Nothing was changed. Use the image that was built for this board.";
static const char look_at_plan[] =
    "Nothing was changed. Check the offset against the layout: 'wrytograph plan' draws it.";

/* What a file is that is surely no firmware, and what to do about it. */
static void explain_content(struct app *app, const struct wry_problem *p)
{
    static const struct {
        const char *what, *hint;
    } words[] = {
        [WRY_CONTENT_PAGE] = {"is a web page, no firmware: the download went wrong",
                              "Download the file that the page speaks of."},
        [WRY_CONTENT_ZIP] = {"is a ZIP archive, no firmware",
                             "Unpack it, and write the images that are in it; a backup goes back "
                             "by 'wrytograph restore'."},
        [WRY_CONTENT_PACKED] = {"is packed, no firmware", "Unpack it, and write what is in it."},
        [WRY_CONTENT_PROGRAM] = {"is what a linker makes, no image of it",
                                 "Make a binary of it: 'objcopy -O binary', or what the build has "
                                 "for that."},
        [WRY_CONTENT_TEXT] = {"is text, no firmware", "Look into it: it may say what went wrong."},
        [WRY_CONTENT_DOCUMENT] = {"is a picture or a document, no firmware",
                                  "Write the image that belongs to it."},
    };

    g_autofree char *hint = g_strdup_printf("Nothing was changed. %s", words[p->content].hint);
    app_fail(app, (enum exit_code)p->outcome, hint, "%s %s", p->subject, words[p->content].what);
}

/* Facts as texts, for whichever sentence needs them. */
struct texts {
    char *expected, *found; /* sizes of flash */
    char *theirs, *ours;    /* addresses */
    unsigned start, last, region_start, region_last;
    const char *kind;    /* of the region */
    const char *instead; /* what to do about a program in the wrong region */
};

static bool explain_parts(struct app *app, const struct wry_problem *p, const struct texts *t)
{
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_LAYOUT_CHIP:
        app_fail(app, code, "Use the layout that was made for this chip.",
                 "%s is a layout for a %s", p->subject, words_chip(p->chip));
        return true;
    case WRY_PROBLEM_LAYOUT_FLASH:
        app_fail(app, code, "Use the layout that was made for this flash size.",
                 "%s is a layout for %s of flash, not %s", p->subject, t->found, t->expected);
        return true;
    case WRY_PROBLEM_NO_REGION: {
        g_autofree char *names = g_strjoinv(", ", p->names);
        g_autofree char *next = g_strdup_printf("Regions here: %s.", names[0] ? names : "none");
        app_fail(app, code, next, "there is no region '%s'", p->subject);
        return true;
    }
    case WRY_PROBLEM_BAD_PART:
        app_fail(app, code, "Write it as OFFSET+LENGTH, such as 0x10000+16K.", "'%s' is no range",
                 p->subject);
        return true;
    case WRY_PROBLEM_PART_BEYOND:
        app_fail(app, code, unchanged, "the range %s ends beyond the end of the flash (%s)",
                 p->subject, t->expected);
        return true;
    case WRY_PROBLEM_PARTS_SHARE:
        app_fail(app, code, "Nothing was changed. Name each part once.",
                 "two of the ranges overlap from 0x%06X to 0x%06X", t->start, t->last);
        return true;
    case WRY_PROBLEM_PART_UNFIT:
        app_fail(app, code, unchanged, "the range at 0x%06X does not fit the flash", t->start);
        return true;
    default:
        return false;
    }
}

static bool explain_image(struct app *app, const struct wry_problem *p, const struct texts *t)
{
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_NO_IMAGES:
        app_fail(app, code, "Give REGION=FILE or OFFSET=FILE, such as 0x4000=start.bin.",
                 "no images given");
        return true;
    case WRY_PROBLEM_BAD_OFFSET:
        app_fail(app, code,
                 "Write offsets in hexadecimal with 0x in front, such as 0x4000, or as 16K.",
                 "'%s' in '%s=%s' is no offset", p->subject, p->subject, p->other);
        return true;
    case WRY_PROBLEM_NO_PLACE:
        app_fail(app, code, "Write it as OFFSET=FILE or REGION=FILE, such as 0x4000=start.bin.",
                 "%s is raw binary without a boot header: it does not say where it goes",
                 p->subject);
        return true;
    case WRY_PROBLEM_TWO_PLACES:
        app_fail(app, code, "Give the file alone, or REGION=FILE.",
                 "%s carries its own addresses; an offset for it is ambiguous", p->subject);
        return true;
    case WRY_PROBLEM_HEADER_DAMAGED:
        app_fail(app, code, build_again, "%s: the boot header is damaged", p->subject);
        return true;
    case WRY_PROBLEM_CUT_SHORT:
        app_fail(app, code, build_again,
                 "%s: cut short: the boot header promises %" G_GUINT64_FORMAT
                 " bytes, the file has %" G_GUINT64_FORMAT,
                 p->subject, p->expected, p->found);
        return true;
    case WRY_PROBLEM_NO_FIRMWARE:
        explain_content(app, p);
        return true;
    case WRY_PROBLEM_NO_PROGRAM:
        app_fail(app, code,
                 "Nothing was changed. Write the image with its header; --any-content writes this "
                 "all the same, and the board will not start from it.",
                 "%s has no boot header: a %s would not start it from region '%s'", p->subject,
                 words_chip(p->chip), p->region.name);
        return true;
    case WRY_PROBLEM_BODY_DAMAGED:
        app_fail(app, code, build_again,
                 "%s: damaged: the SHA-256 at its end does not fit its content", p->subject);
        return true;
    case WRY_PROBLEM_FOR_OTHER_CHIP:
        app_fail(app, code, other_image, "%s was built for a %s, this board has a %s", p->subject,
                 words_chip(p->chip), words_chip(p->found_chip));
        return true;
    case WRY_PROBLEM_FOR_LARGER_FLASH:
        app_fail(app, code, other_image, "%s was built for %s of flash, this board has %s",
                 p->subject, t->expected, t->found);
        return true;
    case WRY_PROBLEM_FILE_CHANGED:
        app_fail(app, code,
                 "The flash may hold a part of each. Run the same command again, when the file is "
                 "complete.",
                 "%s changed while it was being written", p->subject);
        return true;
    default:
        return false;
    }
}

static bool explain_place(struct app *app, const struct wry_problem *p, const struct texts *t)
{
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_OUTSIDE_REGION:
        app_fail(app, code, t->instead,
                 "%s (0x%06X to 0x%06X) does not fit region '%s' (0x%06X to "
                 "0x%06X)",
                 p->subject, t->start, t->last, p->region.name, t->region_start, t->region_last);
        return true;
    case WRY_PROBLEM_PROGRAM_NOWHERE:
        app_fail(app, code, look_at_plan, "%s is a program, but no region begins at 0x%06X",
                 p->subject, t->start);
        return true;
    case WRY_PROBLEM_PROGRAM_AT_KIND:
        app_fail(app, code, look_at_plan,
                 "%s is a program, but 0x%06X lies in region '%s', which is for %s", p->subject,
                 t->start, p->region.name, t->kind);
        return true;
    case WRY_PROBLEM_PROGRAM_IN_KIND:
        app_fail(app, code, t->instead, "%s is %s, but region '%s' is for %s", p->subject,
                 words_program((uint8_t)p->found), p->region.name, t->kind);
        return true;
    case WRY_PROBLEM_PROGRAM_NOT_FIRST:
        app_fail(app, code, look_at_plan,
                 "%s is a program, but 0x%06X is not the start of region '%s' (0x%06X)", p->subject,
                 t->start, p->region.name, t->region_start);
        return true;
    case WRY_PROBLEM_PROGRAM_BEYOND:
        app_fail(app, code, look_at_plan,
                 "%s ends at 0x%06X, beyond region '%s', which ends at 0x%06X", p->subject, t->last,
                 p->region.name, t->region_last);
        return true;
    case WRY_PROBLEM_IMAGE_BEYOND:
        app_fail(
            app, code, "Nothing was changed. Check the offset, and that the image fits this board.",
            "%s at 0x%06X ends at 0x%06" G_GINT64_MODIFIER "X, beyond the end of the flash (%s)",
            p->subject, t->start, p->expected, t->found);
        return true;
    case WRY_PROBLEM_IMAGES_SHARE:
        app_fail(app, code, "Nothing was changed. Check the places of the two files.",
                 "%s and %s overlap from 0x%06X to 0x%06X", p->subject, p->other, t->start,
                 t->last);
        return true;
    default:
        return false;
    }
}

static bool explain_archive(struct app *app, const struct wry_problem *p, const struct texts *t)
{
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_ARCHIVE_CHIP:
        app_fail(app, code, unchanged, "%s comes from a %s, this board has a %s", p->subject,
                 words_chip(p->chip), words_chip(p->found_chip));
        return true;
    case WRY_PROBLEM_ARCHIVE_FLASH:
        app_fail(app, code, unchanged, "%s comes from a board with %s of flash, this one has %s",
                 p->subject, t->expected, t->found);
        return true;
    case WRY_PROBLEM_ARCHIVE_BOARD:
        app_fail(app, code,
                 "Nothing was changed. A backup holds the calibration and identity of its "
                 "board.\nIf that is what you want, say --from-another-board.",
                 "%s comes from board %s, this is board %s", p->subject, t->theirs, t->ours);
        return true;
    case WRY_PROBLEM_OLDER_BOARD:
        app_fail(app, code, "Use a backup of this very board.",
                 "%s comes from board %s, this is %s", p->subject, t->theirs, t->ours);
        return true;
    case WRY_PROBLEM_ARCHIVE_RANGE:
        app_fail(app, code, unchanged, "%s: a range at 0x%06X does not fit", p->subject, t->start);
        return true;
    case WRY_PROBLEM_ARCHIVE_PART:
        app_fail(app, code, "Nothing was changed. 'wrytograph inspect' shows what is in it.",
                 "%s does not hold all of %s", p->subject, p->other);
        return true;
    case WRY_PROBLEM_ARCHIVE_MOVED:
        app_fail(app, code,
                 "Nothing was changed. Its region table has changed since: restore the table, too, "
                 "or all of the archive.",
                 "region '%s' stands at 0x%06X in %s, and at 0x%06X on this board", p->other,
                 t->start, p->subject, t->region_start);
        return true;
    case WRY_PROBLEM_UNKNOWN_ORIGIN:
        app_fail(app, code,
                 "Nothing was changed. If it may go onto this board, say --from-another-board.",
                 "%s is a plain binary: it does not say which board it comes from", p->subject);
        return true;
    case WRY_PROBLEM_PLAIN_LENGTH:
        app_fail(app, code,
                 "Nothing was changed. To put a part back, use 'wrytograph write OFFSET=FILE'.",
                 "%s has %" G_GUINT64_FORMAT " bytes, the flash of this board %s", p->subject,
                 p->found, t->expected);
        return true;
    case WRY_PROBLEM_PLAIN_PARTS:
        app_fail(app, code, "Back the parts up one by one, or without --plain.",
                 "a plain binary holds one part only");
        return true;
    case WRY_PROBLEM_NO_ROOM:
        app_fail(app, code, "Make room and run the same command again.",
                 "no room for the backup: the disk is full or a limit is reached");
        return true;
    case WRY_PROBLEM_ARRIVED_WRONG:
        app_fail(app, code, "Run the same command again.",
                 "what arrived from 0x%06X on is not what the board's SHA-256 says", t->start);
        return true;
    case WRY_PROBLEM_FLASH_REPEATS:
        app_fail(app, code, "Do not write to it as the larger one: content would overwrite itself.",
                 "the flash claims %s, but its content repeats every %s", t->expected, t->found);
        return true;
    case WRY_PROBLEM_IMAGES_DIFFER:
        app_fail(app, code, "'wrytograph write' with the same arguments mends it.",
                 "the flash differs from %s, first at offset 0x%06X",
                 p->found == 1 ? "the image" : "all the images", t->start);
        return true;
    case WRY_PROBLEM_ARCHIVE_DIFFERS:
        app_fail(app, code, "'wrytograph restore' with the same archive mends it.",
                 "the flash differs from what is in the archive, first at offset 0x%06X", t->start);
        return true;
    default:
        return false;
    }
}

bool explain_files(struct app *app, const struct wry_problem *p)
{
    g_autofree char *expected = units_flash_size((uint32_t)p->expected);
    g_autofree char *found = units_flash_size((uint32_t)p->found);
    g_autofree char *theirs = units_address(p->address);
    g_autofree char *ours = units_address(p->found_address);
    struct texts t = {.expected = expected,
                      .found = found,
                      .theirs = theirs,
                      .ours = ours,
                      .start = p->start,
                      .last = (unsigned)p->last,
                      .region_start = p->region.offset,
                      .region_last = p->region.offset + p->region.length - 1,
                      .kind = wry_region_kind_name(p->region.kind)};
    g_autofree char *instead =
        p->other ? g_strdup_printf("Nothing was changed. It is for region '%s': say %s=%s.",
                                   p->other, p->other, p->subject)
                 : g_strdup("Nothing was changed. Check which file goes where.");
    t.instead = instead;

    return explain_parts(app, p, &t) || explain_image(app, p, &t) || explain_place(app, p, &t) ||
           explain_archive(app, p, &t);
}
