/* Times and periods. */
#include "times.h"

#include <stdio.h>
#include <string.h>

static GDateTime *parse(const char *utc)
{
    g_autoptr(GTimeZone) zone = g_time_zone_new_utc();
    g_autoptr(GDateTime) time = utc ? g_date_time_new_from_iso8601(utc, zone) : NULL;

    return time ? g_date_time_to_local(time) : NULL;
}

char *times_local(const char *utc)
{
    g_autoptr(GDateTime) time = parse(utc);

    return time ? g_date_time_format(time, "%Y-%m-%d %H:%M:%S %Z") : g_strdup(utc ? utc : "");
}

char *times_day(const char *utc)
{
    g_autoptr(GDateTime) time = parse(utc);

    return time ? g_date_time_format(time, "%Y-%m-%d") : g_strndup(utc ? utc : "", 10);
}

static char *in_ledger(GDateTime *time)
{
    g_autoptr(GDateTime) utc = g_date_time_to_utc(time);

    return g_date_time_format(utc, "%Y-%m-%dT%H:%M:%SZ");
}

static GDateTime *midnight(GDateTime *of)
{
    return g_date_time_new_local(g_date_time_get_year(of), g_date_time_get_month(of),
                                 g_date_time_get_day_of_month(of), 0, 0, 0);
}

static GDateTime *add_days(GDateTime *day, int days)
{
    g_autoptr(GDateTime) moved = g_date_time_add_days(day, days);

    return midnight(moved);
}

static GDateTime *first_of_month(GDateTime *day, int months)
{
    g_autoptr(GDateTime) first = g_date_time_add_days(day, 1 - g_date_time_get_day_of_month(day));
    g_autoptr(GDateTime) moved = g_date_time_add_months(first, months);

    return midnight(moved);
}

/* The periods that have a name; NULL for others. */
static GDateTime *named(const char *text, GDateTime *now, GDateTime **end)
{
    g_autoptr(GDateTime) today = midnight(now);
    int monday = 1 - g_date_time_get_day_of_week(today);
    bool last = g_str_has_prefix(text, "last ");

    if (strcmp(text, "today") == 0 || strcmp(text, "yesterday") == 0) {
        int day = text[0] == 't' ? 0 : -1;
        *end = add_days(today, day + 1);
        return add_days(today, day);
    }
    if (strcmp(text, "this week") == 0 || strcmp(text, "last week") == 0) {
        *end = add_days(today, monday + (last ? 0 : 7));
        return add_days(today, monday - (last ? 7 : 0));
    }
    if (strcmp(text, "this month") == 0 || strcmp(text, "last month") == 0) {
        *end = first_of_month(today, last ? 0 : 1);
        return first_of_month(today, last ? -1 : 0);
    }
    return NULL;
}

/* "3 days ago"; NULL for another text. */
static GDateTime *ago(const char *text, GDateTime *now)
{
    static const struct {
        const char *name;
        GTimeSpan span;
    } units[] = {{"minute", G_TIME_SPAN_MINUTE},
                 {"hour", G_TIME_SPAN_HOUR},
                 {"day", G_TIME_SPAN_DAY},
                 {"week", 7 * G_TIME_SPAN_DAY}};
    char unit[8] = "";
    unsigned n = 0;
    int used = 0;

    if (sscanf(text, "%5u %7[a-z] ago%n", &n, unit, &used) != 2 || used == 0 || text[used] != '\0')
        return NULL;
    for (size_t i = 0; i < G_N_ELEMENTS(units); i++) {
        size_t length = strlen(units[i].name);
        if (strncmp(unit, units[i].name, length) == 0 &&
            (unit[length] == '\0' || strcmp(unit + length, "s") == 0))
            return g_date_time_add(now, -(GTimeSpan)n * units[i].span);
    }
    return NULL;
}

/* A day, or a time of one; NULL for another text. */
static GDateTime *dated(const char *text, GDateTime **end)
{
    int year = 0, month = 0, day = 0, hour = 0, minute = 0, used = 0;
    bool is_day = sscanf(text, "%4d-%2d-%2d%n", &year, &month, &day, &used) == 3;
    bool has_time = is_day && text[used] != '\0';
    int rest = 0;

    if (!is_day || (has_time && (sscanf(text + used, " %2d:%2d%n", &hour, &minute, &rest) != 2 ||
                                 text[used + rest] != '\0')))
        return NULL;
    GDateTime *begin = g_date_time_new_local(year, month, day, hour, minute, 0);
    if (begin)
        *end = has_time ? g_date_time_add_minutes(begin, 1) : add_days(begin, 1);
    return begin;
}

bool times_period(const char *text, char **begin, char **end)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *lower = g_ascii_strdown(text, -1);
    g_autoptr(GDateTime) last = NULL;
    g_autoptr(GDateTime) first = named(g_strstrip(lower), now, &last);

    if (!first)
        first = dated(lower, &last);
    if (!first) {
        first = ago(lower, now);
        last = first ? g_date_time_ref(first) : NULL;
    }
    if (!first)
        return false;
    *begin = in_ledger(first);
    *end = in_ledger(last);
    return true;
}
