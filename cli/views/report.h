/*
 * The report page: what was done to which board, as one HTML file that needs no network and no
 * script, for the screen, a phone and paper.
 *
 *     struct report *report = report_new();
 *     wry_ledger_each(ledger, &filter, report_take, report, &error);
 *     report_write(report, file, &(struct report_page){.ledger = "ledger.db"});
 *     report_free(report);
 */
#pragma once

#include <stdio.h>

#include "wrytograph-host/lot.h"

struct report;

struct report_page {
    const char *ledger;          /* its name, for the head of the page */
    unsigned refresh;            /* seconds after which a browser loads it again; 0 = never */
    const struct wry_lot *state; /* the lot of a card, with its number of boards; NULL = none */
};

void report_write(const struct report *report, FILE *to, const struct report_page *page);
