/* Adding files, folders and ZIPs to the shelf. */
#include "wrytograph-host/shelf.h"

#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>

#include "base/folder_names.h"
#include "jobs/plan/shelf_items.h"
#include "placed_image.h"
#include "store/archive/archive.h"
#include "store/file/error.h"
#include "store/file/leftovers.h"
#include "store/file/zip_library.h"
#include "store/image/settings_description.h"
#include "store/shelf/shelf_store.h"
#include "wrytograph/region_table.h"

enum {
    PIECE = 16384,
    MEMBERS_MOST = 4096,
    DEPTH_MOST = 32,
    PADDING_MOST = 4096, /* most bytes of padding after a program */
};

struct adding {
    struct shelf *shelf;
    void (*tell)(void *context, const struct wry_shelf_report *told);
    void *context;
    GError **error;
};

static void refuse(const struct adding *a, const char *path, const char *reason)
{
    a->tell(a->context, &(struct wry_shelf_report){
                            .outcome = WRY_SHELF_REFUSED, .path = path, .reason = reason});
}

/* Splits "tide-gauge 2.3.1": the version follows the last space. */
static void take_version(struct wry_shelf_item *item, const char *text)
{
    const char *space = strrchr(text, ' ');

    item->name = space ? g_strndup(text, (gsize)(space - text)) : g_strdup(text);
    item->version = g_strdup(space ? space + 1 : "");
}

/* Why the file is refused; NULL if it is accepted. */
static const char *judge_program(const struct image_file *file, uint32_t at, const uint8_t *bytes,
                                 struct wry_shelf_item *item)
{
    struct wry_boot_header header;

    if (!wry_boot_header_get(&header, bytes))
        return "its boot header is damaged";
    if (!image_body_is_whole(file, at, &header))
        return "it is damaged or cut short: its digest differs";
    if (file->length >
        (uint64_t)header.body_length + WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE + PADDING_MOST)
        return "it has more content after its program";
    if (header.version[0] == '\0')
        return "its boot header has no name and version";
    take_version(item, header.version);
    item->chip_code = header.chip_code;
    item->flash_size = header.flash_size_log2 > 0 ? UINT32_C(1) << header.flash_size_log2 : 0;
    item->kind = header.kind;
    item->only_upgrade = header.only_upgrade;
    image_file_read(file, at + WRY_BOOT_HEADER_SIZE + header.body_length, item->body_sha256,
                    sizeof item->body_sha256);
    return NULL;
}

static const char *judge_module(const struct image_file *file, uint32_t at,
                                const struct wry_module_image *module, struct wry_shelf_item *item)
{
    if (!image_module_is_whole(file, at, module))
        return "it is damaged or cut short: its CRC-32 differs";
    if (module->version[0] == '\0')
        return "its head has no name and version";
    take_version(item, module->version);
    item->kind = WRY_SHELF_MODULE;
    return NULL;
}

static const char *judge(const struct image_file *file, const char *name,
                         struct wry_shelf_item *item)
{
    const struct image_extent *first = &g_array_index(file->extents, struct image_extent, 0);
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX] = {0};
    size_t n = MIN(first->length, sizeof bytes);
    struct wry_module_image module;
    struct wry_region_table table;
    const char *dot = strrchr(name, '.');

    item->size = file->length;
    item->file = g_strdup(name);
    if (!image_file_read(file, first->address, bytes, n))
        return "it cannot be read";
    if (n >= WRY_BOOT_HEADER_SIZE && wry_boot_header_present(bytes))
        return judge_program(file, first->address, bytes, item);
    if (n >= WRY_MODULE_IMAGE_HEAD && wry_module_image_get(&module, bytes))
        return judge_module(file, first->address, &module, item);
    if (!wry_region_table_get(&table, bytes, n))
        return "it has no boot header and is not a region table, so its board is unknown";
    item->is_table = true;
    item->flash_size = table.flash_size;
    item->name = dot && dot != name ? g_strndup(name, (gsize)(dot - name)) : g_strdup(name);
    item->version = g_strdup("");
    return NULL;
}

/* Adds a file. path: the file; shown: as the user named it; name: its last component. False if the
 * shelf fails. */
static bool add_file(const struct adding *a, const char *path, const char *shown, const char *name)
{
    g_autoptr(GError) inner = NULL;
    struct wry_shelf_item *item = g_new0(struct wry_shelf_item, 1);
    struct image_file *file = image_file_open(path, NULL, &inner);
    const char *reason = file ? judge(file, name, item) : inner->message;
    bool had = false, done = true;

    image_file_free(file);
    if (reason) {
        refuse(a, shown, reason);
    } else {
        done = shelf_keep(a->shelf, path, item, &had, a->error);
        if (done)
            a->tell(a->context,
                    &(struct wry_shelf_report){.outcome = had ? WRY_SHELF_HAD : WRY_SHELF_ADDED,
                                               .path = shown,
                                               .item = item});
    }
    wry_shelf_item_free(item);
    return done;
}

/* Unpacks a member of a ZIP into a file; false if it was refused. */
static bool unpack(const struct adding *a, zip_t *zip, zip_uint64_t index, const char *shown,
                   const char *to)
{
    uint8_t piece[PIECE];
    zip_file_t *member = zip_fopen_index(zip, index, 0);
    FILE *file = fopen(to, "wb");
    uint64_t total = 0;
    zip_int64_t n = -1;

    while (member && file && (n = zip_fread(member, piece, PIECE)) > 0) {
        total += (uint64_t)n;
        if (total > WRY_FLASH_MAX || fwrite(piece, 1, (size_t)n, file) != (size_t)n)
            break;
    }
    if (member)
        zip_fclose(member);
    bool unpacked = file && fclose(file) == 0 && n == 0;
    if (!unpacked)
        refuse(a, shown,
               total > WRY_FLASH_MAX ? "it is larger than any flash" : "it cannot be unpacked");
    return unpacked;
}

