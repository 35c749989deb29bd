/*
 * Job cards in memory (docs/card.md): what is done to each board of a kind.
 *
 *     g_autoptr(GPtrArray) mistakes = diagnostics_new();
 *     struct card *card = card_load("pier.yaml", NULL, mistakes, &error);
 *     if (card && mistakes->len == 0)
 *         ...
 *     card_free(card);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

#include "base/yaml_text.h"
#include "wrytograph/bytes.h"
#include "wrytograph/chip.h"
#include "wrytograph/flash.h"

/* A file for one size of flash. */
struct card_variant {
    uint32_t flash_size; /* bytes; 0 = for all */
    char *file;          /* a path, or "shelf:NAME" */
    char *written;       /* as written in the card */
    struct yaml_place at;
};

struct card_placement {
    char *place; /* a region or an offset; NULL: found by the file's content */
    GPtrArray *variants;
    struct yaml_place at;
};

/* A setting, or an expected text, of a region. */
struct card_value {
    char *region; /* NULL: the only one */
    char *key;    /* NULL for an expected text */
    char *value;
    bool is_new; /* add the key if the board does not have it */
    struct yaml_place at;
};

/* The share of a table's rows that one of several kits uses: every of-th row, beginning with the
 * part-th. */
struct card_share {
    unsigned part, of; /* counted from 1; of = 0: not stated, 1: all rows, on one bench */
};

enum card_backup {
    CARD_BACKUP_FIRST, /* unless a complete one of this board is known */
    CARD_BACKUP_ALWAYS,
    CARD_BACKUP_NEVER,
};

/* How a board's row is chosen. */
enum card_rows {
    CARD_ROWS_BY_ADDRESS,
    CARD_ROWS_NEXT,      /* the board's row, else the next free one */
    CARD_ROWS_BY_SERVER, /* in files only: NEXT, with server_only */
};

struct card_reader;

struct card {
    char *path, *folder;
    uint8_t sha256[WRY_SHA256_SIZE]; /* SHA-256 of the card file */
    char *name, *version;            /* version may be "" */
    char *chip_file;                 /* path of the file that describes the chip; NULL = none */
    const struct wry_chip *chip;
    GArray *flash_sizes;        /* uint32_t, bytes, in the order of the file */
    char *layout;               /* path; NULL = none */
    char *settings_description; /* path; NULL = none */
    uint8_t revision;           /* lowest chip revision; 0 = any */
    GPtrArray *holds;           /* struct card_value: programs that the board must already have */
    enum card_backup backup;
    char *backup_folder; /* NULL: the usual one */
    char **erase;        /* parts to erase, ending with NULL; NULL = none */
    struct yaml_place erase_at;
    GPtrArray *placements;
    GPtrArray *values; /* struct card_value: settings of all boards */
    char *table;       /* CSV file with settings of each board; NULL = none */
    enum card_rows rows;
    bool server_only;    /* only the ledger's server assigns rows */
    char **name_columns; /* columns that say who a board is, ending with NULL; NULL: the first
                            setting */
    char **new_columns;  /* keys to add to boards that lack them, ending with NULL; NULL = none */
    struct card_share share; /* share of a kit */
    struct yaml_place table_at;
    uint8_t read_lines, read_clock; /* read mode for boot headers; 0 = unchanged */
    bool is_heard;                  /* the board is listened to after the start */
    GPtrArray *steps;               /* struct wry_console_step */
    uint32_t run_speed;             /* baud; 0 = the chip's */
    char *line_end;                 /* "\r\n", "\n" or "\r"; NULL = detected */
    uint64_t within;                /* us for each text; 0 = default */
    unsigned count;                 /* boards of the lot, without a table; 0 = not given */
    struct yaml_place count_at;
    unsigned times;             /* times that a board may get the card; 0 = any number */
    GPtrArray *files;           /* struct card_file: all files it names */
    struct card_reader *reader; /* used while the file is read */
};

/* A file or folder that the card names. */
struct card_file {
    char *written, *path;
};

/* Where to find files of a card outside its folder. */
struct card_files {
    void *context;
    /* The path for a file name in the card; free with g_free. NULL if there is none. */
    char *(*find)(void *context, const char *written);
    const char *beside; /* folder of the kit: output of the card must stay when the kit is closed */
};

/* Loads a card and collects its mistakes. NULL with error if it cannot be read or is not YAML. */
struct card *card_load(const char *path, const struct card_files *files, GPtrArray *mistakes,
                       GError **error);
void card_free(struct card *card);

/* An array of struct card_value; free with g_ptr_array_unref. */
GPtrArray *card_values_new(void);

/* True if this column may add a new key. */
bool card_column_is_new(const struct card *card, const char *region, const char *key);

/* The file for this size of flash; NULL if there is none. */
const struct card_variant *card_variant_for(const struct card_placement *placement,
                                            uint32_t flash_size);
bool card_is_for_flash(const struct card *card, uint32_t flash_size);

/* True if the file is YAML with 'card:', valid or not. */
bool card_is_one(const char *path);
