/*
 * Job cards and kits: what is done to each board of a kind, checked without a board, run on one.
 *
 *     GPtrArray *mistakes;
 *     struct wry_card *card = wry_card_open("pier.yaml", NULL, &mistakes, &error);
 *     struct wry_station_settings settings = {.link = "/dev/ttyUSB0", .ledger = ledger};
 *     wry_card_prepare(card, &settings);
 *     struct wry_station *station = wry_station_new(&settings);
 *     struct wry_run_options options = {.card = card};
 *     struct wry_run_result result = {0};
 *     if (wry_station_run(station, &options, &result) == WRY_OUTCOME_DONE)
 *         puts("PASSED");
 *     wry_run_result_clear(&result);
 *
 * A card may be run on many stations at once, from several threads.
 */
#ifndef WRYTOGRAPH_HOST_CARD_H
#define WRYTOGRAPH_HOST_CARD_H

#include "wrytograph-host/diagnostic.h"
#include "wrytograph-host/jobs.h"

#ifdef __cplusplus
extern "C" {
#endif

struct wry_card;

/*
 * Opens a card file or a kit. trust: a file or folder of public keys; then only kits signed by one
 * of them are accepted. NULL: any card or kit. *mistakes (struct wry_diagnostic; free with
 * g_ptr_array_unref) lists everything wrong in the file itself. If the file cannot be read or is
 * not trusted, the result is NULL with an empty list and error set.
 */
struct wry_card *wry_card_open(const char *path, const char *trust, GPtrArray **mistakes,
                               GError **error);
void wry_card_close(struct wry_card *card);

/*
 * The folder of trusted keys, ~/.config/wrytograph/trusted. *folder is NULL (any kit is accepted)
 * only if nothing with that name exists; free with g_free. FALSE with error if it exists but is not
 * a folder or cannot be read: then no kit is trusted.
 */
gboolean wry_card_trusted_folder(char **folder, GError **error);

/* True for a ZIP file, which is what kits are. Its content is not checked. */
bool wry_card_is_kit(const char *path);

struct wry_card_facts {
    const char *name, *version; /* version may be "" */
    const struct wry_chip *chip;
    const uint32_t *flash_sizes; /* bytes */
    size_t flash_count;
    char sha256[WRY_SHA256_SIZE * 2 + 1]; /* SHA-256 of the card file, hexadecimal */
    const char *kit_sha256, *signer;      /* NULL if it is not a kit, or not signed */
    unsigned times; /* times that one board may get the card; 0 = any number */
    size_t placements, steps;
    bool by_row;                   /* each board has a row of settings */
    bool hands_out_rows;           /* a board without a row gets the next free one */
    unsigned share_part, share_of; /* kit: it uses rows share_part, share_part + share_of and so on;
                                      0 = not stated, 1 of 1 = all */
    unsigned count;                /* boards that a card without a table is for; 0 = not given */
    bool rows_by_server; /* only the ledger's server assigns rows, so kits need no share */
};
void wry_card_get_facts(const struct wry_card *card, struct wry_card_facts *facts);

/* A file of a kit. */
struct wry_kit_file {
    const char *written; /* the name as written in the card */
    uint64_t size;       /* bytes */
    const char *sha256;  /* hexadecimal; NULL for a folder */
};
/* The n-th file, counting from 0. False past the last one, and for a card that is not a kit. */
bool wry_card_kit_file(const struct wry_card *card, size_t n, struct wry_kit_file *file);

/*
 * Finds everything wrong with a card or kit and with what it names (files, places, settings, the
 * table of boards) for each size of flash, without a board. Returns struct wry_diagnostic in file
 * order; free with g_ptr_array_unref. NULL with error if it cannot be read or is not trusted.
 */
GPtrArray *wry_card_check(const char *path, const char *trust, GError **error);

/* The default folder of board logs, in the user's state folder. Free with g_free. */
char *wry_card_logs_folder(void);

/*
 * Makes a kit from a card without mistakes. secret_key: a file to sign it with; NULL: unsigned.
 * part, of: the share of rows (see wry_card_facts); 0, 0 for a card that hands out no rows. Two
 * benches with copies of one kit would each use all rows, so each bench needs a kit with a
 * different part.
 */
gboolean wry_card_pack(const struct wry_card *card, const char *path, const char *secret_key,
                       unsigned part, unsigned of, GError **error);

/* Makes a new key pair to sign kits with, in the files NAME.secret and NAME.public. public_key: the
 * text of the latter; free with g_free. */
gboolean wry_card_make_keys(const char *name, char **public_key, GError **error);

/* Fills in the settings that the card prescribes: chip, layout, settings description, how to leave
 * the board, and for a card with boards or a count the lot, unless it is given. */
void wry_card_prepare(const struct wry_card *card, struct wry_station_settings *settings);

struct wry_run_options {
    struct wry_card *card;
    bool dry_run; /* plan everything and change nothing */
    bool again;   /* run it even on a board that has had the card as often as it may */
    /* Returning false refuses the board a row, because another board with the same address is being
     * worked on. Called in the thread of that board. NULL: never refused. */
    bool (*may_have_row)(void *context, const uint8_t eui48[WRY_EUI48_SIZE]);
    void *context;
    bool only_failed; /* only a board whose latest run in the lot failed */
    const unsigned
        *only_rows;    /* only a board that has or gets one of these rows, by their lines, sorted */
    size_t only_count; /* 0 = any */
};

/* The result of one step. */
struct wry_run_step_done {
    enum wry_run_step step;
    enum wry_outcome outcome;
    bool skipped; /* it was not needed */
    double seconds;
    uint64_t bytes; /* bytes of content */
};

struct wry_run_result {
    bool known; /* the board has answered, and address is valid: */
    uint8_t address[WRY_EUI48_SIZE];
    GArray *steps; /* struct wry_run_step_done of the steps begun; NULL = none */
    double seconds;
    char *backup;     /* path of the backup made, or of the existing one; NULL = none */
    unsigned row;     /* line of the board's row; 0 = none */
    char *row_name;   /* who the board is, by its row: "gauge 2, pier C"; NULL = none */
    bool done_before; /* the board already had the card as often as it may, last at earlier_at:
                         nothing was done, and this is not a failure */
    unsigned earlier; /* times that the board had this card before, as recorded */
    char *earlier_at; /* time of the last of them; NULL = never */
    uint64_t bytes_sent, bytes_received; /* on the line */
    char *firmware; /* name and version of the application written and verified; NULL = none */
};

/*
 * Does everything that the card prescribes, from connecting to the checks after the start. If an
 * earlier run on this board was interrupted, it resumes. Adds one row to the ledger. After a
 * failure the last of the steps is where it failed.
 */
enum wry_outcome wry_station_run_of(struct wry_station *station,
                                    const struct wry_run_options *options, size_t size,
                                    struct wry_run_result *result);
static inline enum wry_outcome wry_station_run(struct wry_station *station,
                                               const struct wry_run_options *options,
                                               struct wry_run_result *result)
{
    return wry_station_run_of(station, options, sizeof *options, result);
}
void wry_run_result_clear(struct wry_run_result *result);

/* One of many boards. */
struct wry_many_board {
    struct wry_station_settings
        settings; /* from wry_card_prepare; events come from a thread of this board */
    gint ended;   /* see wry_many_has_ended; once true, the following are valid: */
    enum wry_outcome outcome;
    struct wry_run_result result;
    char *words; /* why it failed */
    bool simulated;
    char *advice;      /* what to do; NULL = nothing to add */
    const char *cause; /* the likely cause, if the link is what failed; NULL = none */
};

/* Frees the results of its run, not the settings. */
void wry_many_board_clear(struct wry_many_board *board);

/* May be called while boards are being worked on. */
bool wry_many_has_ended(const struct wry_many_board *board);

/*
 * Runs the card on several boards in parallel. Content that several of them get is encoded once.
 * turn is called about every 100 ms in the caller's thread, and once more when all boards have
 * ended.
 */
void wry_run_many(const struct wry_run_options *options, struct wry_many_board *boards,
                  size_t count, void (*turn)(void *context), void *context);

#ifdef __cplusplus
}
#endif

#endif
