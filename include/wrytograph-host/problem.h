/*
 * What went wrong in a job, as facts: the kind, the subject, the place. words.h turns them into
 * sentences.
 *
 *     if (wry_station_write(station, &options, &result) != WRY_OUTCOME_DONE)
 *         fprintf(stderr, "%s: %s\n", wry_outcome_text(wry_station_problem(station)->outcome),
 *                 wry_station_problem(station)->subject);
 */
#ifndef WRYTOGRAPH_HOST_PROBLEM_H
#define WRYTOGRAPH_HOST_PROBLEM_H

#include <glib.h>
#include <stdint.h>

#include "wrytograph-host/content.h"
#include "wrytograph-host/finding.h"
#include "wrytograph/chip.h"
#include "wrytograph/flash.h"
#include "wrytograph/region.h"
#include "wrytograph/status.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How a job ended, classified by what to do about it. These are the command's exit codes. */
enum wry_outcome {
    WRY_OUTCOME_DONE = 0, /* done and checked */
    WRY_OUTCOME_INTERNAL = 1,
    WRY_OUTCOME_USAGE = 2,
    WRY_OUTCOME_BAD_INPUT = 3, /* an input file is damaged or invalid */
    WRY_OUTCOME_NO_ANSWER = 4,
    WRY_OUTCOME_WRONG = 5,   /* the wrong board or image; nothing was changed */
    WRY_OUTCOME_DIFFERS = 6, /* content, or the board's output, is not as expected */
    WRY_OUTCOME_LINK_LOST = 7,
    WRY_OUTCOME_FLASH = 8, /* the flash failed or is protected */
    WRY_OUTCOME_STOPPED = 9,
};

/* A short English phrase such as "no answer". Never NULL; accepts any value. */
const char *wry_outcome_text(enum wry_outcome outcome);

/* The comments name the members of struct wry_problem that are set. */
enum wry_problem_kind {
    WRY_PROBLEM_NONE = 0,
    WRY_PROBLEM_SYSTEM,  /* a file, device or server: cause */
    WRY_PROBLEM_SESSION, /* the board or the link: status, fault, evidence, speed, jedec; subject =
                            link */
    WRY_PROBLEM_STOPPED, /* stopped by the caller, with nothing left half done */

    /* The link. */
    WRY_PROBLEM_NO_LINK,          /* none given, and there is no USB adapter */
    WRY_PROBLEM_MANY_ADAPTERS,    /* none given: names = path and description of each */
    WRY_PROBLEM_BAD_LINK,         /* subject is not a link */
    WRY_PROBLEM_BAD_HOST,         /* subject is not HOST:PORT */
    WRY_PROBLEM_BAD_LINK_SETTING, /* subject = the part from the '?' on */
    WRY_PROBLEM_FIXED_SPEED,      /* subject = the link, found = its speed, expected = another */
    WRY_PROBLEM_NOT_THAT_CHIP,    /* chip was expected, found_chip (or chip_code) found */
    WRY_PROBLEM_NOT_THAT_FLASH,   /* bytes: expected, found */
    WRY_PROBLEM_NO_JOURNAL,       /* it cannot be used: cause */
    WRY_PROBLEM_JOURNAL_STOPPED,  /* the caller stopped while waiting for it */
    WRY_PROBLEM_JOURNAL_FAILED, /* during the work, before the next erase: subject = path, other */
    WRY_PROBLEM_ERASE_STOPPED,  /* the caller stopped while waiting for the journal */

    /* Layouts and parts. */
    WRY_PROBLEM_LAYOUT_CHIP,  /* subject = file, chip = the chip it is for */
    WRY_PROBLEM_LAYOUT_FLASH, /* subject = file; bytes of flash: found = in the file, expected = of
                                 the board */
    WRY_PROBLEM_NO_REGION,    /* subject = name; names = the existing regions */
    WRY_PROBLEM_BAD_PART,     /* subject is not OFFSET+LENGTH */
    WRY_PROBLEM_PART_BEYOND,  /* subject; expected = bytes of flash */
    WRY_PROBLEM_PARTS_SHARE,  /* two parts overlap from start to last */
    WRY_PROBLEM_PART_UNFIT,   /* the part at start does not fit */

