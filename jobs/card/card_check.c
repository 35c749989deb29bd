/* Finds mistakes in what a card refers to, without a board. It plans the card's write for each
 * flash size, with the same code as a run; after each problem it removes the placement at fault and
 * plans again, until nothing is wrong. */
#include <string.h>

#include "base/diagnostics.h"
#include "jobs/card/card.h"
#include "jobs/plan/described.h"
#include "jobs/plan/plan_build.h"
#include "jobs/plan/settings_edit.h"
#include "store/card/board_rows.h"
#include "store/card/board_table.h"
#include "store/image/settings_file.h"
#include "store/text/csv_table.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"
#include "wrytograph/layout.h"

struct checking {
    const struct wry_card *card;
    void *context;
    GPtrArray *mistakes;
    struct wry_station *station;                  /* has no board */
    const struct settings_description *described; /* NULL: nothing is */
    GHashTable *loaded;                           /* struct loaded, by region */
};

static void complain(const struct checking *c, struct yaml_place at, char *text)
{
    const struct wry_card *card = c->card;
    g_autofree char *file =
        card->kit ? g_strdup_printf("%s (card.yaml)", card->path) : g_strdup(card->path);

    /* A mistake found for several sizes is reported once. */
    for (guint i = 0; i < c->mistakes->len; i++) {
        const struct wry_diagnostic *other = g_ptr_array_index(c->mistakes, i);
        if (other->line == at.line && strcmp(other->text, text) == 0) {
            g_free(text);
            return;
        }
    }
    diagnostics_add(c->mistakes, file, at.line, at.column, text);
}

/* Files and places. */

/* The placement that a problem is about; the first remaining one if it is about none. */
static guint find_placement(const struct checking *c, const struct wry_images_options *options)
{
    const struct wry_problem *problem = wry_station_problem(c->station);

    for (guint i = 0; problem->subject && i < options->image_count; i++) {
        const char *file = options->images[i].file;
        if (strcmp(file, problem->subject) == 0 ||
            (g_str_has_prefix(file, "shelf:") && strcmp(file + 6, problem->subject) == 0) ||
            (options->images[i].place && strcmp(options->images[i].place, problem->subject) == 0))
            return i;
    }
    /* Errors of a file begin with its path. */
    for (guint i = 0; problem->cause && i < options->image_count; i++) {
        if (g_str_has_prefix(problem->cause->message, options->images[i].file))
            return i;
    }
    return G_MAXUINT;
}

static void tell_problem(const struct checking *c, const struct card_placement *placement,
                         const struct card_variant *variant)
{
    g_autofree char *text = wry_problem_sentence(wry_station_problem(c->station));

    complain(c,
             variant     ? variant->at
             : placement ? placement->at
                         : YAML_TEXT_START,
             g_strdup(text));
}

static bool is_for_parts(enum wry_problem_kind kind)
{
    return kind == WRY_PROBLEM_NO_REGION || kind == WRY_PROBLEM_BAD_PART ||
           kind == WRY_PROBLEM_PART_BEYOND;
}

/* The settings file for the region, or the only one; NULL if the board's block is changed. */
static struct settings *load_once(const struct checking *c, const char *region, bool *many)
{
    const struct card *card = c->card->card;
    struct settings *settings = NULL;

    *many = false;
    for (guint i = 0; i < card->placements->len; i++) {
        const struct card_placement *placement = g_ptr_array_index(card->placements, i);
        const struct card_variant *variant =
            placement->variants->len > 0 ? g_ptr_array_index(placement->variants, 0) : NULL;
        if (!variant || !variant->file || !settings_is_file(variant->file) ||
            (region && g_strcmp0(region, placement->place) != 0))
            continue;
        *many = settings != NULL;
        settings_free(settings);
        settings = settings_load(variant->file, NULL);
    }
    return settings;
}

/* What load_once found. */
struct loaded {
    struct settings *settings;
    bool many;
};

static void free_loaded(void *item)
{
    struct loaded *loaded = item;

    settings_free(loaded->settings);
    g_free(loaded);
}

