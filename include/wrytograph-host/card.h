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
 * A card file, or a kit. trust: a file of public keys or a folder of them; then a kit must be
 * signed by one of these, and a card that is no kit is refused. NULL: any. *mistakes (struct
 * wry_diagnostic; free with g_ptr_array_unref) lists all that is wrong in the file itself; NULL is
 * returned with an empty list and the error when it cannot be read at all, or is not trusted.
 */
struct wry_card *wry_card_open(const char *path, const char *trust, GPtrArray **mistakes,
                               GError **error);
void wry_card_close(struct wry_card *card);

/*
 * The folder of keys that this computer trusts, ~/.config/wrytograph/trusted. *folder is NULL (and
 * any kit may be taken) only if nothing of that name exists; free with g_free. FALSE with an error
 * if something does that is no folder, or that cannot be looked at: then nothing is trusted.
 */
gboolean wry_card_trusted_folder(char **folder, GError **error);

/* True for a file that is a ZIP, as kits are; its content is not checked. */
bool wry_card_is_kit(const char *path);

struct wry_card_facts {
    const char *name, *version; /* version may be "" */
    const struct wry_chip *chip;
    const uint32_t *flash_sizes; /* bytes */
    size_t flash_count;
    char sha256[WRY_SHA256_SIZE * 2 + 1]; /* of the card file, hexadecimal */
    const char *kit_sha256, *signer;      /* NULL when it is no kit, or not signed */
    unsigned times;                       /* that a board may get it; 0 = any */
    size_t placements, steps;
    bool by_row;                   /* each board has a row of settings */
    bool hands_out_rows;           /* the next free one, to a board that has none */
    unsigned share_part, share_of; /* of a kit: it hands out every share_of-th row from the
                                      share_part-th on; 0 = nothing is said, 1 of 1 = all */
};
void wry_card_get_facts(const struct wry_card *card, struct wry_card_facts *facts);

/* A file of a kit. */
struct wry_kit_file {
    const char *written; /* as the card has it */
    uint64_t size;       /* bytes */
    const char *sha256;  /* hexadecimal; NULL of a folder */
};
/* The n-th, counting from 0; false past the last, and of a card that is no kit. */
bool wry_card_kit_file(const struct wry_card *card, size_t n, struct wry_kit_file *file);

/*
 * All that is wrong with a card or a kit, and with what it names: files, places, settings, the
 * table of boards, for each size of flash; struct wry_diagnostic in the order of the file, free
 * with g_ptr_array_unref. Needs no board. NULL with the error when it cannot be read, or is not
 * trusted.
 */
GPtrArray *wry_card_check(const char *path, const char *trust, GError **error);

/* Where logs of boards go unless told otherwise, in the user's state folder. Free with g_free. */
char *wry_card_logs_folder(void);

/*
 * Makes a kit of a card that has no mistakes. secret_key: a file to sign it with; NULL: unsigned.
 * part, of: which rows it hands out, see wry_card_facts; 0, 0 for a card that hands out none.
 * Copies of one kit on two benches would give each row twice: each bench gets a part of its own.
 */
gboolean wry_card_pack(const struct wry_card *card, const char *path, const char *secret_key,
                       unsigned part, unsigned of, GError **error);

/* Two new files of a key to sign kits with: NAME.secret and NAME.public. public_key: the text of
 * the latter; free with g_free. */
gboolean wry_card_make_keys(const char *name, char **public_key, GError **error);

/* Sets what the card says of chip, layout and how the board is left. */
void wry_card_prepare(const struct wry_card *card, struct wry_station_settings *settings);

struct wry_run_options {
    struct wry_card *card;
    bool dry_run; /* plans all and changes nothing */
    bool again;   /* also on a board that got it as often as it may */
    /* False refuses the board a row: another one of the same address is being worked on. Called
     * from the thread of that board; NULL: any may. */
    bool (*may_have_row)(void *context, const uint8_t eui48[WRY_EUI48_SIZE]);
    void *context;
};

/* How a step went. */
struct wry_run_step_done {
    enum wry_run_step step;
    enum wry_outcome outcome;
    bool skipped; /* it was not needed */
    double seconds;
    uint64_t bytes; /* of content */
};

struct wry_run_result {
    bool known; /* the board has answered: */
    uint8_t address[WRY_EUI48_SIZE];
    GArray *steps; /* struct wry_run_step_done, those that were begun; NULL = none */
    double seconds;
    char *backup;     /* file: made, or known before; NULL = none */
    unsigned row;     /* line of the board's row; 0 = none */
    char *row_name;   /* its first setting, "gauge 2"; NULL = none */
    bool done_before; /* the board has had the card as often as it may: nothing was done to it, and
                         that is no failure; earlier_at says when it was done */
    unsigned earlier; /* times that the board got this card before, as far as is on record */
    char *earlier_at; /* when it did last; NULL = never */
};

/*
 * All that the card says, from connecting to what the board says after the start. On a board where
 * it was cut before, it goes on. One row of the ledger. Where it failed is the last of the steps.
 */
enum wry_outcome wry_station_run(struct wry_station *station, const struct wry_run_options *options,
                                 struct wry_run_result *result);
void wry_run_result_clear(struct wry_run_result *result);

/* One of many boards. */
struct wry_many_board {
    struct wry_station_settings settings; /* as wry_card_prepare left them; events and words come
                                             from a thread of this board's own */
    gint ended;                           /* see wry_many_has_ended; then: */
    enum wry_outcome outcome;
    struct wry_run_result result;
    char *words; /* why it did not pass */
    bool simulated;
};

/* Frees what its run has left; the settings are the caller's. */
void wry_many_board_clear(struct wry_many_board *board);

/* May be asked while others are at work. */
bool wry_many_has_ended(const struct wry_many_board *board);

/*
 * The same on many boards at once. What is sent to several of them is packed once. turn is called
 * about every 100 ms in the caller's thread, and once more when all have ended.
 */
void wry_run_many(const struct wry_run_options *options, struct wry_many_board *boards,
                  size_t count, void (*turn)(void *context), void *context);

#ifdef __cplusplus
}
#endif

#endif
