/* The table of boards. */
#include "store/card/board_table.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/diagnostics.h"
#include "base/file_lock.h"
#include "store/card/board_rows.h"
#include "store/file/error.h"
#include "store/text/csv_table.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/units.h"
#include "wrytograph/settings_block.h"

enum {
    LOCK_TRIES = 100, /* attempts to lock: a lock is held while a small file is written */
    LOCK_PAUSE = 50,  /* ms between attempts */
    SHARED_TRIES = 5,
};

static void add_value(GPtrArray *values, const struct csv_field *name, const char *text)
{
    struct card_value *value = g_new0(struct card_value, 1);
    const char *slash = strchr(name->text, '/');

    value->region = slash ? g_strndup(name->text, (gsize)(slash - name->text)) : NULL;
    value->key = g_strdup(slash ? slash + 1 : name->text);
    value->value = g_strdup(text);
    value->at = (struct yaml_place){name->line, name->column};
    g_ptr_array_add(values, value);
}

/* Checking. */

static void complain(GPtrArray *mistakes, const struct csv_table *table,
                     const struct csv_field *field, const char *format, ...) G_GNUC_PRINTF(4, 5);

static void complain(GPtrArray *mistakes, const struct csv_table *table,
                     const struct csv_field *field, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    diagnostics_add(mistakes, table->path, field->line, field->column,
                    g_strdup_vprintf(format, arguments));
    va_end(arguments);
}

static void check_names(GPtrArray *mistakes, const struct csv_table *table)
{
    const GArray *names = g_ptr_array_index(table->rows, 0);
    bool any = false;

    for (guint i = 0; i < names->len; i++) {
        const struct csv_field *name = &g_array_index(names, struct csv_field, i);
        const char *slash = strchr(name->text, '/'), *key = slash ? slash + 1 : name->text;
        if (csv_table_column(table, name->text) != (int)i)
            complain(mistakes, table, name, "the column '%s' exists already", name->text);
        if (!board_rows_is_setting(name->text))
            continue;
        any = true;
        if (!wry_settings_key_is_fit(key, strlen(key)))
            complain(mistakes, table, name,
                     "'%s' is not a key of a setting: a letter, then up to %u letters, digits, '-' "
                     "and '_'",
                     name->text, WRY_SETTINGS_KEY_MAX - 1);
    }
    if (!any)
        complain(mistakes, table, &g_array_index(names, struct csv_field, 0),
                 "no column is a setting");
}

static void check_row(GPtrArray *mistakes, const struct csv_table *table, guint row, int column,
                      GHashTable *seen)
{
    const GArray *names = g_ptr_array_index(table->rows, 0);
    const GArray *fields = g_ptr_array_index(table->rows, row);
    const char *address = csv_table_at(table, row, column);
    uint8_t eui48[WRY_EUI48_SIZE];

    if (fields->len > names->len)
        complain(mistakes, table, &g_array_index(fields, struct csv_field, names->len),
                 "more fields than names");
    if (column < 0 || (guint)column >= fields->len || address[0] == '\0')
        return;
    const struct csv_field *field = &g_array_index(fields, struct csv_field, column);
    if (!wry_units_parse_address(address, eui48)) {
        complain(mistakes, table, field, "'%s' is not an address: six octets, 02:1A:…", address);
        return;
    }
    char *same = wry_units_address(eui48);
    gpointer other = g_hash_table_lookup(seen, same);
    if (other)
        complain(mistakes, table, field, "board %s is in line %u already", same,
                 GPOINTER_TO_UINT(other));
    g_hash_table_insert(seen, same, GUINT_TO_POINTER(field->line));
}

void board_table_check(const char *path, enum card_rows rows, GPtrArray *mistakes)
{
    g_autoptr(GError) error = NULL;
    struct csv_table *table = csv_table_load(path, &error);
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    if (!table) {
        diagnostics_add(mistakes, NULL, 0, 0, g_strdup(error->message));
        return;
    }
    int column = csv_table_column(table, BOARD_ROWS_ADDRESS);
    check_names(mistakes, table);
    if (rows == CARD_ROWS_BY_ADDRESS && column < 0)
        diagnostics_add(mistakes, path, 1, 1, g_strdup("no column is named 'address'"));
    if (table->rows->len < 2)
        diagnostics_add(mistakes, path, 1, 1, g_strdup("there is no row of a board"));
    for (guint i = 1; i < table->rows->len; i++)
        check_row(mistakes, table, i, column, seen);
    csv_table_free(table);
}

/* Taking. */

/*
 * The lock is a file in the table's folder, because saving replaces the table itself. It is named
 * after the table's real path, so links and other spellings lead to the same lock. A hard link in
 * another folder would not, and saving would separate the two names: such tables are refused.
 */
