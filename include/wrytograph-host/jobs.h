/*
 * The jobs: complete, verified work on the board of a station.
 *
 * A job takes a struct of options and fills in a struct of results. It connects the station if
 * necessary, sends events while it works, and returns WRY_OUTCOME_DONE only if the board's own
 * digests confirm the result. Otherwise wry_station_problem has the facts, and the result contains
 * what was found out before the failure. Initialise results with zeros; they may be cleared in any
 * case, also repeatedly.
 *
 *     struct wry_image_options image = {.place = "app", .file = "gauge.bin"};
 *     struct wry_images_options options = {.images = &image, .image_count = 1};
 *     struct wry_write_result result = {0};
 *     enum wry_outcome outcome = wry_station_write(station, &options, &result);
 *     wry_write_result_clear(&result);
 *
 * Calls with options are macros that pass the size of the struct that the program was compiled
 * with: a struct may get more members at its end without harm to programs that exist. Elements of
 * arrays (wry_image_options, wry_setting_options, wry_console_step) have no such size and do not
 * grow.
 *
 * The first job that writes or backs up first recovers an interrupted job on this board from the
 * journal of this computer.
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

/* The known backups of a board. */
struct wry_known_backup {
    bool told;     /* the search succeeded; if not, reason says why */
    bool any;      /* there is a backup, complete or of parts */
    bool whole;    /* there is one of the whole flash */
    char *path;    /* path of the newest */
    char *created; /* UTC, ISO 8601 */
    char *reason;
};

struct wry_identity {
    bool known; /* all but the last three members are valid */
    struct wry_hello_reply board;
    const struct wry_chip *chip; /* NULL: unknown */
    char *link;
    uint32_t speed;      /* baud in use */
    bool flash_measured; /* the size of the flash rests on where its content repeats */
    uint32_t protected_offset, protected_length; /* length 0: nothing is protected */
    struct wry_layout layout;
    GPtrArray *contents; /* struct wry_content_of, sorted by offset; NULL = not read */
    struct wry_known_backup backup;
    bool deep;            /* the size of the flash was checked: */
    bool deep_blank;      /* the flash is blank, which proves nothing */
    uint32_t flash_found; /* bytes */
};

/* Identifies the board and reads what its regions contain. deep: also check that the flash has its
 * claimed size (WRY_PROBLEM_FLASH_REPEATS if not) and the digest of every program; otherwise
 * digests are checked only if that takes less than half a second. */
enum wry_outcome wry_station_identify(struct wry_station *station, bool deep,
                                      struct wry_identity *identity);
void wry_identity_clear(struct wry_identity *identity);

/*
 * Examine: find out what is wrong with the link. Changes nothing in the flash. WRY_OUTCOME_DONE for
 * a link that is good or only slow. NO_ANSWER or LINK_LOST with problem kind NONE if the evidence
 * explains it. Call it on a station that is not connected.
 */
enum wry_outcome wry_station_examine(struct wry_station *station, struct wry_evidence *evidence);

/* Images and their places, for plan, write and verify. */

struct wry_image_options {
    const char *place; /* a region's name, or an offset such as 0x4000 or 16K; NULL if the file has
                          addresses (Intel HEX, S-record), or if its content (a boot header, a
                          region table) fits exactly one region */
    const char *file; /* a path; for a settings region, also of a settings file (.yaml); for a files
                         region, also of a folder; or shelf:NAME, shelf:NAME VERSION */
};

/* One setting to change in a settings block; the others are kept. */
struct wry_setting_options {
    const char *region; /* NULL = the only region with a block */
    const char *key, *value;
    bool is_new; /* add the key if the block does not have it */
};

