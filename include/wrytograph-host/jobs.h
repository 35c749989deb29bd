/*
 * The jobs: what is done to the board of a station, from start to end, checked.
 *
 * Each job takes a struct that says what is wanted and fills in one that says what was done. It
 * connects the station if that is not connected, sends events on the way, and returns
 * WRY_OUTCOME_DONE only when the board's own digests say so. Otherwise wry_station_problem has the
 * facts; the result then holds what was found out before. Results begin as zeros and may be cleared
 * in any case, also more than once.
 *
 *     struct wry_image_options image = {.place = "app", .file = "gauge.bin"};
 *     struct wry_images_options options = {.images = &image, .image_count = 1};
 *     struct wry_write_result result = {0};
 *     enum wry_outcome outcome = wry_station_write(station, &options, &result);
 *     wry_write_result_clear(&result);
 *
 * Before the first job that writes or backs up, what a cut job left on this board is made good from
 * the journal of this computer.
 */
#ifndef WRYTOGRAPH_HOST_JOBS_H
#define WRYTOGRAPH_HOST_JOBS_H

#include <glib.h>

#include "wrytograph-host/auto.h"
#include "wrytograph-host/contents.h"
#include "wrytograph-host/station.h"
#include "wrytograph/image.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Identify. */

/* What this computer knows of backups of a board. */
struct wry_known_backup {
    bool told;     /* whether there is one is known; else reason says why not */
    bool any;      /* there is one, of parts at least */
    bool whole;    /* of all of the flash */
    char *path;    /* of the newest */
    char *created; /* UTC, ISO 8601 */
    char *reason;
};

struct wry_identity {
    bool known; /* all but the last three are filled in */
    struct wry_hello_reply board;
    const struct wry_chip *chip; /* NULL: not known here */
    char *link;
    uint32_t speed;                              /* baud in use */
    uint32_t protected_offset, protected_length; /* length 0: nothing is */
    struct wry_layout layout;
    GPtrArray *contents; /* struct wry_content_of, by offset; NULL = they were not looked at */
    struct wry_known_backup backup;
    bool deep;            /* it was looked whether the flash is as large as it claims: */
    bool deep_blank;      /* it is blank, which proves nothing */
    uint32_t flash_found; /* bytes */
};

/* deep: find out whether the flash repeats itself (WRY_PROBLEM_FLASH_REPEATS when it does), and
 * check the digest of every program; else only as far as that takes less than half a second. */
enum wry_outcome wry_station_identify(struct wry_station *station, bool deep,
                                      struct wry_identity *identity);
void wry_identity_clear(struct wry_identity *identity);

/*
 * Examine: what is wrong with the link. Changes nothing in the flash. WRY_OUTCOME_DONE for a link
 * that is good or only slow; NO_ANSWER or LINK_LOST with problem kind NONE when the evidence tells
 * why. To be called on a station that is not connected.
 */
enum wry_outcome wry_station_examine(struct wry_station *station, struct wry_evidence *evidence);

/* Images and where they go: for plan, write and verify. */

struct wry_image_options {
    const char *place; /* a region's name, or an offset as 0x4000 or 16K; NULL when the file carries
                          its own addresses (Intel HEX, S-record), or says what it is (a boot
                          header, a region table) and one region fits */
    const char *file;  /* for a settings region, also a settings file (.yaml); for a files region,
                          also a folder; or shelf:NAME, shelf:NAME VERSION */
};

/* One value of a settings block; the others stay as they are. */
struct wry_setting_options {
    const char *region; /* NULL = the one region that has a block */
    const char *key, *value;
    bool is_new; /* also a key that the block does not have yet */
};

struct wry_images_options {
    const struct wry_image_options *images;
    size_t image_count;
    const enum wry_image_format *format; /* of all; NULL = by their content */
    bool leave_header;       /* the flash size in boot headers is not set to the board's */
    bool any_content;        /* also what is surely no firmware, or would not be started */
    bool any_place;          /* also over the ends of regions, over settings and the region table */
    bool from_another_board; /* also content that is known to be another board's calibration */
    bool without_backup;     /* write: also where settings go that no known backup holds */
    uint8_t read_lines, read_clock; /* set in boot headers: data lines, MHz; 0 = left as it is */
    const struct wry_setting_options *settings; /* write, plan: changed in the board's block */
    size_t setting_count;
    bool every_sector; /* write: also sectors that hold the right content already */
    bool dry_run;      /* write: ends after WRY_EVENT_PLANNED */
    bool read_back;    /* verify: by reading everything instead of by digests */
    /* plan: for this chip and bytes of flash, without a board; else for the board. */
    const struct wry_chip *chip;
    uint32_t flash_size;
};

