/* Opening and packing cards and kits, and the station settings that a card prescribes. */
#include "jobs/card/card.h"
#include "base/folders.h"

#include <string.h>

#include "base/diagnostics.h"
#include "jobs/plan/shelf_items.h"
#include "store/archive/archive.h"
#include "store/card/signing.h"
#include "store/file/error.h"
#include "wrytograph-host/units.h"

#define SHELF "shelf:"

/* Mistakes of a kit name the ZIP file, not the folder it was unpacked to. */
static void name_kit(GPtrArray *mistakes, const struct wry_card *card)
{
    for (guint i = 0; card->kit && i < mistakes->len; i++) {
        struct wry_diagnostic *mistake = g_ptr_array_index(mistakes, i);
        if (g_strcmp0(mistake->file, kit_card(card->kit)) != 0)
            continue;
        g_free(mistake->file);
        mistake->file = g_strdup_printf("%s (card.yaml)", card->path);
    }
}

bool card_begin(struct wry_card *card, const char *trust, GPtrArray *mistakes, GError **error)
{
    g_autofree char *beside = g_path_get_dirname(card->path);
    struct card_files files = {.find = kit_find, .beside = beside};
    const char *path = card->path;

    if (archive_is_one(path)) {
        card->kit = kit_open(path, trust, error);
        if (!card->kit)
            return false;
        files.context = card->kit;
        path = kit_card(card->kit);
    } else if (trust) {
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: a card file has no signature, and only kits signed by a key of %s "
                           "are run here; 'wrytograph card pack --sign' makes a kit from it",
                           path, trust);
    }
    card->card = card_load(path, card->kit ? &files : NULL, mistakes, error);
    if (card->card && card->kit)
        card->card->share = kit_share(card->kit);
    name_kit(mistakes, card);
    return card->card != NULL;
}

gboolean wry_card_trusted_folder(char **folder, GError **error)
{
    return signing_trusted_folder(folder, error);
}

bool wry_card_is_kit(const char *path)
{
    return archive_is_one(path);
}

static char *usual_lot(const struct card *card)
{
    return !card || (!card->table && card->count == 0)
               ? NULL
               : g_strconcat(card->name, card->version[0] ? " " : "", card->version, NULL);
}

struct wry_card *wry_card_open(const char *path, const char *trust, GPtrArray **mistakes,
                               GError **error)
{
    struct wry_card *card = g_new0(struct wry_card, 1);

    *mistakes = diagnostics_new();
    card->path = g_strdup(path);
    if (card_begin(card, trust, *mistakes, error) && (*mistakes)->len == 0) {
        card->lot = usual_lot(card->card);
        return card;
    }
    wry_card_close(card);
    return NULL;
}

void wry_card_close(struct wry_card *card)
{
    if (!card)
        return;
    card_free(card->card);
    kit_close(card->kit);
    g_free(card->path);
    g_free(card->lot);
    g_free(card);
}

void wry_card_get_facts(const struct wry_card *card, struct wry_card_facts *facts)
{
    const struct card *own = card->card;
    g_autofree char *digest = wry_units_digest(own->sha256);

    *facts = (struct wry_card_facts){.name = own->name,
                                     .version = own->version,
                                     .chip = own->chip,
                                     .flash_sizes = (uint32_t *)(void *)own->flash_sizes->data,
                                     .flash_count = own->flash_sizes->len,
                                     .kit_sha256 = card->kit ? kit_digest(card->kit) : NULL,
                                     .signer = card->kit ? kit_signer(card->kit) : NULL,
                                     .times = own->times,
                                     .placements = own->placements->len,
                                     .steps = own->steps->len,
                                     .by_row = own->table != NULL,
                                     .hands_out_rows = own->rows == CARD_ROWS_NEXT,
                                     .share_part = own->share.part,
                                     .share_of = own->share.of,
                                     .count = own->count,
                                     .rows_by_server = own->server_only};
    g_strlcpy(facts->sha256, digest, sizeof facts->sha256);
}

bool wry_card_kit_file(const struct wry_card *card, size_t n, struct wry_kit_file *file)
{
    const GPtrArray *files = card->kit ? kit_files(card->kit) : NULL;

    if (!files || n >= files->len)
        return false;
    const struct kit_file *found = g_ptr_array_index(files, n);
    *file = (struct wry_kit_file){found->written, found->size, found->sha256};
    return true;
}

/* The only image of the shelf that matches: a kit contains it, whatever is added to the shelf
 * later. */
