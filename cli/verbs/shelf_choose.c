/* shelf choose. */
#include "shelf_choose.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "verbs.h"
#include "views/explain.h"
#include "views/table.h"
#include "wrytograph-host/shelf.h"

/* An image that fits, and its region. */
struct offer {
    const struct wry_shelf_item *item;
    const struct wry_region *region;
};

/* What the region has now; free with g_free. */
static char *content_of(const struct wry_identity *identity, const struct wry_region *region)
{
    for (guint i = 0; identity->contents && i < identity->contents->len; i++) {
        const struct wry_content_of *content = g_ptr_array_index(identity->contents, i);
        if (content->region.offset != region->offset)
            continue;
        return g_strdup(content->holds == WRY_HOLDS_PROGRAM ? content->header.version
                        : content->holds == WRY_HOLDS_TABLE ? "a region table"
                        : content->holds == WRY_HOLDS_BLANK ? "blank"
                                                            : "other content");
    }
    return g_strdup("-");
}

/* By region; the shelf lists the newest version of a name first. */
static int by_region(const void *a, const void *b)
{
    const struct offer *x = a, *y = b;

    return (x->region->offset > y->region->offset) - (x->region->offset < y->region->offset);
}

static GArray *find_offers(const GPtrArray *items, const struct wry_identity *identity)
{
    GArray *offers = g_array_new(FALSE, FALSE, sizeof(struct offer));

    for (guint i = 0; i < items->len; i++) {
        struct offer offer = {g_ptr_array_index(items, i), NULL};
        if (wry_shelf_judge(offer.item, identity->chip, identity->board.capacity,
                            &identity->layout.table, &offer.region) == WRY_SHELF_FITS)
            g_array_append_val(offers, offer);
    }
    g_array_sort(offers, by_region);
    return offers;
}

static void print_offers(const struct app *app, const GArray *offers,
                         const struct wry_identity *identity)
{
    struct table *table =
        table_new(app, "number", "image", "version", "for region", "on the board now", NULL);

    table_right(table, 0);
    for (guint i = 0; i < offers->len; i++) {
        const struct offer *offer = &g_array_index(offers, struct offer, i);
        g_autofree char *number = g_strdup_printf("%u", i + 1);
        g_autofree char *now = content_of(identity, offer->region);
        table_row(table, number, offer->item->name, offer->item->version, offer->region->name, now,
                  NULL);
    }
    table_end(table, false);
}

/* The number that was typed; 0 for none. */
static unsigned ask(void)
{
    char line[32] = "";
    unsigned number = 0;
    char rest;

    printf("Write which? Its number, or Enter for none: ");
    fflush(stdout);
    if (!fgets(line, sizeof line, stdin) || sscanf(line, "%9u %c", &number, &rest) != 1)
        return 0;
    return number;
}

/* The same as 'write REGION=shelf:NAME VERSION'. */
static int write_it(struct app *app, const struct offer *offer, const GPtrArray *items)
{
    g_autofree char *title = wry_shelf_item_title(offer->item, items);
    char *argument = g_strdup_printf("%s=shelf:%s", offer->region->name, title);
    g_autofree void *values = g_malloc0(verb_write.size);

    station_leave(app);
    g_strfreev(app->rest);
    app->rest = g_new0(char *, 2);
    app->rest[0] = argument;
    app->verb = &verb_write;
    app_note(app, "wrytograph write \"%s\"", argument);
    return verb_write.run(app, values);
}

static int choose(struct app *app, const GArray *offers, const GPtrArray *items,
                  const struct wry_identity *identity)
{
    if (offers->len == 0)
        return app_fail(app, EXIT_WRONG,
                        "'wrytograph shelf list' with --link shows why the others do not.",
                        "no image of the shelf fits this board");
    print_offers(app, offers, identity);
    unsigned number = ask();
    if (number == 0) {
        app_print(app, "Nothing was written.");
        return EXIT_DONE;
    }
    if (number > offers->len)
        return app_fail(app, EXIT_USAGE, "Nothing was changed.", "there is no image %u in the list",
                        number);
    return write_it(app, &g_array_index(offers, struct offer, number - 1), items);
}

int shelf_choose(struct app *app)
{
    struct wry_identity identity = {0};
    GError *error = NULL;
    int code;

    if (!isatty(STDIN_FILENO) || app->json_wanted)
        return app_fail(app, EXIT_USAGE, "Use 'shelf list' and 'write REGION=shelf:NAME' there.",
                        "'shelf choose' asks at a terminal");
    code = station_make(app);
    if (code == EXIT_DONE)
        code = station_conclude(app, wry_station_identify(app->station, false, &identity));
    if (code == EXIT_DONE) {
        g_autoptr(GPtrArray) items = wry_shelf_items(NULL, &error);
        g_autoptr(GArray) offers = items ? find_offers(items, &identity) : NULL;
        code = offers ? choose(app, offers, items, &identity) : explain_error(app, error);
    }
    wry_identity_clear(&identity);
    return code;
}