/* The files behind a plan, which stay open as long as the result that holds them. */
struct wry_image_set;

/* A part of what a write would do, on a good line and a used flash. */
struct wry_expected_part {
    struct wry_cost_part what;
    struct wry_cost cost;
};

struct wry_expected {
    bool known;    /* there is a board to look at */
    GArray *parts; /* struct wry_expected_part; empty when the flash holds it all */
    uint64_t line_bytes;
    double seconds;
};

struct wry_plan_result {
    struct wry_planned planned;
    struct wry_expected expected;
    struct wry_image_set *held;
};

/* Checks chip, flash size, places and boot headers as write does, and changes nothing. */
enum wry_outcome wry_station_plan(struct wry_station *station,
                                  const struct wry_images_options *options,
                                  struct wry_plan_result *result);
void wry_plan_result_clear(struct wry_plan_result *result);

/* What a job that writes did; counts are of this job alone. */
struct wry_done {
    uint64_t bytes;                         /* of content, checked */
    double seconds;                         /* on the link's clock */
    uint32_t sectors_written, sectors_left; /* left: right already */
    uint32_t frames_resent, reconnects;
    uint64_t bytes_sent, bytes_received; /* over the link */
    uint64_t content_sent;               /* of that, content: packed or not */
    uint64_t bytes_known;                /* backup: not read, since this computer had them */
    uint32_t differences;                /* parts sent as the difference to what was known */
    uint32_t guesses_wrong;              /* times that something else was there */
    char known_name[64];                 /* the file that was known; "" = none */
};

struct wry_write_result {
    struct wry_planned planned;
    struct wry_expected expected; /* of a dry run */
    bool tried;                   /* it came to writing */
    bool written;                 /* and checked */
    struct wry_done done;
    struct wry_image_set *held;
};

enum wry_outcome wry_station_write(struct wry_station *station,
                                   const struct wry_images_options *options,
                                   struct wry_write_result *result);
void wry_write_result_clear(struct wry_write_result *result);

/* Erase. */

struct wry_erase_options {
    const char *const *parts; /* "all", a region's name, or OFFSET+LENGTH; ends with NULL */
    bool every_sector;
    bool dry_run;
    bool without_backup; /* all of the flash, also where no backup of this board is known, and
                            settings that none holds */
};

struct wry_erase_result {
    bool erased; /* and checked to be blank */
    struct wry_done done;
};

enum wry_outcome wry_station_erase(struct wry_station *station,
                                   const struct wry_erase_options *options,
                                   struct wry_erase_result *result);
void wry_erase_result_clear(struct wry_erase_result *result);

/* Backup. */

struct wry_backup_options {
    const char *file;         /* NULL: named by address and time, in folder */
    const char *folder;       /* NULL: the usual one of backups */
    const char *const *parts; /* as of erase; NULL: all */
    const char *older; /* an archive of this board: only what changed since is read; or NULL */
    bool plain;        /* just the binary, without the board's description */
    bool replace;      /* a plain file of that name may be overwritten */
};

struct wry_backup_result {
    bool saved; /* the file is there, and its SHA-256 is the board's */
    char *file; /* its path; the result's */
    uint8_t address[WRY_EUI48_SIZE];
    uint64_t from_older; /* bytes that had not changed */
    struct wry_done done;
};

enum wry_outcome wry_station_backup(struct wry_station *station,
                                    const struct wry_backup_options *options,
                                    struct wry_backup_result *result);
void wry_backup_result_clear(struct wry_backup_result *result);

/* Restore. */

struct wry_restore_options {
    const char *file;
    const char *const *parts; /* of an archive, as of erase; NULL: all that is in it */
    bool from_another_board;  /* also a plain binary of unknown origin */
    bool without_backup;      /* also where no backup of this board is known */
    bool every_sector;
    bool dry_run;
};