/* A copy of it, which the caller may change: a table has a value for each of thousands of boards.
 */
static struct settings *load_settings(const struct checking *c, const char *region, bool *many)
{
    const char *key = region ? region : "";
    struct loaded *loaded = g_hash_table_lookup(c->loaded, key);

    if (!loaded) {
        loaded = g_new0(struct loaded, 1);
        loaded->settings = load_once(c, region, &loaded->many);
        g_hash_table_insert(c->loaded, g_strdup(key), loaded);
    }
    *many = loaded->many;
    return loaded->settings ? settings_copy(loaded->settings) : NULL;
}

/* Checks a part by the layout of the job, or the chip's usual one. */
static void check_part(const struct checking *c, const struct wry_layout *layout,
                       uint32_t flash_size, const char *part, struct yaml_place at)
{
    struct target target = {.chip = c->card->card->chip,
                            .chip_code = c->card->card->chip->code,
                            .flash_size = flash_size,
                            .layout = *layout};
    uint32_t offset, length;
    struct wry_problem *problem = regions_parse_part(&target, part, &offset, &length);
    bool usual = problem && wry_layout_built_in(&target.layout.table, target.chip, flash_size) &&
                 wry_layout_find(&target.layout.table, part);

    if (problem && !usual && is_for_parts(problem->kind))
        complain(c, at, wry_problem_sentence(problem));
    problem_free(problem);
}

/* Settings for the board's block have no target if that block is erased first. */
static void check_erased_settings(const struct checking *c, const struct wry_layout *layout,
                                  uint32_t flash_size, const char *part)
{
    const struct card *card = c->card->card;
    struct target target = {.chip = card->chip,
                            .chip_code = card->chip->code,
                            .flash_size = flash_size,
                            .layout = *layout};
    uint32_t offset, length;
    bool many;
    struct settings *settings = load_settings(c, NULL, &many);
    bool needs_old = !settings && (card->values->len > 0 || card->table);
    struct wry_problem *problem =
        needs_old ? regions_parse_part(&target, part, &offset, &length) : NULL;

    settings_free(settings);
    if (!needs_old || problem) {
        problem_free(problem);
        return;
    }
    for (uint32_t i = 0; i < layout->table.count; i++) {
        const struct wry_region *region = &layout->table.regions[i];
        if (region->kind == WRY_REGION_SETTINGS && region->offset < (uint64_t)offset + length &&
            offset < (uint64_t)region->offset + region->length)
            complain(c, card->erase_at,
                     g_strdup_printf("'%s' erases region '%s', whose settings '%s' changes: write "
                                     "all of them from a file, or take it out of 'erase'",
                                     part, region->name, card->table ? "boards" : "set"));
    }
}

static void check_parts(const struct checking *c, const struct wry_layout *layout,
                        uint32_t flash_size)
{
    const struct card *card = c->card->card;

    for (char **part = card->erase; part && *part; part++) {
        check_part(c, layout, flash_size, *part, card->erase_at);
        check_erased_settings(c, layout, flash_size, *part);
    }
    for (guint i = 0; i < card->holds->len; i++) {
        const struct card_value *hold = g_ptr_array_index(card->holds, i);
        check_part(c, layout, flash_size, hold->region, hold->at);
    }
}