static bool add_member(const struct adding *a, zip_t *zip, zip_uint64_t index, const char *path,
                       const char *folder)
{
    const char *name = zip_get_name(zip, index, 0);
    g_autofree char *shown = g_strdup_printf("%s: %s", path, name ? name : "?");
    g_autofree char *last = g_path_get_basename(name ? name : "?");
    g_autofree char *to = g_build_filename(folder, "member", NULL);

    if (!name || g_str_has_suffix(name, "/"))
        return true;
    bool done = !unpack(a, zip, index, shown, to) || add_file(a, to, shown, last);
    g_unlink(to);
    return done;
}

static bool add_zip(const struct adding *a, const char *path)
{
    if (!zip_library_load(a->error))
        return false;
    zip_t *zip = zip_open(path, ZIP_RDONLY, NULL);
    g_autofree char *folder = leftovers_new_folder("zip");
    zip_int64_t count = zip ? zip_get_num_entries(zip, 0) : 0;
    bool done = folder || store_file_error(a->error, g_get_tmp_dir());

    if (!zip)
        refuse(a, path, "it is not a complete ZIP file");
    else if (count > MEMBERS_MOST)
        refuse(a, path, "it has too many files in it");
    for (zip_int64_t i = 0; done && count <= MEMBERS_MOST && i < count; i++)
        done = add_member(a, zip, (zip_uint64_t)i, path, folder);
    if (zip)
        zip_discard(zip);
    if (folder)
        g_rmdir(folder);
    return done;
}

static bool add_path(const struct adding *a, const char *path, unsigned depth);

static bool add_folder(const struct adding *a, const char *path, unsigned depth)
{
    g_auto(GStrv) names = folder_names(path, a->error);
    bool done = names != NULL;

    for (char **name = names; done && *name; name++) {
        g_autofree char *inner = g_build_filename(path, *name, NULL);
        done = add_path(a, inner, depth + 1);
    }
    return done;
}

static bool add_path(const struct adding *a, const char *path, unsigned depth)
{
    g_autofree char *name = g_path_get_basename(path);

    if (g_file_test(path, G_FILE_TEST_IS_DIR)) {
        if (depth < DEPTH_MOST)
            return add_folder(a, path, depth);
        refuse(a, path, "too deeply nested");
        return true;
    }
    return archive_is_one(path) ? add_zip(a, path) : add_file(a, path, path, name);
}

static struct shelf *open_shelf(const char *folder, GError **error)
{
    g_autofree char *own = folder ? g_strdup(folder) : shelf_default_folder();

    return shelf_open(own, (struct wry_stop){0}, error);
}

gboolean wry_shelf_add(const char *folder, const char *path,
                       void (*tell)(void *context, const struct wry_shelf_report *told),
                       void *context, GError **error)
{
    struct adding a = {.tell = tell, .context = context, .error = error};

    a.shelf = open_shelf(folder, error);
    bool done = a.shelf && add_path(&a, path, 0);
    shelf_close(a.shelf);
    return done;
}

GPtrArray *wry_shelf_items(const char *folder, GError **error)
{
    struct shelf *shelf = open_shelf(folder, error);
    GPtrArray *items = shelf ? shelf_items(shelf, error) : NULL;

    shelf_close(shelf);
    return items;
}

/* The only item with this name; NULL if there is none, or several. */
static const struct wry_shelf_item *find_one(const GPtrArray *items, const char *name,
                                             GError **error)
{
    const struct wry_shelf_item *found = NULL;
    unsigned count = 0;

    for (guint i = 0; i < items->len; i++) {
        if (shelf_items_is_named(g_ptr_array_index(items, i), name)) {
            found = g_ptr_array_index(items, i);
            count++;
        }
    }
    if (count == 0)
        store_error(error, WRY_STORE_ERROR_NONE, "there is no '%s' on the shelf", name);
    else if (count > 1)
        store_error(error, WRY_STORE_ERROR_NONE,
                    "'%s' is the name of %u images on the shelf: write it as 'shelf list' does",
                    name, count);
    return count == 1 ? found : NULL;
}

gboolean wry_shelf_describe(const char *folder, const char *name, const char *path, GError **error)
{
    struct settings_description *read = settings_description_load(path, error);
    struct shelf *shelf = read ? open_shelf(folder, error) : NULL;
    g_autoptr(GPtrArray) items = shelf ? shelf_items(shelf, error) : NULL;
    const struct wry_shelf_item *item = items ? find_one(items, name, error) : NULL;
    bool done = item && shelf_describe(shelf, item, path, error);

    settings_description_free(read);
    shelf_close(shelf);
    return done;
}

static gboolean change(const char *folder, const char *name,
                       bool (*how)(struct shelf *shelf, const struct wry_shelf_item *item,
                                   GError **error),
                       GError **error)
{
    struct shelf *shelf = open_shelf(folder, error);
    g_autoptr(GPtrArray) items = shelf ? shelf_items(shelf, error) : NULL;
    const struct wry_shelf_item *item = items ? find_one(items, name, error) : NULL;
    bool done = item && how(shelf, item, error);

    shelf_close(shelf);
    return done;
}

gboolean wry_shelf_prefer(const char *folder, const char *name, GError **error)
{
    return change(folder, name, shelf_prefer, error);
}

gboolean wry_shelf_remove(const char *folder, const char *name, GError **error)
{
    return change(folder, name, shelf_remove, error);
}