    /* Images and places. */
    WRY_PROBLEM_NO_IMAGES,
    WRY_PROBLEM_BAD_OFFSET,     /* subject = place, other = file */
    WRY_PROBLEM_NO_PLACE,       /* subject = a raw file without a place */
    WRY_PROBLEM_TWO_PLACES,     /* subject = a file with addresses from start on, given another
                                   offset */
    WRY_PROBLEM_HEADER_DAMAGED, /* subject = file, here and in the following kinds */
    WRY_PROBLEM_CUT_SHORT,      /* bytes: expected by its header, found */
    WRY_PROBLEM_BODY_DAMAGED,
    WRY_PROBLEM_FOR_OTHER_CHIP,    /* chip = it was built for, found_chip = at hand */
    WRY_PROBLEM_FOR_LARGER_FLASH,  /* bytes of flash: expected by its header, found on the board */
    WRY_PROBLEM_OUTSIDE_REGION,    /* it would take start to last, beyond region */
    WRY_PROBLEM_PROGRAM_NOWHERE,   /* no region begins at start */
    WRY_PROBLEM_PROGRAM_AT_KIND,   /* start is in region, which is not for programs */
    WRY_PROBLEM_PROGRAM_IN_KIND,   /* region was named, but is not for programs */
    WRY_PROBLEM_PROGRAM_NOT_FIRST, /* start is not the beginning of region */
    WRY_PROBLEM_PROGRAM_BEYOND,    /* it ends at last, after the end of region */
    WRY_PROBLEM_IMAGE_BEYOND, /* it begins at start and ends at expected; the flash has found bytes
                               */
    WRY_PROBLEM_IMAGES_SHARE, /* subject and other overlap from start to last */
    WRY_PROBLEM_FILE_CHANGED, /* the file changed while it was being written */
    WRY_PROBLEM_NO_FIRMWARE,  /* content = what the file is instead */
    WRY_PROBLEM_NO_PROGRAM,   /* for region, from which chip starts; it has no boot header */
    WRY_PROBLEM_RECORDS_AS_BIN, /* content: records (other = format), name: raw binary */
    WRY_PROBLEM_READ_MODE,      /* its header requires expected data lines at found MHz, which chip
                                   cannot do */
    WRY_PROBLEM_ONLY_UPGRADE,   /* it is an upgrade, and region has no program yet */
    WRY_PROBLEM_OTHER_KIND, /* by its header (found = kind) it is not for region; other = the region
                               it is for, or NULL */
    WRY_PROBLEM_SWAPPED, /* subject and other would be right in each other's place; found = kind of
                            subject */
    WRY_PROBLEM_REGION_TWICE,  /* subject and other are both for region */
    WRY_PROBLEM_NO_PLACE_FITS, /* no region fits its header */
    WRY_PROBLEM_MANY_PLACES,   /* names = the regions that fit */
    WRY_PROBLEM_ACROSS, /* it would take start to last, across an end of a region; names = all
                           regions touched */
    WRY_PROBLEM_OVER_SETTINGS,    /* it would take start to last, in region */
    WRY_PROBLEM_OVER_TABLE,       /* likewise */
    WRY_PROBLEM_FOREIGN_SETTINGS, /* region's settings belong to the board with address */
    WRY_PROBLEM_FOLDER_KIND,      /* a folder, for region, which is not for files */

    /* A region table in the job. */
    WRY_PROBLEM_NO_TABLE, /* subject is not a region table, but would replace the table of chip */
    WRY_PROBLEM_TABLE_ELSEWHERE, /* subject is a region table, but was placed in region */
    WRY_PROBLEM_TABLE_FLASH,     /* bytes: expected by the table, found at hand */
    WRY_PROBLEM_TABLE_UNFIT, /* region of the table does not fit found bytes of flash, or overlaps
                                another */
    WRY_PROBLEM_APP_LEFT, /* application region moves away from start, and neither the flash nor the
                             job has a program for its new place */

    /* Settings. */
    WRY_PROBLEM_SETTINGS_ROOM, /* subject has found bytes, region has room for expected */
    WRY_PROBLEM_NO_SETTINGS,   /* region has no settings block; found > 0: it has a damaged one */
    WRY_PROBLEM_NO_BLOCKS,     /* no region has a settings block */
    WRY_PROBLEM_MANY_BLOCKS,   /* names = the regions with a settings block */
    WRY_PROBLEM_BAD_SETTING,   /* cause */
    WRY_PROBLEM_NOT_SETTINGS,  /* subject, for region, is neither a settings file nor a settings
                                  block */
    WRY_PROBLEM_SETTINGS_LOST, /* names = KEY: VALUE of settings in region that would be lost and
                                  that no known backup of the board with address has; secret values
                                  are masked */
    WRY_PROBLEM_CONTENT_LOST,  /* likewise for other content of region */

    /* The shelf. */
    WRY_PROBLEM_SHELF_NONE,  /* subject is not on the shelf; names = what is */
    WRY_PROBLEM_SHELF_MANY,  /* names = the images that fit */
    WRY_PROBLEM_SHELF_UNFIT, /* names = the images with this name, none of which fits */

    /* Backups. */
    WRY_PROBLEM_NO_BACKUP, /* there is none of the board's whole flash; other = one of parts, or
                              NULL */
    WRY_PROBLEM_BACKUPS_UNREAD, /* the search for backups failed: cause */

