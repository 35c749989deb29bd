/*
 * The ledger: the record of what was done to which board, one row per run.
 *
 * It is an SQLite file of the user, or a PostgreSQL database that several benches share. A row for
 * a server is first stored in a file on this computer and then sent; it is identified by a UUID
 * (RFC 9562). So nothing is lost while the server cannot be reached, and nothing is stored twice.
 *
 *     struct wry_ledger *ledger = wry_ledger_open(NULL, &error);
 *     struct wry_ledger_filter filter = {.board = "02:1A:00:00:00:01", .most = 20};
 *     g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, &error);
 *     wry_ledger_close(ledger);
 *
 * All calls may be used by several threads at once.
 */
#ifndef WRYTOGRAPH_HOST_LEDGER_H
#define WRYTOGRAPH_HOST_LEDGER_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* One run. Texts may be NULL (unknown), except id, kind, began and outcome. Times are UTC, ISO
 * 8601; digests are hexadecimal. */
struct wry_ledger_run {
    char *id;   /* UUID */
    char *kind; /* "card", "write", "settings", "restore", "erase", "backup", "label" */
    char *began, *ended;
    char *computer, *username;
    char *program; /* version of this program */
    char *link;
    char *board; /* EUI-48 */
    char *chip;
    int64_t flash; /* bytes; 0 = not known */
    char *card, *card_version, *card_sha256;
    char *kit_sha256, *signer; /* the kit it came from, and the public key it was signed with */
    char *outcome;     /* "running", "passed", "done before", "failed", "refused" if that was before
                          anything was changed, "stopped", or "cut" for a process that ended without a
                          result */
    int64_t exit_code; /* -1 = none yet */
    char *failed_at, *reason; /* the step that failed, and why */
    double seconds;
    int64_t bytes;     /* bytes of content, written or read */
    char *steps;       /* JSON: [{"step", "outcome", "seconds", "bytes"}] */
    char *contents;    /* JSON: [{"region", "offset", "length", "file", "sha256", "version"}] */
    char *heard;       /* the last lines that the board printed */
    char *backup_file; /* the backup made by this run, or known before */
    char *backup_sha256;
    char *lot;       /* the lot of a card that it belongs to */
    int64_t lot_row; /* line of the board's row in the table of boards; -1 = none */
    char *name;      /* who the board is, by that row: "gauge 12, pier C" */
    char *operator_; /* who did it, if that was given */
    char *firmware;  /* name and version of the application that was, or was to be, written */
    char *advice;    /* after a failure: what to do */
};

void wry_ledger_run_free(struct wry_ledger_run *run);

/* Free with wry_ledger_run_free. */
struct wry_ledger_run *wry_ledger_run_copy(const struct wry_ledger_run *run);

/* The members of a run in the order of an export. */
enum wry_ledger_type {
    WRY_LEDGER_TEXT,
    WRY_LEDGER_TIME,
    WRY_LEDGER_JSON,
    WRY_LEDGER_NUMBER, /* int64_t */
    WRY_LEDGER_REAL,
};

struct wry_ledger_column {
    const char *name;
    enum wry_ledger_type type;
    size_t offset; /* in struct wry_ledger_run */
};

/* The n-th column, counting from 0; NULL past the last one. */
const struct wry_ledger_column *wry_ledger_column_at(size_t n);

/* The value as text; NULL if unknown. Free with g_free. */
char *wry_ledger_run_value(const struct wry_ledger_run *run,
                           const struct wry_ledger_column *column);

struct wry_ledger;

/*
 * Opens a ledger. address: a file, or a PostgreSQL server in libpq's notation: postgresql://… or
 * host=…. NULL: WRYTOGRAPH_LEDGER, else the user's file. Runs of this computer whose process has
 * ended without a result become "cut". A server is not contacted yet. NULL with error if the file
 * cannot be used.
 */
struct wry_ledger *wry_ledger_open(const char *address, GError **error);
void wry_ledger_close(struct wry_ledger *ledger);

/* Its address without a password. */
const char *wry_ledger_name(const struct wry_ledger *ledger);
bool wry_ledger_is_server(const struct wry_ledger *ledger);

enum wry_ledger_latest {
    WRY_LEDGER_EVERY_RUN,
    WRY_LEDGER_LATEST_RUN,      /* the latest run of each board that passed, failed or was cut;
                                   without backups, labels and refused
                                   runs */
    WRY_LEDGER_LATEST_FIRMWARE, /* the latest run of each board that wrote an application */
};

