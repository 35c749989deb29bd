/*
 * Job cards in memory (docs/card.md): what is done to each board of a kind.
 *
 *     g_autoptr(GPtrArray) mistakes = diagnostics_new();
 *     struct card *card = card_load("pier.yaml", NULL, mistakes, &error);
 *     if (card && mistakes->len == 0)
 *         ...
 *     card_free(card);
 */
#ifndef WRY_STORE_CARD_DATA_H
#define WRY_STORE_CARD_DATA_H

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
    char *written;       /* as it stands in the card */
    struct yaml_place at;
};

struct card_placement {
    char *place; /* a region or an offset; NULL: where the file says */
    GPtrArray *variants;
    struct yaml_place at;
};

/* A value, or a text that is expected, of a region. */
struct card_value {
    char *region; /* NULL: the one that there is */
    char *key;    /* NULL where a text is expected */
    char *value;
    bool is_new; /* also where the board does not have the key yet */
    struct yaml_place at;
};

/* Rows of a table that one of several kits hands out: every of-th from the part-th on. */
struct card_share {
    unsigned part, of; /* from 1; of 0: nothing is said, 1: all of them, on one bench */
};

enum card_backup {
    CARD_BACKUP_FIRST, /* unless one of all of this board is known */
    CARD_BACKUP_ALWAYS,
    CARD_BACKUP_NEVER,
};

/* How a row of the table of boards is found. */
enum card_rows {
    CARD_ROWS_BY_ADDRESS,
    CARD_ROWS_NEXT, /* the board's own, else the next free one */
};

struct card_reader;

struct card {
    char *path, *folder;
    uint8_t sha256[WRY_SHA256_SIZE]; /* of the card file */
    char *name, *version;            /* version may be "" */
    const struct wry_chip *chip;
    GArray *flash_sizes; /* uint32_t, bytes, as they stand there */
    char *layout;        /* a path; NULL without */
    uint8_t revision;    /* the least; 0 = any */
    GPtrArray *holds;    /* struct card_value: what programs must be on the board before */
    enum card_backup backup;
    char *backup_folder; /* NULL: the usual one */
    char **erase;        /* ends with NULL; NULL: nothing */
    struct yaml_place erase_at;
    GPtrArray *placements;
    GPtrArray *values; /* struct card_value: settings of all boards */
    char *table;       /* a CSV file with settings of each; NULL without */
    enum card_rows rows;
    char **new_columns;      /* keys that boards may not have yet; ends with NULL; NULL = none */
    struct card_share share; /* of a kit */
    struct yaml_place table_at;
    uint8_t read_lines, read_clock; /* 0 = as they are */
    bool is_heard;                  /* there is something to expect after the start */
    GPtrArray *steps;               /* struct wry_console_step */
    uint32_t run_speed;             /* baud; 0 = the chip's */
    char *line_end;                 /* "\r\n", "\n" or "\r"; NULL = is found */
    uint64_t within;                /* us for each text; 0 = as usual */
    unsigned times;                 /* that a board may get it; 0 = any */
    GPtrArray *files;               /* struct card_file: all that it names */
    struct card_reader *reader;     /* while the file is being read */
};

/* A file or folder that the card names. */
struct card_file {
    char *written, *path;
};

/* Where the files of a card are, when not beside it. */
struct card_files {
    void *context;
    /* The path of what is written so in the card; free with g_free. NULL when there is none. */
    char *(*find)(void *context, const char *written);
    const char *beside; /* folder of the kit: what a card makes stays when the kit is closed */
};

/* What is wrong with it is added to mistakes. NULL with an error when it cannot be read, or is no
 * YAML at all. */
struct card *card_load(const char *path, const struct card_files *files, GPtrArray *mistakes,
                       GError **error);
void card_free(struct card *card);

/* Of struct card_value; free with g_ptr_array_unref. */
GPtrArray *card_values_new(void);

/* True for a column of the table that may bring a new key. */
bool card_column_is_new(const struct card *card, const char *region, const char *key);

/* The file for a size of flash; NULL when there is none. */
const struct card_variant *card_variant_for(const struct card_placement *placement,
                                            uint32_t flash_size);
bool card_is_for_flash(const struct card *card, uint32_t flash_size);

/* True when the file is YAML that has 'card:', sound or not. */
bool card_is_one(const char *path);

#endif
