/*
 * A bench that writes so many runs to the ledger and does nothing else. Prints the longest time
 * that it waited for one, in ms; the exit code is 0 when every run was taken.
 *
 * usage: ledger_writer RUNS
 */
#include <stdio.h>
#include <stdlib.h>

#include "store/ledger/ledger.h"

int main(int argc, char **argv)
{
    unsigned long runs = argc == 2 ? strtoul(argv[1], NULL, 10) : 0;
    g_autoptr(GError) error = NULL;
    struct wry_ledger *ledger = wry_ledger_open(NULL, &error);
    gint64 longest = 0;
    bool good = ledger != NULL;

    for (unsigned long i = 0; i < runs && good; i++) {
        struct wry_ledger_run *run = ledger_run_new("card");
        gint64 begun = g_get_monotonic_time();
        good = ledger_note(ledger, run, true, &error);
        g_free(run->outcome);
        run->outcome = g_strdup("passed");
        run->ended = ledger_now();
        good = good && ledger_end(ledger, run, &error);
        longest = MAX(longest, g_get_monotonic_time() - begun);
        wry_ledger_run_free(run);
    }
    if (error)
        fprintf(stderr, "%s\n", error->message);
    printf("%.0f\n", (double)longest / 1000);
    wry_ledger_close(ledger);
    return good ? 0 : 1;
}
