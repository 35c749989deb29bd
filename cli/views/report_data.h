/* What the report page says, gathered from runs. */
#ifndef WRY_CLI_REPORT_DATA_H
#define WRY_CLI_REPORT_DATA_H

#include <stdbool.h>

#include "wrytograph-host/ledger.h"

/* A card on one day, or what was done without one. */
struct report_day {
    char *day, *what; /* "2026-11-29", "Pier gauges 3" */
    guint runs, passed, failed, done_before;
    GHashTable *boards;  /* addresses, as a set */
    GHashTable *reasons; /* "at verify: …" to how often */
    GArray *seconds;     /* double, of those that passed */
    char *first, *last;  /* when the first began and the last ended */
};

/* What was written last at a place. */
struct report_content {
    int64_t offset, length; /* in the flash */
    char *region, *file, *version, *sha256, *time;
};

/* One board, and the latest of its runs. */
struct report_board {
    char *address, *chip;
    int64_t flash;
    guint runs, passed, failed;
    GPtrArray *history;            /* struct wry_ledger_run, the latest first, some of them */
    GPtrArray *holds;              /* struct report_content, by offset */
    char *parsed;                  /* the contents that were taken in last */
    bool holds_all;                /* what was written before is gone: a restore came after it */
    struct wry_ledger_run *backup; /* the latest that has a backup; NULL = none */
};

struct report {
    GHashTable *days_by_key, *boards_by_address;
    GPtrArray *days, *boards; /* in the order that they were met */
    guint runs, passed, failed, done_before;
    char *from, *until;
};

enum {
    REPORT_HISTORY = 12, /* runs of a board that are shown */
};

struct report *report_new(void);
/* A wry_ledger_take; context is the report, runs come the latest first. */
bool report_take(void *report, const struct wry_ledger_run *run);
void report_free(struct report *report);

/* Boards that passed a card in an hour, by when the first began and the last ended; 0 when that
 * cannot be told. */
double report_throughput(const struct report_day *day);
/* Seconds; 0 without any. */
double report_median(const struct report_day *day);
/* The reason given most often, and how often; NULL without. */
const char *report_reason(const struct report_day *day, guint *count);

#endif
