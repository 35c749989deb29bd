/* Finds settings that a job would destroy. */
#include "settings_loss.h"

#include <string.h>

#include "jobs/plan/backup_records.h"
#include "jobs/station/settings_read.h"
#include "store/archive/archive.h"
#include "store/image/settings_file.h"

/* One settings region. */
struct loss {
    struct wry_station *station;
    const struct wry_plan *plan;
    const struct wry_region *region;
    struct settings *now; /* current settings; NULL: there is no valid block */
    GPtrArray *keys;      /* struct wry_setting of now: those that would be lost */
    uint8_t *content; /* content of the whole region; NULL: it has a block, or nothing to lose */
};

/* Reads the settings of a block; NULL if there is none. False if it cannot be read. */
static bool read_settings(struct flash_reader *reader, const struct wry_region *region,
                          struct settings **settings)
{
    struct settings_copy found;
    bool read = settings_read(reader, region, &found);

    *settings = read && found.found ? settings_from_block(found.bytes, &found.head) : NULL;
    g_free(found.bytes);
    return read;
}

/* Finds the keys that the region would lack after the plan. */
static bool find_lost_keys(struct loss *loss)
{
    struct flash_reader after = {.station = loss->station, .plan = loss->plan};
    struct settings *later = NULL;
    bool read = read_settings(&after, loss->region, &later);

    for (guint i = 0; read && i < settings_count(loss->now); i++) {
        const struct wry_setting *setting = settings_at(loss->now, i);
        if (!later || !settings_has(later, setting))
            g_ptr_array_add(loss->keys, (gpointer)setting);
    }
    settings_free(later);
    if (!read)
        flash_reader_fail(&after);
    return read;
}

/* Finds content that is neither a block nor blank; content stays NULL if there is none. */
static bool find_lost_content(struct loss *loss)
{
    struct flash_reader reader = {.station = loss->station};
    uint32_t n = loss->region->length;
    g_autofree uint8_t *bytes = g_malloc(n);

    if (!flash_reader_read(&reader, loss->region->offset, bytes, n)) {
        flash_reader_fail(&reader);
        return false;
    }
    if (!wry_bytes_blank(bytes, n))
        loss->content = g_steal_pointer(&bytes);
    return true;
}

static bool find_loss(struct loss *loss, bool firm)
{
    struct flash_reader reader = {.station = loss->station};

    if (!read_settings(&reader, loss->region, &loss->now)) {
        flash_reader_fail(&reader);
        return false;
    }
    if (loss->now)
        return find_lost_keys(loss);
    /* The usual layout of a chip is a guess: unrecognised content there proves nothing. */
    return !firm || find_lost_content(loss);
}

static bool is_nothing(const struct loss *loss)
{
    return loss->keys->len == 0 && !loss->content;
}

/* Settings that a backup has with the same value are not lost. */
static void strike_keys(struct loss *loss, const struct settings *kept)
{
    for (guint i = loss->keys->len; i > 0; i--) {
        if (settings_holds(kept, g_ptr_array_index(loss->keys, i - 1)))
            g_ptr_array_remove_index(loss->keys, i - 1);
    }
}

static void strike(struct loss *loss, struct flash_reader *backup)
{
    uint32_t n = loss->region->length;
    struct settings *kept = NULL;

    if (loss->content) {
        g_autofree uint8_t *bytes = g_malloc(n);
        if (flash_reader_read(backup, loss->region->offset, bytes, n) &&
            memcmp(bytes, loss->content, n) == 0)
            g_clear_pointer(&loss->content, g_free);
    } else if (read_settings(backup, loss->region, &kept) && kept) {
        strike_keys(loss, kept);
    }
    settings_free(kept);
}

/* Searches backups until nothing would be lost. Files that are no longer valid backups are
 * skipped. */
static bool look_in_backup(void *context, const char *path)
{
    struct loss *loss = context;
    struct archive *archive = archive_is_one(path) ? archive_open(path, NULL) : NULL;
    g_autoptr(GMappedFile) plain = archive ? NULL : g_mapped_file_new(path, FALSE, NULL);

    if (archive) {
        strike(loss, &(struct flash_reader){.archive = archive});
    } else if (plain) {
        strike(loss,
               &(struct flash_reader){.bytes = (const uint8_t *)g_mapped_file_get_contents(plain),
                                      .n = g_mapped_file_get_length(plain)});
    }
    archive_close(archive);
    return !is_nothing(loss);
}

static char **name_keys(const struct loss *loss)
{
    char **names = g_new0(char *, loss->keys->len + 1);

    for (guint i = 0; i < loss->keys->len; i++) {
        const struct wry_setting *setting = g_ptr_array_index(loss->keys, i);
        g_autofree char *text = settings_text(setting);
        names[i] = g_strdup_printf("%.*s: %s", setting->key_length, setting->key, text);
    }
    return names;
}

static struct wry_problem *fail_lost(const struct loss *loss)
{
    struct wry_problem *problem =
        problem_new(WRY_OUTCOME_WRONG,
                    loss->content ? WRY_PROBLEM_CONTENT_LOST : WRY_PROBLEM_SETTINGS_LOST, NULL);
    problem->region = *loss->region;
    problem->names = name_keys(loss);
    memcpy(problem->address, wry_session_board(&loss->station->session)->eui48,
           sizeof problem->address);
    return problem;
}

static struct wry_problem *check(struct loss *loss, bool firm)
{
    struct wry_problem *problem = NULL;

    if (!find_loss(loss, firm))
        return problem;
    if (!is_nothing(loss))
        problem = backup_records_each(loss->station, look_in_backup, loss);
    return !problem && !is_nothing(loss) ? fail_lost(loss) : problem;
}

struct wry_problem *settings_loss_check(struct wry_station *station, const struct wry_plan *plan,
                                        const struct wry_layout *layout)
{
    bool firm = layout->source != WRY_LAYOUT_SOURCE_USUAL;
    struct wry_problem *problem = NULL;

    for (uint32_t i = 0; i < layout->table.count && !problem; i++) {
        const struct wry_region *region = &layout->table.regions[i];
        if (region->kind != WRY_REGION_SETTINGS ||
            wry_plan_covered(plan, region->offset, region->length) == 0)
            continue;
        struct loss loss = {
            .station = station, .plan = plan, .region = region, .keys = g_ptr_array_new()};
        problem = check(&loss, firm);
        g_ptr_array_unref(loss.keys);
        settings_free(loss.now);
        g_free(loss.content);
    }
    return problem;
}
