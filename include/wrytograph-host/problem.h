/*
 * What went wrong in a job, as facts: which kind, what it is about, where.
 *
 * There are no sentences here: the command makes them of the facts, and so may anybody else.
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

/* How a job ended, by what is to be done about it. The command's exit codes are these numbers. */
enum wry_outcome {
    WRY_OUTCOME_DONE = 0, /* done and checked */
    WRY_OUTCOME_INTERNAL = 1,
    WRY_OUTCOME_USAGE = 2,
    WRY_OUTCOME_BAD_INPUT = 3, /* a file is not what it should be */
    WRY_OUTCOME_NO_ANSWER = 4,
    WRY_OUTCOME_WRONG = 5,   /* the wrong board or image; nothing was changed */
    WRY_OUTCOME_DIFFERS = 6, /* content, or what the board said */
    WRY_OUTCOME_LINK_LOST = 7,
    WRY_OUTCOME_FLASH = 8, /* failed or protected */
    WRY_OUTCOME_STOPPED = 9,
};

/* A few English words: "no answer". Never NULL; any value may be asked for. */
const char *wry_outcome_text(enum wry_outcome outcome);

/* Behind each: the fields of struct wry_problem that hold its facts. */
enum wry_problem_kind {
    WRY_PROBLEM_NONE = 0,
    WRY_PROBLEM_SYSTEM,  /* a file, device or server: cause */
    WRY_PROBLEM_SESSION, /* the board, or the way to it: status, fault, evidence, speed, jedec;
                            subject = link */
    WRY_PROBLEM_STOPPED, /* at the caller's wish, at a point where nothing is half done */

    /* The link. */
    WRY_PROBLEM_NO_LINK,          /* none given, and no USB adapter is there */
    WRY_PROBLEM_MANY_ADAPTERS,    /* none given: names = path and description of each */
    WRY_PROBLEM_BAD_LINK,         /* subject is no link */
    WRY_PROBLEM_BAD_HOST,         /* subject is no HOST:PORT */
    WRY_PROBLEM_BAD_LINK_SETTING, /* subject, from the '?' on */
    WRY_PROBLEM_NOT_THAT_CHIP,    /* chip was expected, found_chip is there (or chip_code) */
    WRY_PROBLEM_NOT_THAT_FLASH,   /* bytes: expected, found */
    WRY_PROBLEM_NO_JOURNAL,       /* cannot be used: cause */
    WRY_PROBLEM_JOURNAL_STOPPED,  /* the caller stopped while it was waited for */
    WRY_PROBLEM_JOURNAL_FAILED,   /* in mid-work, before the next erase: subject = path, other */
    WRY_PROBLEM_ERASE_STOPPED,    /* the caller stopped while the journal was waited for */

    /* Layouts and parts. */
    WRY_PROBLEM_LAYOUT_CHIP,  /* subject = file, chip it is for */
    WRY_PROBLEM_LAYOUT_FLASH, /* subject = file; bytes: found = it is for, expected = at hand */
    WRY_PROBLEM_NO_REGION,    /* subject = name; names = those there are */
    WRY_PROBLEM_BAD_PART,     /* subject is no OFFSET+LENGTH */
    WRY_PROBLEM_PART_BEYOND,  /* subject; expected = bytes of flash */
    WRY_PROBLEM_PARTS_SHARE,  /* two parts share start to last */
    WRY_PROBLEM_PART_UNFIT,   /* at start */