    /* Archives. */
    WRY_PROBLEM_ARCHIVE_CHIP,   /* subject = file, chip = its chip, found_chip = the board's */
    WRY_PROBLEM_ARCHIVE_FLASH,  /* bytes of flash: expected by the archive, found on the board */
    WRY_PROBLEM_ARCHIVE_BOARD,  /* address = its board, found_address = this board */
    WRY_PROBLEM_OLDER_BOARD,    /* likewise for the older archive */
    WRY_PROBLEM_ARCHIVE_RANGE,  /* the range at start does not fit */
    WRY_PROBLEM_ARCHIVE_PART,   /* the part other is not in it */
    WRY_PROBLEM_ARCHIVE_MOVED,  /* region is at start in it, and elsewhere on the board */
    WRY_PROBLEM_UNKNOWN_ORIGIN, /* a plain binary does not name its board */
    WRY_PROBLEM_PLAIN_LENGTH,   /* it has found bytes, the flash expected */
    WRY_PROBLEM_PLAIN_PARTS,    /* a plain binary cannot hold several parts */
    WRY_PROBLEM_NO_ROOM,        /* no room for the backup */
    WRY_PROBLEM_ARRIVED_WRONG,  /* content received from start on does not match the board's SHA-256
                                 */

    /* Cards. */
    WRY_PROBLEM_CARD_FLASH, /* subject = card; found = bytes of flash; names = the sizes it is for
                             */
    WRY_PROBLEM_CARD_REVISION,  /* subject = card; expected = lowest chip revision, found */
    WRY_PROBLEM_CARD_HOLDS,     /* region does not contain the program subject; other = the one it
                                   contains, or NULL */
    WRY_PROBLEM_CARD_UNCOUNTED, /* the number of earlier runs is not known: cause */
    WRY_PROBLEM_CARD_ROW,       /* cause */
    WRY_PROBLEM_CARD_ADDRESS, /* another board with this address is being worked on, and each row is
                                 for one board: subject = card, address */
    WRY_PROBLEM_CARD_ERASES,  /* the card erases region, whose content subject needs */

    /* What was found out. */
    WRY_PROBLEM_FLASH_REPEATS,   /* bytes of flash: expected (claimed), found */
    WRY_PROBLEM_IMAGES_DIFFER,   /* from start on; found = number of images compared */
    WRY_PROBLEM_ARCHIVE_DIFFERS, /* from start on */
    WRY_PROBLEM_LINK_GONE,       /* the link was lost while listening: subject = link */
    WRY_PROBLEM_NOT_SEEN, /* subject = the text, other = the line sent before it, or NULL; found =
                             bytes heard instead; names[0] = advice, or NULL */
    WRY_PROBLEM_NOTHING_TO_RUN,  /* reported by the boot ROM */
    WRY_PROBLEM_IN_LOADING_MODE, /* its loader answers, and there is no other output */
    WRY_PROBLEM_STRAP_HELD,      /* reported by the boot ROM, although the firmware was to run */

    /* Cards, continued. */
    WRY_PROBLEM_CARD_ROW_UNKNOWN, /* the ledger's server cannot be asked for a row: cause */
    WRY_PROBLEM_CARD_NOT_FAILED,  /* only failed boards are wanted, and this is a new one: subject =
                                     lot */

    /* Files that cross the console: subject = file; found = bytes confirmed, expected = of how
     * many, or 0. */
    WRY_PROBLEM_TRANSFER_NOT_BEGUN, /* the other side did not begin in time */
    WRY_PROBLEM_TRANSFER_SILENT,    /* it fell silent */
    WRY_PROBLEM_TRANSFER_REPEATED,  /* it asked for the same block until it was given up */
    WRY_PROBLEM_TRANSFER_CANCELLED, /* it cancelled */
    WRY_PROBLEM_TRANSFER_DISORDER,  /* it left out a block */
    WRY_PROBLEM_TRANSFER_SHORT,     /* it sent found bytes, not the expected ones */
};

/* Members that do not apply to a kind are 0 or NULL. Strings belong to the problem. */
struct wry_problem {
    enum wry_problem_kind kind;
    enum wry_outcome outcome;
    char *subject, *other;
    char **names;  /* ends with NULL */
    GError *cause; /* its message gives the place: file, line */
    enum wry_status status;
    struct wry_fault fault;
    struct wry_evidence evidence; /* what was heard on the link */
    uint32_t speed;               /* baud in use */
    uint8_t jedec[WRY_JEDEC_SIZE];
    uint32_t start; /* flash offsets */
    uint64_t last;
    uint64_t expected, found;
    struct wry_region region;
    enum wry_content content;
    const struct wry_chip *chip, *found_chip; /* NULL: unknown */
    uint16_t chip_code;
    uint8_t address[WRY_EUI48_SIZE], found_address[WRY_EUI48_SIZE];
};

#ifdef __cplusplus
}
#endif

#endif