/* Selects runs. NULL and 0 match all. */
struct wry_ledger_filter {
    const char *board, *card, *outcome, *kind;
    const char *since, *until; /* UTC, ISO 8601 or the beginning of it; until is exclusive */
    const char *id;            /* a UUID or the beginning of one */
    unsigned most;             /* at most so many, the latest; 0 = all */
    bool brief;                /* leave steps and heard NULL */
    const char *lot, *firmware;
    enum wry_ledger_latest latest; /* a run that the other members leave out still counts as later
                                    */
};

/* Receives one run after another, the latest first. Returning false ends the query. */
typedef bool (*wry_ledger_take)(void *context, const struct wry_ledger_run *run);

/* Queries the server, if it is one, and the rows that wait here. */
bool wry_ledger_each_of(struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                        size_t size, wry_ledger_take take, void *context, GError **error);
static inline bool wry_ledger_each(struct wry_ledger *ledger,
                                   const struct wry_ledger_filter *filter, wry_ledger_take take,
                                   void *context, GError **error)
{
    return wry_ledger_each_of(ledger, filter, sizeof *filter, take, context, error);
}

/* The same as an array of struct wry_ledger_run; free with g_ptr_array_unref. NULL with error. */
GPtrArray *wry_ledger_list_of(struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                              size_t size, GError **error);
static inline GPtrArray *wry_ledger_list(struct wry_ledger *ledger,
                                         const struct wry_ledger_filter *filter, GError **error)
{
    return wry_ledger_list_of(ledger, filter, sizeof *filter, error);
}

enum wry_ledger_field {
    WRY_LEDGER_BOARDS,
    WRY_LEDGER_CARDS,
    WRY_LEDGER_LOTS,
    WRY_LEDGER_FIRMWARES,
};

/*
 * The different values that a field has in the ledger, sorted, as strings; free with
 * g_ptr_array_unref. part: only those that contain this text, in any case; for boards, these
 * hexadecimal digits, with or without colons. NULL: all. most: at most so many; 0 = all. NULL with
 * error.
 */
GPtrArray *wry_ledger_values(struct wry_ledger *ledger, enum wry_ledger_field field,
                             const char *part, unsigned most, GError **error);

/*
 * Frees the row of a table of boards that the ledger's server assigned to a board (EUI-48), so that
 * another board can get it. *row is its line in the table. False with error, also if the board has
 * no row in the lot or the ledger is a file.
 */
bool wry_ledger_release_row(struct wry_ledger *ledger, const char *lot, const char *board,
                            unsigned *row, GError **error);

/* Records that labels were made for the boards of these runs (struct wry_ledger_run): a run of kind
 * "label" for each. False with error. */
bool wry_ledger_add_labels(struct wry_ledger *ledger, const GPtrArray *runs, GError **error);

/* The number of rows that wait for the server; -1 on error. */
int wry_ledger_waiting(struct wry_ledger *ledger);

/* Why the last attempt to send rows failed; NULL if none has failed in this process. Free with
 * g_free. */
char *wry_ledger_problem(struct wry_ledger *ledger);

/* True if rows have been sent unencrypted to another computer. */
bool wry_ledger_is_exposed(const struct wry_ledger *ledger);

/* A row that the server rejected. */
struct wry_ledger_refusal {
    char *id, *reason; /* reason: in the server's words */
    bool goes_out;     /* the next run sends it again; otherwise only wry_ledger_send does */
};
/* struct wry_ledger_refusal; free with g_ptr_array_unref. NULL with the reason. */
GPtrArray *wry_ledger_refusals(struct wry_ledger *ledger, GError **error);

/* Sends waiting and rejected rows for as long as the server accepts some. False with error if any
 * row is left. */
bool wry_ledger_send(struct wry_ledger *ledger, GError **error);

/* Rows of this computer that wait for a server with another address. */
struct wry_ledger_outbox {
    char *path;
    char *server; /* its address without user and password; NULL for one made by an older version */
    unsigned waiting;
};
/* Those with rows, as struct wry_ledger_outbox; free with g_ptr_array_unref. NULL with error. */
GPtrArray *wry_ledger_other_outboxes(struct wry_ledger *ledger, GError **error);
/* True if name is the outbox's server address, the server's name, or the outbox's path. */
bool wry_ledger_outbox_is(const struct wry_ledger_outbox *outbox, const char *name);
/* Sends its rows to this ledger, or moves them into it if it is a file. Fails like
 * wry_ledger_send. */
bool wry_ledger_send_from(struct wry_ledger *ledger, const struct wry_ledger_outbox *from,
                          GError **error);

#ifdef __cplusplus
}
#endif

#endif