    /* Images and places. */
    WRY_PROBLEM_NO_IMAGES,
    WRY_PROBLEM_BAD_OFFSET,     /* subject = place, other = file */
    WRY_PROBLEM_NO_PLACE,       /* subject = a raw file that says not where it goes */
    WRY_PROBLEM_TWO_PLACES,     /* subject = a file with addresses, given an offset */
    WRY_PROBLEM_HEADER_DAMAGED, /* subject = file; likewise in all that follow */
    WRY_PROBLEM_CUT_SHORT,      /* bytes: expected by its header, found */
    WRY_PROBLEM_BODY_DAMAGED,
    WRY_PROBLEM_FOR_OTHER_CHIP,    /* chip = it was built for, found_chip = at hand */
    WRY_PROBLEM_FOR_LARGER_FLASH,  /* bytes: expected by its header, found at hand */
    WRY_PROBLEM_OUTSIDE_REGION,    /* it takes start to last; region */
    WRY_PROBLEM_PROGRAM_NOWHERE,   /* no region begins at start */
    WRY_PROBLEM_PROGRAM_AT_KIND,   /* start lies in region, which is for something else */
    WRY_PROBLEM_PROGRAM_IN_KIND,   /* region was named, and is for something else */
    WRY_PROBLEM_PROGRAM_NOT_FIRST, /* start is not where region begins */
    WRY_PROBLEM_PROGRAM_BEYOND,    /* it ends at last, beyond region */
    WRY_PROBLEM_IMAGE_BEYOND,      /* at start, ends at expected, of found bytes of flash */
    WRY_PROBLEM_IMAGES_SHARE,      /* subject and other share start to last */
    WRY_PROBLEM_FILE_CHANGED,      /* while it was written */
    WRY_PROBLEM_NO_FIRMWARE,       /* content says what it is instead */
    WRY_PROBLEM_NO_PROGRAM,        /* for region, which chip starts; it has no boot header */
    WRY_PROBLEM_RECORDS_AS_BIN,    /* records by content (other = which), raw by name */
    WRY_PROBLEM_READ_MODE,         /* its header wants expected data lines, found MHz of chip */
    WRY_PROBLEM_ONLY_UPGRADE,      /* and there is no program in region yet */
    WRY_PROBLEM_OTHER_KIND,        /* by its header (found = kind) it is not for region; other =
                                      the name of the one that it is for, or NULL */
    WRY_PROBLEM_SWAPPED,           /* subject and other: each is for the other's place; found = kind
                                      of subject */
    WRY_PROBLEM_REGION_TWICE,      /* subject and other are both for region */
    WRY_PROBLEM_NO_PLACE_FITS,     /* no region is for what its header says */
    WRY_PROBLEM_MANY_PLACES,       /* names = the regions that fit it */
    WRY_PROBLEM_ACROSS,            /* it takes start to last, across an end of region; names = all
                                      that it touches */
    WRY_PROBLEM_OVER_SETTINGS,     /* it takes start to last, of region */
    WRY_PROBLEM_OVER_TABLE,        /* likewise */
    WRY_PROBLEM_FOREIGN_SETTINGS,  /* for region; they are known to be those of board address */
    WRY_PROBLEM_FOLDER_KIND,       /* a folder, for region, which is for something else */

    /* A region table in the job. */
    WRY_PROBLEM_NO_TABLE,        /* subject is none, and would stand where the table of chip does */
    WRY_PROBLEM_TABLE_ELSEWHERE, /* subject is a region table, for region */
    WRY_PROBLEM_TABLE_FLASH,     /* bytes: expected by the table, found at hand */
    WRY_PROBLEM_TABLE_UNFIT,     /* region of it does not fit found bytes of flash, or others */
    WRY_PROBLEM_APP_LEFT,        /* region, an application's, moves to its place from start; there
                                    is no program there, and none comes with the job */

    /* Settings. */
    WRY_PROBLEM_SETTINGS_ROOM, /* of subject: expected bytes of room in region, found */
    WRY_PROBLEM_NO_SETTINGS,   /* region holds no settings block; found > 0: a damaged one */
    WRY_PROBLEM_NO_BLOCKS,     /* no region holds one */
    WRY_PROBLEM_MANY_BLOCKS,   /* names = the regions that hold one */
    WRY_PROBLEM_BAD_SETTING,   /* cause */
    WRY_PROBLEM_NOT_SETTINGS,  /* subject, for region, is neither a settings file nor a block */
    WRY_PROBLEM_SETTINGS_LOST, /* names = KEY: VALUE of those in region that would go and that no
                                  known backup of board address holds; secret values are masked */
    WRY_PROBLEM_CONTENT_LOST,  /* the same of content of region that is no settings block */