struct wry_images_options {
    const struct wry_image_options *images;
    size_t image_count;
    const enum wry_image_format *format; /* format of all images; NULL = detect */
    bool leave_header; /* do not set the flash size in boot headers to the board's */
    bool any_content;  /* accept what is certainly not firmware, or would not start */
    bool any_place; /* accept placements across ends of regions, over settings and over the region
                       table */
    bool from_another_board; /* accept settings that are known to belong to another board */
    bool without_backup;     /* write: even if settings would be lost that no known backup has */
    uint8_t read_lines,
        read_clock; /* values for boot headers: data lines, MHz; 0 = leave unchanged */
    const struct wry_setting_options *settings; /* write, plan: settings to change */
    size_t setting_count;
    bool every_sector; /* write: also sectors that already have the right content */
    bool dry_run;      /* write: stop after WRY_EVENT_PLANNED */
    bool read_back;    /* verify: read everything instead of comparing digests */
    /* plan: for this chip and bytes of flash, without a board; NULL, 0: for the connected board */
    const struct wry_chip *chip;
    uint32_t flash_size;
};

/* The files that a plan refers to; they stay open as long as the result that holds them. */
struct wry_image_set;

/* One part of a planned write; the estimate is for a good line and a used flash. */
struct wry_expected_part {
    struct wry_cost_part what;
    struct wry_cost cost;
};

struct wry_expected {
    bool known;    /* the board was examined; without one there is no estimate */
    GArray *parts; /* struct wry_expected_part; empty if the flash already has the content */
    uint64_t line_bytes;
    double seconds;
};

struct wry_plan_result {
    struct wry_planned planned;
    struct wry_expected expected;
    struct wry_image_set *held;
};

/* Checks chip, flash size, places and boot headers like wry_station_write; changes nothing. */
enum wry_outcome wry_station_plan_of(struct wry_station *station,
                                     const struct wry_images_options *options, size_t size,
                                     struct wry_plan_result *result);
static inline enum wry_outcome wry_station_plan(struct wry_station *station,
                                                const struct wry_images_options *options,
                                                struct wry_plan_result *result)
{
    return wry_station_plan_of(station, options, sizeof *options, result);
}
void wry_plan_result_clear(struct wry_plan_result *result);

/* What a job did; the counts are of this job alone. */
struct wry_done {
    uint64_t bytes;                         /* bytes of content, verified */
    double seconds;                         /* seconds on the link's clock */
    uint32_t sectors_written, sectors_left; /* left: had the right content already */
    uint32_t frames_resent, reconnects;
    uint64_t bytes_sent, bytes_received; /* bytes over the link */
    uint64_t content_sent;               /* of these, content, encoded or not */
    uint64_t bytes_known;                /* backup: bytes not read, since this computer knew them */
    uint32_t differences;                /* parts sent as a difference */
    uint32_t guesses_wrong;              /* times that known content turned out to be wrong */
    char known_name[64];                 /* the file it was known from; "" = none */
};

struct wry_write_result {
    struct wry_planned planned;
    struct wry_expected expected; /* filled in by a dry run */
    bool tried;                   /* writing was started */
    bool written;                 /* written and verified */
    struct wry_done done;
    struct wry_image_set *held;
};

enum wry_outcome wry_station_write_of(struct wry_station *station,
                                      const struct wry_images_options *options, size_t size,
                                      struct wry_write_result *result);
static inline enum wry_outcome wry_station_write(struct wry_station *station,
                                                 const struct wry_images_options *options,
                                                 struct wry_write_result *result)
{
    return wry_station_write_of(station, options, sizeof *options, result);
}
void wry_write_result_clear(struct wry_write_result *result);

/* Erase. */

struct wry_erase_options {
    const char *const *parts; /* "all", a region's name, or OFFSET+LENGTH; ends with NULL */
    bool every_sector;
    bool dry_run;
    bool without_backup; /* even the whole flash without a known backup of this board, and settings
                            that no backup has */
};

struct wry_erase_result {
    bool erased; /* erased and verified to be blank */
    struct wry_done done;
};

enum wry_outcome wry_station_erase_of(struct wry_station *station,
                                      const struct wry_erase_options *options, size_t size,
                                      struct wry_erase_result *result);
