/* Problems of places, region tables and boot headers as sentences. */
#include <string.h>

#include "base/units.h"
#include "explain.h"
#include "words.h"

static const char any_place[] =
    "Nothing was changed. 'wrytograph plan' draws the layout. If that is what you want, say "
    "--any-place.";

/* Which file is for which place. */
static bool explain_kind(struct app *app, const struct wry_problem *p)
{
    enum exit_code code = (enum exit_code)p->outcome;
    const char *what = words_program((uint8_t)p->found);
    const char *other = p->found == WRY_PROGRAM_START ? "an application" : "a start program";

    switch (p->kind) {
    case WRY_PROBLEM_RECORDS_AS_BIN:
        app_fail(app, code,
                 "Nothing was changed. If it is meant so, give it a name that ends in .hex or "
                 ".srec, or say --as hex or --as srec.",
                 "%s is named a binary, and holds %s text", p->subject, p->other);
        return true;
    case WRY_PROBLEM_OTHER_KIND: {
        g_autofree char *next =
            p->other ? g_strdup_printf("Nothing was changed. Its header says that it is %s, and "
                                       "that is region '%s': say %s=%s.",
                                       what, p->other, p->other, p->subject)
                     : g_strdup_printf("Nothing was changed. Its header says that it is %s, and no "
                                       "region here fits it.",
                                       what);
        app_fail(app, code, next, "%s is %s, region '%s' is for %s", p->subject, what,
                 p->region.name, other);
        return true;
    }
    case WRY_PROBLEM_SWAPPED:
        app_fail(app, code, "Nothing was changed. Put each in the other's place.",
                 "the two files are swapped: %s is %s, %s is %s", p->subject, what, p->other,
                 other);
        return true;
    case WRY_PROBLEM_REGION_TWICE:
        app_fail(app, code, "Nothing was changed. Say one of them, or another region.",
                 "%s and %s are both for region '%s'", p->subject, p->other, p->region.name);
        return true;
    case WRY_PROBLEM_NO_PLACE_FITS:
        app_fail(app, code, "Nothing was changed. Check that it is for this board.",
                 "%s is %s, and no region here fits it", p->subject, what);
        return true;
    case WRY_PROBLEM_MANY_PLACES: {
        g_autofree char *names = g_strjoinv(", ", p->names);
        g_autofree char *next = g_strdup_printf("Say which: %s=%s.", p->names[0], p->subject);
        app_fail(app, code, next, "%s would fit several regions: %s", p->subject, names);
        return true;
    }
    case WRY_PROBLEM_FOLDER_KIND:
        app_fail(app, code, "Nothing was changed. Folders go into regions for files, as archives.",
                 "%s is a folder, and %s%s%s", p->subject,
                 p->region.name[0] ? "region '" : "its place is no region for files",
                 p->region.name, p->region.name[0] ? "' is not for files" : "");
        return true;
    default:
        return false;
    }
}

static bool explain_doubt(struct app *app, const struct wry_problem *p)
{
    g_autofree char *all = p->names ? g_strjoinv(", ", p->names) : g_strdup("");
    bool several = p->names && p->names[0] && p->names[1];
    g_autofree char *names = several ? g_strconcat("; it touches: ", all, NULL) : g_strdup("");
    enum exit_code code = (enum exit_code)p->outcome;
    unsigned start = p->start, last = (unsigned)p->last;
    unsigned region_last = p->region.offset + p->region.length - 1;

    switch (p->kind) {
    case WRY_PROBLEM_ACROSS:
        app_fail(app, code, any_place,
                 "%s (0x%06X to 0x%06X) goes across an end of region '%s' (0x%06X to 0x%06X)%s",
                 p->subject, start, last, p->region.name, (unsigned)p->region.offset, region_last,
                 names);
        return true;
    case WRY_PROBLEM_OVER_SETTINGS:
        app_fail(app, code, any_place,
                 "%s (0x%06X to 0x%06X) would overwrite region '%s', which holds settings of this "
                 "board%s",
                 p->subject, start, last, p->region.name, names);
        return true;
    case WRY_PROBLEM_OVER_TABLE:
        app_fail(app, code, any_place,
                 "%s (0x%06X to 0x%06X) would overwrite the region table at 0x%06X%s", p->subject,
                 start, last, (unsigned)p->region.offset, names);
        return true;
    default:
        return false;
    }
}

static bool explain_table(struct app *app, const struct wry_problem *p)
{
    g_autofree char *expected = units_flash_size((uint32_t)p->expected);
    g_autofree char *found = units_flash_size((uint32_t)p->found);
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_NO_TABLE:
        app_fail(app, code,
                 "Nothing was changed. Write the region table there; --any-content writes this all "
                 "the same, and the board will not start.",
                 "%s is no region table, and a %s looks for one there", p->subject,
                 words_chip(p->chip));
        return true;
    case WRY_PROBLEM_TABLE_ELSEWHERE:
        app_fail(app, code, "Nothing was changed. Say table=FILE, or the file alone.",
                 "%s is a region table, and region '%s' is for a program", p->subject,
                 p->region.name);
        return true;
    case WRY_PROBLEM_TABLE_FLASH:
        app_fail(app, code, "Nothing was changed. Use the table that was made for this flash size.",
                 "%s is a region table for %s of flash, this board has %s", p->subject, expected,
                 found);
        return true;
    case WRY_PROBLEM_TABLE_UNFIT:
        app_fail(app, code, "Nothing was changed. Use a table that was made for this flash size.",
                 "%s: region '%s' (0x%06X, %u KiB) does not fit this flash (%s), or another region",
                 p->subject, p->region.name, (unsigned)p->region.offset,
                 (unsigned)(p->region.length / 1024), found);
        return true;
    case WRY_PROBLEM_APP_LEFT: {
        g_autofree char *next = g_strdup_printf(
            "Nothing was changed. Write the application in the same command: %s=FILE. If it comes "
            "later, say --any-place.",
            p->region.name);
        app_fail(app, code, next,
                 "%s moves region '%s' from 0x%06X to 0x%06X, where there is no program: the board "
                 "would not start",
                 p->subject, p->region.name, (unsigned)p->start, (unsigned)p->region.offset);
        return true;
    }
    case WRY_PROBLEM_READ_MODE:
        app_fail(app, code,
                 "Nothing was changed. --read-mode and --read-clock set it to what the chip can.",
                 "%s is to be read over %u data lines at %u MHz; a %s can %u at %u MHz", p->subject,
                 (unsigned)p->expected, (unsigned)p->found, words_chip(p->chip),
                 p->chip->read_lines_most, p->chip->read_clock_most);
        return true;
    case WRY_PROBLEM_ONLY_UPGRADE:
        app_fail(app, code, "Nothing was changed. Write the full image first.",
                 "%s is meant only as an upgrade, and there is no program on this board yet",
                 p->subject);
        return true;
    default:
        return false;
    }
}

bool explain_places(struct app *app, const struct wry_problem *p)
{
    return explain_kind(app, p) || explain_doubt(app, p) || explain_table(app, p);
}