    /* The shelf. */
    WRY_PROBLEM_SHELF_NONE,  /* subject is not on it; names = what is */
    WRY_PROBLEM_SHELF_MANY,  /* names = several that fit */
    WRY_PROBLEM_SHELF_UNFIT, /* names = what there is of that name, none of which fits */

    /* Backups. */
    WRY_PROBLEM_NO_BACKUP,      /* of this board's whole flash; other = one of parts, or NULL */
    WRY_PROBLEM_BACKUPS_UNREAD, /* whether there is one is not known: cause */

    /* Archives. */
    WRY_PROBLEM_ARCHIVE_CHIP,   /* subject = file, chip = it comes from, found_chip = at hand */
    WRY_PROBLEM_ARCHIVE_FLASH,  /* bytes: expected by the archive, found at hand */
    WRY_PROBLEM_ARCHIVE_BOARD,  /* address = it comes from, found_address = at hand */
    WRY_PROBLEM_OLDER_BOARD,    /* the same of an older archive to go on from */
    WRY_PROBLEM_ARCHIVE_RANGE,  /* a range at start does not fit */
    WRY_PROBLEM_ARCHIVE_PART,   /* other, a part, is not in it */
    WRY_PROBLEM_ARCHIVE_MOVED,  /* region stands at start in it, elsewhere on the board */
    WRY_PROBLEM_UNKNOWN_ORIGIN, /* a plain binary does not say which board it comes from */
    WRY_PROBLEM_PLAIN_LENGTH,   /* of found bytes, for a flash of expected */
    WRY_PROBLEM_PLAIN_PARTS,    /* a plain binary cannot hold several parts */
    WRY_PROBLEM_NO_ROOM,        /* for a backup */
    WRY_PROBLEM_ARRIVED_WRONG,  /* what came from start on is not what the board's SHA-256 says */

    /* Cards. */
    WRY_PROBLEM_CARD_FLASH,     /* subject = card; found bytes; names = the sizes that it is for */
    WRY_PROBLEM_CARD_REVISION,  /* subject = card; the least that it is for is expected */
    WRY_PROBLEM_CARD_HOLDS,     /* region does not hold the program subject; other = what it does,
                                   or NULL */
    WRY_PROBLEM_CARD_UNCOUNTED, /* how often the board had it is not known: cause */
    WRY_PROBLEM_CARD_ROW,       /* cause */
    WRY_PROBLEM_CARD_ADDRESS,   /* another board of this address is being worked on, and a row is
                                   for one board: subject = card, address */
    WRY_PROBLEM_CARD_ERASES,    /* region, of which subject needs what is in it now */

    /* What was found out. */
    WRY_PROBLEM_FLASH_REPEATS,   /* bytes: expected by its claim, found */
    WRY_PROBLEM_IMAGES_DIFFER,   /* from start on; found = images compared */
    WRY_PROBLEM_ARCHIVE_DIFFERS, /* from start on */
    WRY_PROBLEM_LINK_GONE,       /* while the board was listened to: subject = link */
    WRY_PROBLEM_NOT_SEEN,        /* subject = the text, other = the line that was sent before it, or
                                    NULL; found = bytes heard instead; names[0] = advice, or NULL */
    WRY_PROBLEM_NOTHING_TO_RUN,  /* the boot ROM says so */
    WRY_PROBLEM_IN_LOADING_MODE, /* its loader answers, and nothing else was heard */
    WRY_PROBLEM_STRAP_HELD,      /* the boot ROM says so, though the firmware was to run */
};

/* Fields that mean nothing for a kind are 0 or NULL. Strings belong to the problem. */
struct wry_problem {
    enum wry_problem_kind kind;
    enum wry_outcome outcome;
    char *subject, *other;
    char **names;  /* ends with NULL */
    GError *cause; /* its message says where: file, line */
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
    const struct wry_chip *chip, *found_chip; /* NULL: one that is not known here */
    uint16_t chip_code;
    uint8_t address[WRY_EUI48_SIZE], found_address[WRY_EUI48_SIZE];
};

#ifdef __cplusplus
}
#endif

#endif