struct wry_restore_result {
    bool restored; /* and checked */
    struct wry_done done;
};

enum wry_outcome wry_station_restore(struct wry_station *station,
                                     const struct wry_restore_options *options,
                                     struct wry_restore_result *result);
void wry_restore_result_clear(struct wry_restore_result *result);

/* Verify. */

/* A stretch whose bytes all differ, and its first byte on either side. */
struct wry_difference {
    uint32_t offset, length;
    uint8_t expected, found;
};

/* One stretch of content, compared. */
struct wry_comparison {
    const char *name; /* of the file, the region, what part of an archive it is, or what is behind
                         a settings block */
    bool of_archive;
    uint32_t offset, length; /* in flash */
    uint32_t base;           /* flash offset of address 0 of the content */
    bool by_digest;          /* else byte for byte */
    GArray *differences;     /* struct wry_difference, by rising offset; empty = the same */
};

struct wry_verify_result {
    struct wry_layout layout;
    uint32_t flash_size;
    GPtrArray *comparisons; /* struct wry_comparison, in order of offset; NULL = none was made */
    bool same;
    struct wry_image_set *held;
};

/* WRY_OUTCOME_DIFFERS when anything does. The flash size in boot headers is compared as write sets
 * it. */
enum wry_outcome wry_station_verify(struct wry_station *station,
                                    const struct wry_images_options *options,
                                    struct wry_verify_result *result);
/* The same with a backup archive. */
enum wry_outcome wry_station_verify_archive(struct wry_station *station, const char *file,
                                            bool read_back, struct wry_verify_result *result);
void wry_verify_result_clear(struct wry_verify_result *result);

/* Talk: what the board says, and what is said to it. */

/* Steps are taken in order: a line is sent once the board has fallen silent, then a text awaited.
 */
struct wry_console_step {
    const char *send;   /* a line; or NULL */
    const char *expect; /* a text; or NULL */
    uint64_t within;    /* us for it; 0 = as wanted of all */
    bool go_on;         /* also when it was not seen; that is told, and is no failure */
    const char *advice; /* for when it was not seen; or NULL */
};

/* Those of a steps file (docs/steps-file.md): struct wry_console_step, which own their strings.
 * NULL with file, line and reason. Free with g_ptr_array_unref. */
GPtrArray *wry_console_steps_load(const char *path, GError **error);

/* What a person at the line may ask for besides sending. */
enum wry_console_ask {
    WRY_CONSOLE_NOTHING,
    WRY_CONSOLE_LEAVE,
    WRY_CONSOLE_RESET, /* the board, by its reset line */
    WRY_CONSOLE_BREAK, /* a break on the line */
};

struct wry_console_options {
    uint32_t speed;       /* baud to begin with; 0 = that of the chip's firmware, or 115200 */
    const char *line_end; /* what a line that is sent ends with; NULL = CR LF, and when a line is
                             not answered, LF and CR are tried */
    const struct wry_console_step *steps;
    size_t step_count;
    uint64_t time; /* us: for a text that is expected; without any, for all; 0 = until stopped, or
                      left */
    void *context; /* handed to take */
    /* Gives bytes to send, room at most; 0 when there are none now. Sets *ask to what is asked for.
     * May be NULL. */
    size_t (*take)(void *context, uint8_t *to, size_t room, enum wry_console_ask *ask);
};

struct wry_console_result {
    bool ended;     /* the rest is filled in */
    bool seen;      /* all that was expected */
    size_t steps;   /* taken, those that were told as not seen included */
    char *text;     /* what was said, printable and line ends; the latest 64 KiB of it */
    uint32_t speed; /* baud at the end */
};

/* Listens on the link as it is, without loading mode. */
enum wry_outcome wry_station_listen(struct wry_station *station,
                                    const struct wry_console_options *options,
                                    struct wry_console_result *result);
/* Leaves loading mode, runs the firmware, and listens to it. */
enum wry_outcome wry_station_start(struct wry_station *station,
                                   const struct wry_console_options *options,
                                   struct wry_console_result *result);
void wry_console_result_clear(struct wry_console_result *result);

#ifdef __cplusplus
}
#endif

#endif