/* Plans repeatedly; see the top of the file. */
static void check_size(const struct checking *c, uint32_t flash_size)
{
    const struct card *card = c->card->card;
    struct wry_images_options options;
    bool more = true;

    card_wanted(c->card, flash_size, NULL, &options);
    struct wry_image_options *images = (struct wry_image_options *)options.images;
    guint *which = g_new0(guint, options.image_count + 1);
    for (guint i = 0, n = 0; i < card->placements->len; i++) {
        const struct card_variant *variant =
            card_variant_for(g_ptr_array_index(card->placements, i), flash_size);
        if (variant && variant->file)
            which[n++] = i;
    }
    options.setting_count = 0;
    options.chip = card->chip;
    options.flash_size = flash_size;
    while (more) {
        struct wry_plan_result result = {0};
        enum wry_outcome outcome = options.image_count > 0
                                       ? wry_station_plan(c->station, &options, &result)
                                       : WRY_OUTCOME_DONE;
        guint bad = outcome == WRY_OUTCOME_DONE ? G_MAXUINT : find_placement(c, &options);
        const struct card_placement *placement =
            bad < options.image_count ? g_ptr_array_index(card->placements, which[bad]) : NULL;
        if (outcome != WRY_OUTCOME_DONE)
            tell_problem(c, placement, placement ? card_variant_for(placement, flash_size) : NULL);
        else if (options.image_count > 0)
            check_parts(c, &result.planned.layout, flash_size);
        /* Without the region table the other placements would be checked against the wrong regions.
         */
        more = placement && g_strcmp0(placement->place, "table") != 0;
        if (more) {
            memmove(images + bad, images + bad + 1,
                    (options.image_count - bad - 1) * sizeof *images);
            memmove(which + bad, which + bad + 1, (options.image_count - bad - 1) * sizeof *which);
            options.image_count--;
        }
        wry_plan_result_clear(&result);
    }
    g_free(which);
    card_wanted_clear(&options);
}

/* Settings. */

/* secret_is_bad: the value is in a file that is passed on. Without a settings file, only the board
 * knows its keys. */
static char *try_setting(const struct checking *c, const struct card_value *value,
                         bool secret_is_bad)
{
    g_autoptr(GError) error = NULL;
    const struct settings_rule *rule = settings_description_find(c->described, value->key);
    bool many;
    struct settings *settings = load_settings(c, value->region, &many);
    struct wry_setting_change change = {.act = value->is_new ? WRY_SETTING_ADD : WRY_SETTING_SET,
                                        .key = value->key,
                                        .value = value->value};
    bool secret = (rule && rule->secret) || (settings && settings_is_secret(settings, value->key));
    char *text = NULL;

    /* A description says what the board's block may have. */
    if (!settings && rule)
        settings = settings_new();
    if (many)
        text = g_strdup_printf("several files have settings: write REGION/%s", value->key);
    else if (secret_is_bad && secret)
        text = g_strdup_printf("'%s' is secret: its value must come from the environment or a file "
                               "named in the settings file, not from a card",
                               value->key);
    else if (settings ? !settings_edit_change(settings, &change, c->described, &error)
                      : !settings_description_knows(c->described, value->key, &error))
        text = g_strdup(error->message);
    settings_free(settings);
    return text;
}

static void check_settings(const struct checking *c)
{
    const struct card *card = c->card->card;

    for (guint i = 0; i < card->values->len; i++) {
        const struct card_value *value = g_ptr_array_index(card->values, i);
        char *text = try_setting(c, value, true);
        if (text)
            complain(c, value->at, text);
    }
}

static void check_field(const struct checking *c, const struct csv_table *table,
                        const struct csv_field *name, const struct csv_field *field)
{
    const char *slash = strchr(name->text, '/');
    g_autofree char *region = slash ? g_strndup(name->text, (gsize)(slash - name->text)) : NULL;
    struct card_value value = {
        .region = region, .key = slash ? (char *)slash + 1 : name->text, .value = field->text};

    value.is_new = card_column_is_new(c->card->card, region, value.key);
    char *text = field->text[0] != '\0' ? try_setting(c, &value, false) : NULL;

    if (text)
        diagnostics_add(c->mistakes, table->path, field->line, field->column, text);
}

/* All settings of a row as one text; NULL if it has none. Free with g_free. */
static char *settings_of_row(const struct csv_table *table, guint row)
{
    const GArray *names = g_ptr_array_index(table->rows, 0);
    g_autoptr(GString) all = g_string_new(NULL);
    bool any = false;

    for (guint i = 0; i < names->len; i++) {
        const char *text = csv_table_at(table, row, (int)i);
        if (!board_rows_is_setting(g_array_index(names, struct csv_field, i).text))
            continue;
        g_string_append_printf(all, "%zu:%s", strlen(text), text);
        any = any || text[0] != '\0';
    }
    return any ? g_strdup(all->str) : NULL;
}

