/*
 * Times as people read and write them: local, with the zone. With TZ=UTC (--utc) they are those of
 * UTC.
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

/* "2026-11-29 14:05:09 CET" for a time of the ledger (UTC, ISO 8601); "" for NULL. A text that is
 * no time is returned as it is. Free with g_free. */
char *times_local(const char *utc);
/* "2026-11-29", the local day. */
char *times_day(const char *utc);

/*
 * A period in words: a day (2026-11-29), a time of it (2026-11-29 14:05), today, yesterday, "this
 * week", "last week", "this month", "last month", or "3 days ago" (also minutes, hours, weeks).
 * begin and end are in the ledger's form; the end is exclusive. Free with g_free. False if it is
 * none of these.
 */
bool times_period(const char *text, char **begin, char **end);