static char *real_path(const char *path, GError **error)
{
    char *real = realpath(path, NULL), *copy;
    GStatBuf info;

    if (!real || g_stat(real, &info) != 0) {
        free(real);
        store_file_error(error, path);
        return NULL;
    }
    copy = g_strdup(real);
    free(real);
    if (info.st_nlink <= 1)
        return copy;
    store_error(error, WRY_STORE_ERROR_FILE,
                "%s: this file has %u names (hard links), and under each of them a row could be "
                "given to another board; make a copy of it instead, or remove the other names",
                path, (unsigned)info.st_nlink);
    g_free(copy);
    return NULL;
}

/* Users who may write the table may also lock it, whatever the umask of the first one was. */
static int open_lock(const char *name, const GStatBuf *table)
{
    int file = open(name, O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600);

    if (file >= 0) {
        if (table && fchown(file, (uid_t)-1, table->st_gid) == 0)
            fchmod(file, table->st_mode & 0666);
        return file;
    }
    if (errno != EEXIST)
        return -1;
    file = open(name, O_RDWR | O_CLOEXEC | O_NOFOLLOW);
    /* On local file systems, read access is enough for a lock. */
    return file >= 0 || errno != EACCES ? file : open(name, O_RDONLY | O_CLOEXEC | O_NOFOLLOW);
}

/* Locks the table at its real path while it is read and written; -1 with error. */
static int lock_table(const char *real, GError **error)
{
    g_autofree char *folder = g_path_get_dirname(real);
    g_autofree char *base = g_path_get_basename(real);
    g_autofree char *name = g_strdup_printf("%s/.%s.lock", folder, base);
    enum file_lock lock = FILE_LOCK_FAILED;
    GStatBuf table;
    int file = open_lock(name, g_stat(real, &table) == 0 ? &table : NULL);

    /* Another user may have created the lock just now and not have set its mode yet. */
    for (unsigned i = 0; file < 0 && errno == EACCES && i < SHARED_TRIES; i++) {
        g_usleep(LOCK_PAUSE * 1000);
        file = open_lock(name, NULL);
    }
    for (unsigned i = 0; file >= 0 && i < LOCK_TRIES; i++) {
        lock = file_lock_try(file);
        if (lock == FILE_LOCK_OURS)
            return file;
        if (lock == FILE_LOCK_FAILED)
            break;
        g_usleep(LOCK_PAUSE * 1000);
    }
    if (lock == FILE_LOCK_HELD)
        store_error(error, WRY_STORE_ERROR_FILE, "%s: another program holds it", real);
    else
        store_error(error, WRY_STORE_ERROR_FILE, "%s: cannot be locked: %s", name,
                    g_strerror(errno));
    if (file >= 0)
        close(file);
    return -1;
}

gboolean board_table_copy(const char *from, const char *path, GError **error)
{
    g_autofree char *text = NULL;
    gsize n = 0;
    /* The target of a link must exist: the copy does not replace the link. */
    g_autofree char *real =
        g_file_test(path, G_FILE_TEST_EXISTS) ? real_path(path, error) : g_strdup(path);
    int lock = real ? lock_table(real, error) : -1;

    if (lock < 0)
        return FALSE;
    gboolean there = g_file_test(real, G_FILE_TEST_EXISTS) ||
                     (g_file_get_contents(from, &text, &n, error) &&
                      wry_atomic_file_save(real, text, n, FALSE, error));
    close(lock);
    return there;
}

/* The board's row; 0 if it has none. */
static guint find_row(const struct csv_table *table, int column, const uint8_t *eui48)
{
    uint8_t of_row[WRY_EUI48_SIZE];

    for (guint i = 1; column >= 0 && i < table->rows->len; i++) {
        if (wry_units_parse_address(csv_table_at(table, i, column), of_row) &&
            memcmp(of_row, eui48, sizeof of_row) == 0)
            return i;
    }
    return 0;
}

static guint find_free(const struct csv_table *table, const struct board_table_request *wanted)
{
    int address = csv_table_column(table, BOARD_ROWS_ADDRESS);
    int used = csv_table_column(table, BOARD_ROWS_USED);

    for (guint i = 1; i < table->rows->len; i++) {
        if (board_rows_is_of_share(i, wanted->share) &&
            csv_table_at(table, i, address)[0] == '\0' && csv_table_at(table, i, used)[0] == '\0' &&
            board_rows_is_among(wanted->only, wanted->only_count, board_rows_line(table, i)))
            return i;
    }
    return 0;
}

/* The row at this line; 0 if there is none. */
static guint find_line(const struct csv_table *table, unsigned line)
{
    for (guint i = 1; i < table->rows->len; i++) {
        if (board_rows_line(table, i) == line)
            return i;
    }
    return 0;
}

static gboolean claim_row(struct csv_table *table, guint row, const uint8_t *eui48, GError **error)
{
    int column = csv_table_column(table, BOARD_ROWS_ADDRESS);
    g_autofree char *address = wry_units_address(eui48);

    if (column < 0)
        column = csv_table_add_column(table, BOARD_ROWS_ADDRESS);
    csv_table_set(table, row, column, address);
    return csv_table_save(table, error);
}

