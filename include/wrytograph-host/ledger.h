/*
 * The ledger: the record of what was done to which board, one row a run.
 *
 * It is an SQLite file of the user, or a PostgreSQL database that several benches share. For a
 * server, each row goes first into a file on this computer and then out, known by a UUID (RFC
 * 9562), so that a server that cannot be reached loses nothing and nothing is there twice.
 *
 *     struct wry_ledger *ledger = wry_ledger_open(NULL, &error);
 *     struct wry_ledger_filter filter = {.board = "02:1A:00:00:00:01", .most = 20};
 *     g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, &error);
 *     wry_ledger_close(ledger);
 *
 * All calls may come from several threads at once.
 */
#ifndef WRYTOGRAPH_HOST_LEDGER_H
#define WRYTOGRAPH_HOST_LEDGER_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* One run. Texts are NULL where nothing is known, but for id, kind, began and outcome; times are
 * UTC, ISO 8601; digests hexadecimal. */
struct wry_ledger_run {
    char *id;   /* UUID */
    char *kind; /* "card", "write", "restore", "erase", "backup" */
    char *began, *ended;
    char *computer, *username;
    char *program; /* version of this program */
    char *link;
    char *board; /* EUI-48 */
    char *chip;
    int64_t flash; /* bytes; 0 = not known */
    char *card, *card_version, *card_sha256;
    char *kit_sha256, *signer; /* the kit it came from, and the public key it was signed with */
    char *outcome;             /* "running", "passed", "failed", "stopped"; "cut": it never said */
    int64_t exit_code;         /* -1 = none yet */
    char *failed_at, *reason;  /* the step, and why in words */
    double seconds;
    int64_t bytes;     /* of content, written or read */
    char *steps;       /* JSON: [{"step", "outcome", "seconds", "bytes"}] */
    char *contents;    /* JSON: [{"region", "offset", "length", "file", "sha256", "version"}] */
    char *heard;       /* the last lines that the board said */
    char *backup_file; /* made by this run, or known before it */
    char *backup_sha256;
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

/* The n-th, counting from 0; NULL past the last. */
const struct wry_ledger_column *wry_ledger_column_at(size_t n);

/* As text; NULL for what is not known. Free with g_free. */
char *wry_ledger_run_value(const struct wry_ledger_run *run,
                           const struct wry_ledger_column *column);

struct wry_ledger;

/*
 * address: a file, or a PostgreSQL server, as libpq takes it: postgresql://… or host=…. NULL:
 * WRYTOGRAPH_LEDGER, else the user's file. Runs of this computer whose process has ended without a
 * word become "cut". A server is not spoken to yet. NULL with the reason when the file cannot be
 * used.
 */
struct wry_ledger *wry_ledger_open(const char *address, GError **error);
void wry_ledger_close(struct wry_ledger *ledger);

/* What it is called, without a password. */
const char *wry_ledger_name(const struct wry_ledger *ledger);
bool wry_ledger_is_server(const struct wry_ledger *ledger);

/* What is looked for; NULL and 0 are any. */
struct wry_ledger_filter {
    const char *board, *card, *outcome, *kind;
    const char *since, *until; /* UTC, ISO 8601 or the beginning of it; until is left out itself */
    const char *id;            /* or the beginning of it */
    unsigned most;             /* the latest so many; 0 = all */
    bool brief;                /* steps and heard are left NULL */
};

/* Hands over one after another, the latest first; ends early when it returns false. */
typedef bool (*wry_ledger_take)(void *context, const struct wry_ledger_run *run);

/* Of the server, if it is one, and of what waits here. */
bool wry_ledger_each(struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                     wry_ledger_take take, void *context, GError **error);

/* struct wry_ledger_run; free with g_ptr_array_unref. NULL with the reason. */
GPtrArray *wry_ledger_list(struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                           GError **error);

/* Rows that wait for the server. -1 when that cannot be told. */
int wry_ledger_waiting(struct wry_ledger *ledger);

/* Why rows wait: what the last attempt to send them ended with. NULL if none has failed in this
 * process; free with g_free. */
char *wry_ledger_problem(struct wry_ledger *ledger);

/* True if rows were seen to go to another computer unencrypted. */
bool wry_ledger_is_exposed(const struct wry_ledger *ledger);

/* A row that the server did not take. */
struct wry_ledger_refusal {
    char *id, *reason; /* reason: in the server's words */
    bool goes_out;     /* with the next run; otherwise it was set aside until wry_ledger_send */
};
/* struct wry_ledger_refusal; free with g_ptr_array_unref. NULL with the reason. */
GPtrArray *wry_ledger_refusals(struct wry_ledger *ledger, GError **error);

/* Sends what waits and what was set aside, for as long as rows advance. False with the reason when
 * something still waits. */
bool wry_ledger_send(struct wry_ledger *ledger, GError **error);

/* Rows of this computer that wait for a server under another address than the ledger's. */
struct wry_ledger_outbox {
    char *path;
    char *server; /* without user and password; NULL if an older version made it */
    unsigned waiting;
};
/* struct wry_ledger_outbox, those with rows; free with g_ptr_array_unref. NULL with the reason. */
GPtrArray *wry_ledger_other_outboxes(struct wry_ledger *ledger, GError **error);
/* True if name is that server's address as it was written, its name, or the outbox's path. */
bool wry_ledger_outbox_is(const struct wry_ledger_outbox *outbox, const char *name);
/* Sends its rows to this ledger, or moves them there if it is a file. False as wry_ledger_send. */
bool wry_ledger_send_from(struct wry_ledger *ledger, const struct wry_ledger_outbox *from,
                          GError **error);

#ifdef __cplusplus
}
#endif

#endif
