/* The content of the report page, collected from runs. */
#pragma once

#include <stdbool.h>

#include "wrytograph-host/ledger.h"

/* A card on one day, or work without a card. */
struct report_day {
    char *day, *what; /* "2026-11-29", "Pier gauges 3" */
    guint runs, passed, failed, done_before, refused;
    GHashTable *boards;  /* addresses, as a set */
    GHashTable *reasons; /* "at verify: …" to its count */
    GArray *seconds;     /* double, of passed runs */
    char *first, *last;  /* begin of the first, end of the last */
};

/* The content written last at a place. */
struct report_content {
    int64_t offset, length; /* in the flash */
    char *region, *file, *version, *sha256, *time;
};

/* One board, and the latest of its runs. */
struct report_board {
    char *address, *chip;
    char *name; /* who it is, by the latest run that tells; NULL = unknown */
    int64_t flash;
    guint runs, passed, failed;
    GPtrArray *history;            /* struct wry_ledger_run, the latest first, some of them */
    GPtrArray *holds;              /* struct report_content, by offset */
    char *parsed;                  /* contents of the run added last */
    bool holds_all;                /* a later restore has overwritten everything before */
    struct wry_ledger_run *backup; /* the latest run with a backup; NULL = none */
};

/* A computer, and its latest run. */
struct report_bench {
    char *name, *latest, *outcome;
    guint passed, failed;
};

struct report {
    GHashTable *days_by_key, *boards_by_address, *lots_by_name, *benches_by_name;
    GPtrArray *days, *boards, *benches; /* in order of first occurrence */
    GPtrArray *lots;                    /* struct report_lot */
    guint runs, passed, failed, done_before, refused;
    char *from, *until;
};

enum {
    REPORT_HISTORY = 12, /* most runs shown of a board */
};

struct report *report_new(void);
/* A wry_ledger_take; context is the report, runs come the latest first. */
bool report_take(void *report, const struct wry_ledger_run *run);
void report_free(struct report *report);

/* Passed boards per hour, from the first begin to the last end; 0 if unknown. */
double report_throughput(const struct report_day *day);
/* Median of the seconds; 0 if there are none. */
double report_median(const struct report_day *day);
/* The most frequent reason, and its count; NULL if there is none. */
const char *report_reason(const struct report_day *day, guint *count);
