/* The list of known chips. */
#include "chips/chips.h"

#include <string.h>

#include "base/folder_names.h"
#include "base/folders.h"
#include "chips/chip_check.h"
#include "chips/chip_file.h"
#include "chips/kept_chips.h"
#include "wrytograph-host/error.h"

struct entry {
    const struct wry_chip *chip;
    enum chip_rank rank;
    const char *source; /* interned */
};

static GMutex lock;
static GArray *entries; /* struct entry, without the built-in chips */

/* With the lock: the entry that is in the way of a chip of this rank; NULL if there is none. */
static const struct entry *find_rival(const struct wry_chip *chip, enum chip_rank rank)
{
    for (guint i = 0; entries && i < entries->len; i++) {
        const struct entry *entry = &g_array_index(entries, struct entry, i);
        if (entry->rank == rank && entry->chip != chip &&
            (entry->chip->code == chip->code || strcmp(entry->chip->name, chip->name) == 0))
            return entry;
    }
    return NULL;
}

static bool is_built_in(const struct wry_chip *chip)
{
    return wry_chip_by_code(chip->code) == chip;
}

/* With the lock. */
static bool is_free(const struct wry_chip *chip, enum chip_rank rank, const char *source,
                    GError **error)
{
    const struct wry_chip *own = wry_chip_by_code(chip->code);

    if (!own)
        own = wry_chip_by_name(chip->name);
    if (own) {
        g_set_error(error, WRY_STORE_ERROR, WRY_STORE_ERROR_DAMAGED,
                    "%s: code 0x%04X and name %s belong to %s, which is built in", source,
                    own->code, own->name, own->title);
        return false;
    }
    const struct entry *rival = find_rival(chip, rank);
    if (rival)
        g_set_error(error, WRY_STORE_ERROR, WRY_STORE_ERROR_DAMAGED,
                    "%s: the file %s gives chip %s (code 0x%04X) another description", source,
                    rival->source, rival->chip->name, rival->chip->code);
    return !rival;
}

/* With the lock. */
static void add(const struct wry_chip *chip, enum chip_rank rank, const char *source)
{
    struct entry added = {.chip = chip, .rank = rank, .source = g_intern_string(source)};

    if (!entries)
        entries = g_array_new(FALSE, FALSE, sizeof(struct entry));
    for (guint i = 0; i < entries->len; i++) {
        struct entry *entry = &g_array_index(entries, struct entry, i);
        if (entry->chip == chip && entry->rank == rank)
            return;
    }
    g_array_append_val(entries, added);
}

const struct wry_chip *chips_register(const struct wry_chip *chip, enum chip_rank rank,
                                      const char *source, GError **error)
{
    const struct wry_chip *kept = kept_chip(chip);

    g_mutex_lock(&lock);
    if (!is_built_in(kept)) {
        if (is_free(kept, rank, source, error))
            add(kept, rank, source);
        else
            kept = NULL;
    }
    g_mutex_unlock(&lock);
    return kept;
}

const struct wry_chip *chips_load(const char *path, enum chip_rank rank, GError **error)
{
    const struct wry_chip *chip = chip_file_load(path, error);

    return chip ? chips_register(chip, rank, path, error) : NULL;
}

const struct wry_chip *wry_chips_load(const char *path, GError **error)
{
    return chips_load(path, CHIP_GIVEN, error);
}

const struct wry_chip *wry_chips_add(const struct wry_chip *chip, GError **error)
{
    g_autofree char *wrong = NULL;

    if (chip_check(chip, &wrong) != CHIP_FINE) {
        g_set_error(error, WRY_STORE_ERROR, WRY_STORE_ERROR_DAMAGED, "chip %s: %s",
                    chip->name ? chip->name : "without a name", wrong);
        return NULL;
    }
    return chips_register(chip, CHIP_GIVEN, "this program", error);
}

/* Looking up */

/* With the lock: the chip of the highest rank. name: NULL to look for the code. */
static const struct wry_chip *find(uint16_t code, const char *name)
{
    const struct entry *best = NULL;

    for (guint i = 0; entries && i < entries->len; i++) {
        const struct entry *entry = &g_array_index(entries, struct entry, i);
        bool is_it = name ? strcmp(entry->chip->name, name) == 0 : entry->chip->code == code;
        if (is_it && (!best || entry->rank > best->rank))
            best = entry;
    }
    return best ? best->chip : NULL;
}

static const struct wry_chip *look_up(uint16_t code, const char *name)
{
    g_mutex_lock(&lock);
    const struct wry_chip *chip = find(code, name);
    g_mutex_unlock(&lock);
    return chip;
}

const struct wry_chip *wry_chips_by_code(uint16_t code)
{
    const struct wry_chip *chip = wry_chip_by_code(code);

    return chip ? chip : look_up(code, NULL);
}

const struct wry_chip *wry_chips_by_name(const char *name)
{
    const struct wry_chip *chip = wry_chip_by_name(name);

    return chip ? chip : look_up(0, name);
}

/* With the lock: the n-th that is found by its own code, in the order in which they came. */
static const struct wry_chip *nth(size_t n)
{
    for (guint i = 0; entries && i < entries->len; i++) {
        const struct wry_chip *chip = g_array_index(entries, struct entry, i).chip;
        bool first = true;
        for (guint before = 0; before < i; before++)
            first = first && g_array_index(entries, struct entry, before).chip != chip;
        if (first && find(chip->code, NULL) == chip && n-- == 0)
            return chip;
    }
    return NULL;
}

const struct wry_chip *wry_chips_at(size_t n)
{
    size_t built_in = 0;

    while (wry_chip_at(built_in))
        built_in++;
    if (n < built_in)
        return wry_chip_at(n);
    g_mutex_lock(&lock);
    const struct wry_chip *chip = nth(n - built_in);
    g_mutex_unlock(&lock);
    return chip;
}

char *wry_chips_names(void)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; wry_chips_at(i); i++)
        g_string_append_printf(text, "%s%s",
                               i == 0                ? ""
                               : wry_chips_at(i + 1) ? ", "
                                                     : " and ",
                               wry_chips_at(i)->name);
    return g_string_free(text, FALSE);
}

/* Folders */

static gboolean load_folder(const char *folder, enum chip_rank rank, GError **error)
{
    g_autoptr(GError) inner = NULL;
    g_auto(GStrv) names = folder_names(folder, &inner);

    if (!names && (g_error_matches(inner, G_FILE_ERROR, G_FILE_ERROR_NOENT) ||
                   g_error_matches(inner, G_FILE_ERROR, G_FILE_ERROR_NOTDIR)))
        return TRUE;
    if (!names) {
        g_set_error_literal(error, WRY_STORE_ERROR, WRY_STORE_ERROR_FILE, inner->message);
        return FALSE;
    }
    for (char **name = names; *name; name++) {
        g_autofree char *path = g_build_filename(folder, *name, NULL);
        if (g_str_has_suffix(*name, ".yaml") && !chips_load(path, rank, error))
            return FALSE;
    }
    return TRUE;
}

gboolean wry_chips_load_folders(GError **error)
{
    const char *const *system = g_get_system_data_dirs();
    g_autofree char *own = folders_user(FOLDER_CONFIG, "chips");

    for (size_t i = 0; system[i]; i++) {
        g_autofree char *folder = g_build_filename(system[i], "wrytograph", "chips", NULL);
        if (!load_folder(folder, CHIP_OF_SYSTEM, error))
            return FALSE;
    }
    return load_folder(own, CHIP_OF_USER, error);
}
