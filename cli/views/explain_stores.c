/* Problems of settings, the shelf and backups as sentences. */
#include "base/units.h"
#include "explain.h"
#include "store/file/error.h"

static bool explain_settings(struct app *app, const struct wry_problem *p)
{
    static const char keep_first[] =
        "Nothing was changed. 'wrytograph backup' first; or say --without-backup if that is meant "
        "to go.";
    g_autofree char *board = units_address(p->address);
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_SETTINGS_ROOM:
        app_fail(app, code,
                 p->expected == 0
                     ? "Nothing was changed. A settings block needs two sectors, one for each copy."
                     : "Nothing was changed. Take settings out, or make the region larger.",
                 "%s: its settings block takes %" G_GUINT64_FORMAT
                 " bytes, a copy in region '%s' has room for %" G_GUINT64_FORMAT,
                 p->subject, p->found, p->region.name, p->expected);
        return true;
    case WRY_PROBLEM_NO_SETTINGS: {
        g_autofree char *next = g_strdup_printf(
            "Nothing was changed. Write all settings from a file: %s=FILE.yaml.", p->region.name);
        app_fail(app, code, next, "region '%s' holds %s settings block", p->region.name,
                 p->found > 0 ? "a damaged" : "no");
        return true;
    }
    case WRY_PROBLEM_NO_BLOCKS:
        app_fail(app, code,
                 "Nothing was changed. Write all settings from a file: REGION=FILE.yaml.",
                 "no region of this board holds a settings block");
        return true;
    case WRY_PROBLEM_MANY_BLOCKS: {
        g_autofree char *names = g_strjoinv(", ", p->names);
        g_autofree char *next = g_strdup_printf("Say --set %s/KEY=VALUE.", p->names[0]);
        app_fail(app, code, next, "several regions hold a settings block: %s", names);
        return true;
    }
    case WRY_PROBLEM_BAD_SETTING: {
        bool unknown = g_error_matches(p->cause, STORE_ERROR, STORE_ERROR_NONE);
        g_autofree char *next =
            unknown ? g_strdup_printf("Nothing was changed. 'wrytograph identify' lists what the "
                                      "board has; for a new one say --set-new %s=VALUE, in a card "
                                      "set-new.",
                                      p->subject)
                    : g_strdup("Nothing was changed.");
        app_fail(app, code, next, "--set: %s", p->cause->message);
        return true;
    }
    case WRY_PROBLEM_NOT_SETTINGS: {
        g_autofree char *next = g_strdup_printf(
            "Nothing was changed. Give it a settings file: %s=FILE.yaml (docs/settings-block.md). "
            "If the firmware keeps something else there, say --any-content.",
            p->region.name);
        app_fail(app, code, next, "%s holds no settings, and region '%s' is for them", p->subject,
                 p->region.name);
        return true;
    }
    case WRY_PROBLEM_SETTINGS_LOST: {
        g_autofree char *names = g_strjoinv("\n  ", p->names);
        g_autofree char *next = g_strdup_printf("  %s\n%s", names, keep_first);
        app_fail(app, code, next,
                 "these settings in region '%s' would be gone, and no known backup of board %s "
                 "holds them",
                 p->region.name, board);
        return true;
    }
    case WRY_PROBLEM_CONTENT_LOST:
        app_fail(app, code, keep_first,
                 "the content of region '%s' would be gone, and no known backup of board %s holds "
                 "it",
                 p->region.name, board);
        return true;
    default:
        return false;
    }
}

static bool explain_shelf(struct app *app, const struct wry_problem *p)
{
    g_autofree char *names = p->names ? g_strjoinv("\n  ", p->names) : NULL;
    g_autofree char *list =
        names && names[0] ? g_strconcat("\n  ", names, NULL) : g_strdup(" nothing");
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_SHELF_NONE: {
        g_autofree char *next = g_strdup_printf("On it are:%s", list);
        app_fail(app, code, next, "there is no '%s' on the shelf", p->subject);
        return true;
    }
    case WRY_PROBLEM_SHELF_MANY: {
        g_autofree char *next =
            g_strdup_printf("Say which, such as 'shelf:%s', or 'wrytograph shelf prefer' one:%s",
                            p->names ? p->names[0] : "", list);
        app_fail(app, code, next, "several of '%s' on the shelf fit this board", p->subject);
        return true;
    }
    case WRY_PROBLEM_SHELF_UNFIT: {
        g_autofree char *next = g_strdup_printf(
            "Nothing was changed. 'wrytograph shelf list --link …' says why not. There are:%s",
            list);
        app_fail(app, code, next, "none of '%s' on the shelf fits this board", p->subject);
        return true;
    }
    default:
        return false;
    }
}

static bool explain_backups(struct app *app, const struct wry_problem *p)
{
    g_autofree char *theirs = units_address(p->address);
    g_autofree char *ours = units_address(p->found_address);
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_NO_BACKUP: {
        g_autofree char *part =
            p->other ? g_strdup_printf(" (of parts there is %s)", p->other) : g_strdup("");
        app_fail(app, code,
                 "Nothing was changed. What this board holds of its own (calibration, identity) "
                 "would be gone: 'wrytograph backup' first. If there is nothing to lose, say "
                 "--without-backup.",
                 "no backup of all of board %s is known%s", theirs, part);
        return true;
    }
    case WRY_PROBLEM_BACKUPS_UNREAD:
        app_fail(app, code,
                 "Nothing was changed. Mend that, or say --without-backup if there is nothing to "
                 "lose.",
                 "whether there is a backup of this board is not known: %s", p->cause->message);
        return true;
    case WRY_PROBLEM_FOREIGN_SETTINGS:
        app_fail(app, code,
                 "Nothing was changed. Calibration and identity belong to one board.\nIf that is "
                 "what you want, say --from-another-board.",
                 "%s holds region '%s' of board %s, this is board %s", p->subject, p->region.name,
                 theirs, ours);
        return true;
    default:
        return false;
    }
}

bool explain_stores(struct app *app, const struct wry_problem *p)
{
    return explain_settings(app, p) || explain_shelf(app, p) || explain_backups(app, p);
}
