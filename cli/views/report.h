/*
 * The report page: what was done to which board, as one HTML file that needs no network and no
 * script, for the screen, a phone and paper.
 *
 *     struct report *report = report_new();
 *     wry_ledger_each(ledger, &filter, report_take, report, &error);
 *     report_write(report, file, "ledger.db");
 *     report_free(report);
 */
#pragma once

#include <stdio.h>

struct report;

/* ledger: its name, for the head of the page. */
void report_write(const struct report *report, FILE *to, const char *ledger);
