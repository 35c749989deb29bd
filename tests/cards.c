/* A card for the demo's gauges. */
#include "cards.h"

#include <glib.h>
#include <sqlite3.h>

#include "command.h"
#include "harness.h"

void cards_make(const char *lines)
{
    g_autofree char *text = g_strconcat("card: Pier gauges\n"
                                        "version: 3\n"
                                        "chip: turnstone-t2\n"
                                        "flash: [4MiB, 8MiB]\n"
                                        "backup: {when: first, folder: backups}\n"
                                        "erase: [log]\n"
                                        "write:\n"
                                        "  - {region: start, file: start.bin}\n"
                                        "  - {region: table, file: regions.bin}\n"
                                        "  - {file: gauge.bin}\n"
                                        "start:\n"
                                        "  steps:\n"
                                        "    - {expect: gauge ready, within: 10s}\n"
                                        "    - {send: version, expect: tide-gauge 2.3.1}\n",
                                        lines ? lines : "", NULL);

    scratch_text("card.yaml", text);
    scratch_text("pier.yaml", "settings:\n"
                              "  gauge: 1\n"
                              "  pier: A\n"
                              "  datum_mm: -1812\n"
                              "  wifi_key: {env: HARBOUR_WIFI_KEY, secret: true}\n");
}

char *cards_query(const char *query)
{
    sqlite3 *db = NULL;
    sqlite3_stmt *statement = NULL;
    char *value = NULL;

    CHECK(sqlite3_open_v2(g_getenv("WRYTOGRAPH_LEDGER"), &db, SQLITE_OPEN_READONLY, NULL) ==
              SQLITE_OK &&
          sqlite3_prepare_v2(db, query, -1, &statement, NULL) == SQLITE_OK);
    if (statement && sqlite3_step(statement) == SQLITE_ROW)
        value = g_strdup((const char *)sqlite3_column_text(statement, 0));
    sqlite3_finalize(statement);
    sqlite3_close(db);
    return value ? value : g_strdup("");
}

char *cards_ledger(const char *column)
{
    g_autofree char *query =
        g_strdup_printf("SELECT %s FROM run ORDER BY began DESC LIMIT 1", column);

    return cards_query(query);
}