/* Two equal rows give two boards one identity: probably a copied row that was not changed. seen:
 * row text to line. */
static void check_twin(const struct checking *c, const struct csv_table *table, guint row,
                       GHashTable *seen)
{
    const GArray *fields = g_ptr_array_index(table->rows, row);
    const struct csv_field *first =
        fields->len > 0 ? &g_array_index(fields, struct csv_field, 0) : NULL;
    char *settings = first ? settings_of_row(table, row) : NULL;
    guint before = settings ? GPOINTER_TO_UINT(g_hash_table_lookup(seen, settings)) : 0;

    if (before > 0)
        diagnostics_add(c->mistakes, table->path, first->line, first->column,
                        g_strdup_printf("the same settings are in line %u already", before));
    if (settings && before == 0)
        g_hash_table_insert(seen, settings, GUINT_TO_POINTER(first->line));
    else
        g_free(settings);
}

static void check_table(const struct checking *c)
{
    const struct card *card = c->card->card;
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    guint before = c->mistakes->len;

    if (!card->table)
        return;
    board_table_check(card->table, card->rows, c->mistakes);
    struct csv_table *table = c->mistakes->len == before ? csv_table_load(card->table, NULL) : NULL;
    for (char **name = card->name_columns; table && name && *name; name++) {
        if (csv_table_column(table, *name) < 0)
            complain(c, card->table_at, g_strdup_printf("no column is named '%s'", *name));
    }
    for (guint row = 1; table && row < table->rows->len; row++) {
        const GArray *names = g_ptr_array_index(table->rows, 0);
        const GArray *fields = g_ptr_array_index(table->rows, row);
        check_twin(c, table, row, seen);
        for (guint i = 0; i < fields->len && i < names->len; i++) {
            const struct csv_field *name = &g_array_index(names, struct csv_field, i);
            if (board_rows_is_setting(name->text))
                check_field(c, table, name, &g_array_index(fields, struct csv_field, i));
        }
    }
    csv_table_free(table);
}

/* Mistakes of the card first, then those of other files, by line. */
static gint by_place(gconstpointer a, gconstpointer b)
{
    const struct wry_diagnostic *x = *(const struct wry_diagnostic *const *)a;
    const struct wry_diagnostic *y = *(const struct wry_diagnostic *const *)b;
    bool other_x = x->file && g_str_has_suffix(x->file, ".csv");
    bool other_y = y->file && g_str_has_suffix(y->file, ".csv");

    if (other_x != other_y)
        return other_x ? 1 : -1;
    if (x->line != y->line)
        return x->line < y->line ? -1 : 1;
    return x->column < y->column ? -1 : x->column > y->column;
}

static void check_contents(struct checking *c)
{
    const struct card *card = c->card->card;
    struct wry_station_settings settings = {.link = "none", .layout_file = card->layout};

    settings.settings_description = card->settings_description;
    c->loaded = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, free_loaded);
    c->station = wry_station_new(&settings);
    problem_free(described_load(c->station, NULL, NULL, &c->described));
    for (guint i = 0; card->chip && i < card->flash_sizes->len; i++)
        check_size(c, g_array_index(card->flash_sizes, uint32_t, i));
    check_settings(c);
    check_table(c);
    g_hash_table_unref(c->loaded);
    wry_station_free(c->station);
}

GPtrArray *wry_card_check(const char *path, const char *trust, GError **error)
{
    struct wry_card *card = g_new0(struct wry_card, 1);
    GPtrArray *mistakes = diagnostics_new();
    struct checking c = {.card = card, .mistakes = mistakes};

    card->path = g_strdup(path);
    bool opened = card_begin(card, trust, mistakes, error);
    if (opened)
        check_contents(&c);
    g_ptr_array_sort(mistakes, by_place);
    wry_card_close(card);
    if (opened)
        return mistakes;
    g_ptr_array_unref(mistakes);
    return NULL;
}
