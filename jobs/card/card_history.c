/* Earlier runs of a card on a board, from the ledger. */
#include "jobs/card/card_history.h"

#include <string.h>

struct search {
    const struct card *card;
    const char *own;
    struct card_history *earlier;
    bool any;
};

/* A run that ended before it changed the board, or was on another one, left nothing. */
static bool changed_anything(const struct wry_ledger_run *run)
{
    return strcmp(run->outcome, "refused") != 0 && run->steps &&
           (strstr(run->steps, "\"erase\"") || strstr(run->steps, "\"write\"") ||
            strcmp(run->outcome, "passed") == 0);
}

static bool take(void *context, const struct wry_ledger_run *run)
{
    struct search *search = context;
    struct card_history *earlier = search->earlier;
    bool passed = strcmp(run->outcome, "passed") == 0;

    /* The ledger takes names in any case for the same. */
    if (g_strcmp0(run->id, search->own) == 0 || g_strcmp0(run->card, search->card->name) != 0 ||
        g_strcmp0(run->card_version, search->card->version) != 0)
        return true;
    if (!changed_anything(run))
        return true;
    if (!search->any && !passed) {
        earlier->cut = true;
        earlier->backup = g_strdup(run->backup_file);
    }
    search->any = true;
    earlier->passed += passed;
    if (passed && !earlier->last)
        earlier->last = g_strdup(run->ended);
    return true;
}

bool card_history_find(struct wry_ledger *ledger, const struct card *card, const char *board,
                       const char *own, struct card_history *earlier, GError **error)
{
    struct wry_ledger_filter filter = {.board = board, .card = card->name, .kind = "card"};
    struct search search = {.card = card, .own = own, .earlier = earlier};

    return wry_ledger_each(ledger, &filter, take, &search, error);
}

struct lot_search {
    const char *own;
    enum card_lot_state state;
    char *when;
};

static bool take_of_lot(void *context, const struct wry_ledger_run *run)
{
    struct lot_search *search = context;

    if (g_strcmp0(run->id, search->own) == 0 || strcmp(run->outcome, "refused") == 0)
        return true;
    bool done = strcmp(run->outcome, "passed") == 0 || strcmp(run->outcome, "done before") == 0;
    search->state = done ? CARD_LOT_DONE : CARD_LOT_FAILED;
    search->when = done ? g_strdup(run->ended) : NULL;
    return false;
}

static bool take_silent(void *context, const struct wry_ledger_run *run)
{
    bool *any = context;

    *any = *any || !run->board;
    return !*any;
}

bool card_history_in_lot(struct wry_ledger *ledger, const char *lot, const char *board,
                         const char *own, enum card_lot_state *state, char **when, GError **error)
{
    struct wry_ledger_filter filter = {.board = board, .lot = lot, .kind = "card", .brief = true};
    struct wry_ledger_filter silent = {
        .outcome = "failed", .lot = lot, .kind = "card", .brief = true};
    struct lot_search search = {.own = own, .state = CARD_LOT_NEW};
    bool any = false;

    bool good = wry_ledger_each(ledger, &filter, take_of_lot, &search, error);
    if (good && search.state == CARD_LOT_NEW)
        good = wry_ledger_each(ledger, &silent, take_silent, &any, error);
    *state = any ? CARD_LOT_FAILED : search.state;
    *when = search.when;
    return good;
}

void card_history_clear(struct card_history *earlier)
{
    g_free(earlier->last);
    g_free(earlier->backup);
    *earlier = (struct card_history){0};
}