static char *find_on_shelf(const char *written, const GPtrArray *items, GError **error)
{
    const char *name = written + strlen(SHELF);
    const struct wry_shelf_item *found = NULL;
    unsigned count = 0;

    for (guint i = 0; i < items->len; i++) {
        const struct wry_shelf_item *item = g_ptr_array_index(items, i);
        if (!shelf_items_is_named(item, name))
            continue;
        count++;
        if (!found || item->preferred)
            found = item;
    }
    if (count == 1 || (found && found->preferred))
        return g_strdup(found->path);
    store_error(error, WRY_STORE_ERROR_NONE,
                count == 0 ? "there is no '%s' on the shelf"
                           : "several images on the shelf are named '%s': add the version",
                name);
    return NULL;
}

static bool settle_shelf(struct card *card, GError **error)
{
    g_autoptr(GPtrArray) items = NULL;

    for (guint i = 0; i < card->files->len; i++) {
        struct card_file *file = g_ptr_array_index(card->files, i);
        if (!g_str_has_prefix(file->path, SHELF))
            continue;
        if (!items && !(items = wry_shelf_items(NULL, error)))
            return false;
        char *path = find_on_shelf(file->written, items, error);
        if (!path)
            return false;
        g_free(file->path);
        file->path = path;
    }
    return true;
}

gboolean wry_card_pack(const struct wry_card *card, const char *path, const char *secret_key,
                       unsigned part, unsigned of, GError **error)
{
    card->card->share = (struct card_share){part, of};
    return settle_shelf(card->card, error) && kit_pack(card->card, path, secret_key, error);
}

gboolean wry_card_make_keys(const char *name, char **public_key, GError **error)
{
    return signing_make(name, public_key, error);
}

void wry_card_prepare(const struct wry_card *card, struct wry_station_settings *settings)
{
    const struct card *own = card->card;

    settings->expect_chip = own->chip;
    settings->layout_file = own->layout;
    settings->settings_description = own->settings_description;
    if (!settings->lot)
        settings->lot = card->lot;
    settings->leaves_running = true;
    /* If the flash cannot prove its size, the card's is believed, if there is only one. */
    if (own->flash_sizes->len == 1)
        settings->expect_flash = g_array_index(own->flash_sizes, uint32_t, 0);
}

void card_wanted(const struct wry_card *card, uint32_t flash_size, const GPtrArray *values,
                 struct wry_images_options *options)
{
    const struct card *own = card->card;
    struct wry_image_options *images = g_new0(struct wry_image_options, own->placements->len);
    guint more = values ? values->len : 0, n = 0, count = 0;
    struct wry_setting_options *settings =
        g_new0(struct wry_setting_options, own->values->len + more);

    for (guint i = 0; i < own->placements->len; i++) {
        const struct card_placement *placement = g_ptr_array_index(own->placements, i);
        const struct card_variant *variant = card_variant_for(placement, flash_size);
        /* A card with mistakes may have none. */
        if (variant && variant->file)
            images[count++] = (struct wry_image_options){placement->place, variant->file};
    }
    for (guint i = 0; i < own->values->len + more; i++) {
        const struct card_value *value = i < own->values->len
                                             ? g_ptr_array_index(own->values, i)
                                             : g_ptr_array_index(values, i - own->values->len);
        settings[n++] = (struct wry_setting_options){
            .region = value->region,
            .key = value->key,
            .value = value->value,
            .is_new = value->is_new || (i >= own->values->len &&
                                        card_column_is_new(own, value->region, value->key))};
    }
    *options = (struct wry_images_options){.images = images,
                                           .image_count = count,
                                           .settings = settings,
                                           .setting_count = n,
                                           .without_backup = own->backup == CARD_BACKUP_NEVER,
                                           .read_lines = own->read_lines,
                                           .read_clock = own->read_clock};
}

void card_wanted_clear(struct wry_images_options *options)
{
    g_free((struct wry_image_options *)options->images);
    g_free((struct wry_setting_options *)options->settings);
}

char *card_table(const struct wry_card *card)
{
    if (!card->kit || card->card->rows != CARD_ROWS_NEXT)
        return g_strdup(card->card->table);
    g_autofree char *stem = g_str_has_suffix(card->path, ".zip")
                                ? g_strndup(card->path, strlen(card->path) - 4)
                                : g_strdup(card->path);
    return g_strconcat(stem, ".boards.csv", NULL);
}

char *wry_card_logs_folder(void)
{
    return folders_user(FOLDER_STATE, "logs");
}