static inline enum wry_outcome wry_station_erase(struct wry_station *station,
                                                 const struct wry_erase_options *options,
                                                 struct wry_erase_result *result)
{
    return wry_station_erase_of(station, options, sizeof *options, result);
}
void wry_erase_result_clear(struct wry_erase_result *result);

/* Backup. */

struct wry_backup_options {
    const char *file;         /* NULL: a file in folder, named by address and time */
    const char *folder;       /* NULL: the usual folder of backups */
    const char *const *parts; /* as for erase; NULL: everything */
    const char *older; /* an archive of this board: read only what has changed since; or NULL */
    bool plain;        /* a plain binary without the board's description */
    bool replace;      /* a plain file with this name may be overwritten */
};

struct wry_backup_result {
    bool saved; /* the file is written, and its SHA-256 is the board's */
    char *file; /* its path */
    uint8_t address[WRY_EUI48_SIZE];
    uint64_t from_older; /* bytes that had not changed since older */
    struct wry_done done;
};

enum wry_outcome wry_station_backup_of(struct wry_station *station,
                                       const struct wry_backup_options *options, size_t size,
                                       struct wry_backup_result *result);
static inline enum wry_outcome wry_station_backup(struct wry_station *station,
                                                  const struct wry_backup_options *options,
                                                  struct wry_backup_result *result)
{
    return wry_station_backup_of(station, options, sizeof *options, result);
}
void wry_backup_result_clear(struct wry_backup_result *result);

/* Restore. */

struct wry_restore_options {
    const char *file;
    const char *const *parts; /* parts of the archive, as for erase; NULL: everything in it */
    bool from_another_board;  /* also accept another board's backup, or a plain binary */
    bool without_backup;      /* even without a known backup of this board */
    bool every_sector;
    bool dry_run;
};

struct wry_restore_result {
    bool restored; /* restored and verified */
    struct wry_done done;
};

enum wry_outcome wry_station_restore_of(struct wry_station *station,
                                        const struct wry_restore_options *options, size_t size,
                                        struct wry_restore_result *result);
static inline enum wry_outcome wry_station_restore(struct wry_station *station,
                                                   const struct wry_restore_options *options,
                                                   struct wry_restore_result *result)
{
    return wry_station_restore_of(station, options, sizeof *options, result);
}
void wry_restore_result_clear(struct wry_restore_result *result);

/* Verify. */

/* A range whose bytes all differ, and its first byte on both sides. */
struct wry_difference {
    uint32_t offset, length;
    uint8_t expected, found;
};

/* One range of content that was compared. */
struct wry_comparison {
    const char *name; /* name of the file, the region, or the part of an archive */
    bool of_archive;
    uint32_t offset, length; /* in flash */
    uint32_t base;           /* flash offset of the content's address 0 */
    bool by_digest;          /* compared by digest; else byte by byte */
    GArray *differences;     /* struct wry_difference, sorted; empty = equal */
    /* Of a program that differs: the version texts of the boot headers; "" = there is none. */
    char file_version[WRY_BOOT_TEXT_SIZE + 1], flash_version[WRY_BOOT_TEXT_SIZE + 1];
};

struct wry_verify_result {
    struct wry_layout layout;
    uint32_t flash_size;
    GPtrArray *comparisons; /* struct wry_comparison, sorted by offset; NULL = none was made */
    bool same;
    struct wry_image_set *held;
};

/* Compares images with the flash: WRY_OUTCOME_DIFFERS if anything differs. The flash size in boot
 * headers is compared as write would set it. */
enum wry_outcome wry_station_verify_of(struct wry_station *station,
                                       const struct wry_images_options *options, size_t size,
                                       struct wry_verify_result *result);
static inline enum wry_outcome wry_station_verify(struct wry_station *station,
                                                  const struct wry_images_options *options,
                                                  struct wry_verify_result *result)
{
    return wry_station_verify_of(station, options, sizeof *options, result);
}
/* Compares a backup archive with the flash. */
enum wry_outcome wry_station_verify_archive(struct wry_station *station, const char *file,
                                            bool read_back, struct wry_verify_result *result);
