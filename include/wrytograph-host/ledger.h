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

struct wry_ledger;

/*
 * address: a file, or postgresql://… (RFC 3986, as libpq takes it). NULL: WRYTOGRAPH_LEDGER, else
 * the user's file. Runs of this computer whose process has ended without a word become "cut". A
 * server is not spoken to yet. NULL with the reason when the file cannot be used.
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

/* Sends what waits; time: us that it may take. False with the reason when something still waits. */
bool wry_ledger_send(struct wry_ledger *ledger, uint64_t time, GError **error);

#ifdef __cplusplus
}
#endif

#endif