static GPtrArray *values_of(const struct csv_table *table, guint row)
{
    GPtrArray *values = card_values_new();
    const GArray *names = g_ptr_array_index(table->rows, 0);

    for (guint i = 0; i < names->len; i++) {
        const struct csv_field *name = &g_array_index(names, struct csv_field, i);
        const char *text = csv_table_at(table, row, (int)i);
        if (board_rows_is_setting(name->text) && text[0] != '\0')
            add_value(values, name, text);
    }
    return values;
}

bool board_table_fail_none(const char *path, const struct board_table_request *wanted,
                           GError **error)
{
    g_autofree char *address = wry_units_address(wanted->eui48);

    if (wanted->rows == CARD_ROWS_BY_ADDRESS)
        return store_error(error, WRY_STORE_ERROR_NONE, "%s: there is no row for board %s", path,
                           address);
    if (wanted->only_count > 0)
        return store_error(error, WRY_STORE_ERROR_NONE,
                           "%s: none of the rows given by --only is free for board %s", path,
                           address);
    if (wanted->share.of > 1)
        return store_error(error, WRY_STORE_ERROR_NONE,
                           "%s: no row of this kit's share (%u of %u) is free for board %s", path,
                           wanted->share.part, wanted->share.of, address);
    return store_error(error, WRY_STORE_ERROR_NONE, "%s: no row is free for board %s", path,
                       address);
}

static GPtrArray *take(struct csv_table *table, const struct board_table_request *wanted,
                       struct board_table_row *found, GError **error)
{
    guint own = find_row(table, csv_table_column(table, BOARD_ROWS_ADDRESS), wanted->eui48);
    guint row = wanted->line > 0 ? find_line(table, wanted->line) : own;

    if (row == 0 && wanted->rows == CARD_ROWS_NEXT)
        row = find_free(table, wanted);
    if (row == 0) {
        board_table_fail_none(table->path, wanted, error);
        return NULL;
    }
    found->line = board_rows_line(table, row);
    found->name = board_rows_name(table, row, wanted->names);
    if (!board_rows_is_among(wanted->only, wanted->only_count, found->line)) {
        g_autofree char *address = wry_units_address(wanted->eui48);
        store_error(error, WRY_STORE_ERROR_NONE,
                    "%s: board %s has line %u%s%s, which --only does not name", table->path,
                    address, found->line, found->name ? ", " : "", found->name ? found->name : "");
        return NULL;
    }
    if (row != own && wanted->claim && !claim_row(table, row, wanted->eui48, error))
        return NULL;
    return values_of(table, row);
}

GPtrArray *board_table_take(const char *path, const struct board_table_request *wanted,
                            struct board_table_row *found, GError **error)
{
    bool writes = wanted->claim && wanted->rows == CARD_ROWS_NEXT;
    g_autofree char *real = writes ? real_path(path, error) : NULL;
    int lock = real ? lock_table(real, error) : -1;

    *found = (struct board_table_row){0};
    if (writes && lock < 0)
        return NULL;
    struct csv_table *table = csv_table_load(path, error);
    GPtrArray *values = table ? take(table, wanted, found, error) : NULL;
    csv_table_free(table);
    if (lock >= 0)
        close(lock);
    return values;
}

gboolean board_table_mark(const char *path, unsigned line, const uint8_t eui48[WRY_EUI48_SIZE],
                          bool *taken, GError **error)
{
    g_autofree char *real = real_path(path, error);
    int lock = real ? lock_table(real, error) : -1;
    struct csv_table *table = lock >= 0 ? csv_table_load(path, error) : NULL;
    gboolean marked = FALSE;

    *taken = false;
    if (table) {
        int column = csv_table_column(table, BOARD_ROWS_ADDRESS);
        guint row = find_line(table, line), own = find_row(table, column, eui48);
        *taken = row == 0 || (own != row && (own > 0 || csv_table_at(table, row, column)[0]));
        marked = !*taken && (own == row || claim_row(table, row, eui48, error));
        if (*taken)
            store_error(error, WRY_STORE_ERROR_NONE,
                        "%s: line %u was changed while its row was assigned", path, line);
    }
    csv_table_free(table);
    if (lock >= 0)
        close(lock);
    return marked;
}

gboolean board_table_done(const char *path, const uint8_t eui48[WRY_EUI48_SIZE], const char *when,
                          GError **error)
{
    g_autofree char *real = real_path(path, error);
    int lock = real ? lock_table(real, error) : -1;
    struct csv_table *table = lock >= 0 ? csv_table_load(path, error) : NULL;
    gboolean done = FALSE;

    if (table) {
        guint row = find_row(table, csv_table_column(table, BOARD_ROWS_ADDRESS), eui48);
        int column = csv_table_column(table, BOARD_ROWS_USED);
        if (column < 0)
            column = csv_table_add_column(table, BOARD_ROWS_USED);
        if (row > 0)
            csv_table_set(table, row, column, when);
        done = row > 0 && csv_table_save(table, error);
        if (row == 0)
            store_error(error, WRY_STORE_ERROR_NONE, "%s: the board's row is gone", path);
    }
    csv_table_free(table);
    if (lock >= 0)
        close(lock);
    return done;
}