void wry_verify_result_clear(struct wry_verify_result *result);

/* Console: what the board prints, and what is sent to it. */

/* A step sends a line once the board is silent, or waits for a text, or both in this order. */
struct wry_console_step {
    const char *send;   /* line to send, or NULL */
    const char *expect; /* text to wait for, or NULL */
    uint64_t within;    /* us to wait; 0 = the time of the options */
    bool go_on;         /* continue if it was not seen: this is noted, and is not a failure */
    const char *advice; /* advice if it was not seen; or NULL */
};

/* A file that crosses the line by XMODEM (wrytograph/xmodem.h) in a step: after its line was sent,
 * and before its text is expected. The console's speed stays. */
struct wry_console_transfer {
    size_t step; /* index of the step; one step has one transfer at most */
    const char *file;
    bool receives;   /* the other side sends, and file must not exist yet; otherwise it receives */
    bool small;      /* sent in blocks of 128 bytes only */
    uint64_t within; /* us to wait until the other side begins; 0 = 60 s */
    uint32_t size;   /* received: bytes of content. 0 = without the padding at the end, which takes
                        bytes of content with the same value (0x1A) along */
};

/* Reads a steps file (docs/steps-file.md) into struct wry_console_step that own their strings; free
 * with g_ptr_array_unref. NULL with error, which gives file and line. */
GPtrArray *wry_console_steps_load(const char *path, GError **error);

/* The transfer of a step that wry_console_steps_load has read, or NULL; it belongs to the step, and
 * its member step is 0. */
const struct wry_console_transfer *wry_console_step_transfer(const struct wry_console_step *loaded);

/* Requests of the person at the terminal. */
enum wry_console_ask {
    WRY_CONSOLE_NOTHING,
    WRY_CONSOLE_LEAVE,
    WRY_CONSOLE_RESET, /* reset the board by its reset line */
    WRY_CONSOLE_BREAK, /* send a break */
};

struct wry_console_options {
    uint32_t speed;       /* initial baud; 0 = that of the chip's firmware, or 115200 */
    const char *line_end; /* ending of sent lines; NULL = CR LF, and if a line is not answered, LF
                             and CR are tried */
    const struct wry_console_step *steps;
    size_t step_count;
    uint64_t
        time; /* us to wait for an expected text; without any, us in total; 0 = until stopped */
    void *context; /* argument of take */
    /* Provides up to room bytes to send, 0 if there are none now, and sets *ask to a request. May
     * be NULL. */
    size_t (*take)(void *context, uint8_t *to, size_t room, enum wry_console_ask *ask);
    const struct wry_console_transfer *transfers; /* by step, the first first */
    size_t transfer_count;
};

struct wry_console_result {
    bool ended;     /* the following members are valid */
    bool seen;      /* all expected texts were seen */
    size_t steps;   /* steps done, including texts not seen that allow to continue */
    char *text;     /* the board's output, printable characters and line ends; the latest 64 KiB */
    uint32_t speed; /* baud at the end */
};

/* Listens on the link without entering loading mode. */
enum wry_outcome wry_station_listen_of(struct wry_station *station,
                                       const struct wry_console_options *options, size_t size,
                                       struct wry_console_result *result);
static inline enum wry_outcome wry_station_listen(struct wry_station *station,
                                                  const struct wry_console_options *options,
                                                  struct wry_console_result *result)
{
    return wry_station_listen_of(station, options, sizeof *options, result);
}
/* Leaves loading mode, runs the firmware and listens to it. */
enum wry_outcome wry_station_start_of(struct wry_station *station,
                                      const struct wry_console_options *options, size_t size,
                                      struct wry_console_result *result);
static inline enum wry_outcome wry_station_start(struct wry_station *station,
                                                 const struct wry_console_options *options,
                                                 struct wry_console_result *result)
{
    return wry_station_start_of(station, options, sizeof *options, result);
}
void wry_console_result_clear(struct wry_console_result *result);

#ifdef __cplusplus
}
#endif

#endif
