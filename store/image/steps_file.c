/* Steps files. */
#include "store/image/steps_file.h"

#include <string.h>

#include "base/yaml_members.h"

enum {
    STEPS_MOST = 256,
};

struct loaded {
    struct wry_console_step step; /* first: what the array holds */
    struct wry_console_transfer transfer;
    const struct steps_files *files; /* while it is read */
};

static void free_step(void *item)
{
    struct loaded *loaded = item;

    g_free((char *)loaded->step.send);
    g_free((char *)loaded->step.expect);
    g_free((char *)loaded->step.advice);
    g_free((char *)loaded->transfer.file);
    g_free(loaded);
}

const struct wry_console_transfer *wry_console_step_transfer(const struct wry_console_step *step)
{
    const struct loaded *loaded = (const struct loaded *)(const void *)step;

    return loaded->transfer.file ? &loaded->transfer : NULL;
}

bool steps_file_transfers(const GPtrArray *steps)
{
    for (guint i = 0; i < steps->len; i++) {
        if (wry_console_step_transfer(g_ptr_array_index(steps, i)))
            return true;
    }
    return false;
}

/* Transfers. */

static gboolean take_file(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct loaded *loaded = field->target;
    char *path = (char *)loaded->transfer.file;
    gboolean good = loaded->files->find(yaml, field->value, &path, loaded->files->context);

    loaded->transfer.file = path;
    return good;
}

/* A file that is to come, in the folder of the steps file. */
static char *beside(const struct yaml_text *yaml, const char *written)
{
    g_autofree char *folder = g_path_get_dirname(yaml->path);

    return g_path_is_absolute(written) || strcmp(folder, ".") == 0
               ? g_strdup(written)
               : g_build_filename(folder, written, NULL);
}

static gboolean take_place(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct loaded *loaded = field->target;
    const char *written = yaml_text_of(field->value);

    if (written[0] == '\0')
        return yaml_field_complain(yaml, field, "a file is named here");
    loaded->transfer.file = beside(yaml, written);
    return TRUE;
}

static gboolean take_protocol(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct loaded *loaded = field->target;
    unsigned which = 0;

    if (!yaml_take_choice(yaml,
                          &(struct yaml_field){field->member, field->key, field->value, &which}))
        return FALSE;
    loaded->transfer.small = which == 1;
    return TRUE;
}

#define TRANSFER(name)                                                                             \
    (offsetof(struct loaded, transfer) + offsetof(struct wry_console_transfer, name))

static const char *const protocols[] = {"xmodem-1k", "xmodem", NULL};
static const struct yaml_member transfer_rows[] = {
    {"file", take_file, 0, NULL},
    {"by", take_protocol, 0, protocols},
    {"within", yaml_take_time, TRANSFER(within), NULL},
};
static const struct yaml_members transfer_members = {"'transfer'", transfer_rows,
                                                     G_N_ELEMENTS(transfer_rows), NULL};
static const struct yaml_range sizes = {1, 64 << 20, sizeof(uint32_t)};
static const struct yaml_member receive_rows[] = {
    {"file", take_place, 0, NULL},
    {"by", take_protocol, 0, protocols},
    {"within", yaml_take_time, TRANSFER(within), NULL},
    {"size", yaml_take_number, TRANSFER(size), &sizes},
};
static const struct yaml_members receive_members = {"'receive'", receive_rows,
                                                    G_N_ELEMENTS(receive_rows), NULL};

static gboolean take_either(struct yaml_text *yaml, const struct yaml_field *field,
                            const struct yaml_members *members)
{
    struct loaded *loaded = field->target;

    if (loaded->transfer.file)
        return yaml_field_complain(yaml, field, "a step transfers one file");
    if (field->value->type != YAML_MAPPING_NODE)
        return yaml_field_complain(yaml, field, "this is written {file: …}");
    if (!yaml_members_read(yaml, field->value, members, loaded))
        return FALSE;
    return loaded->transfer.file || yaml_field_complain(yaml, field, "'file' is missing");
}

static gboolean take_transfer(struct yaml_text *yaml, const struct yaml_field *field)
{
    return take_either(yaml, field, &transfer_members);
}

static gboolean take_receive(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct loaded *loaded = field->target;

    if (loaded->files->for_many)
        return yaml_field_complain(
            yaml, field,
            "'receive' is for a steps file: a card is for many boards, and this for one");
    loaded->transfer.receives = true;
    return take_either(yaml, field, &receive_members);
}

/* Steps. */

static gboolean take_failure(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct wry_console_step *step = field->target;
    unsigned which = 0;

    if (!yaml_take_choice(yaml,
                          &(struct yaml_field){field->member, field->key, field->value, &which}))
        return FALSE;
    step->go_on = which == 1;
    return TRUE;
}

static const char *const failures[] = {"stop", "go-on", NULL};
static const struct yaml_member rows[] = {
    {"send", yaml_take_line, offsetof(struct wry_console_step, send), NULL},
    {"expect", yaml_take_line, offsetof(struct wry_console_step, expect), NULL},
    {"within", yaml_take_time, offsetof(struct wry_console_step, within), NULL},
    {"on-failure", take_failure, 0, failures},
    {"advice", yaml_take_line, offsetof(struct wry_console_step, advice), NULL},
    {"transfer", take_transfer, 0, NULL},
    {"receive", take_receive, 0, NULL},
};
static const struct yaml_members members = {"a step", rows, G_N_ELEMENTS(rows), NULL};

struct list {
    const struct steps_files *files;
    GPtrArray *steps;
};

static gboolean take_step(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    const struct list *list = context;
    struct loaded *loaded = g_new0(struct loaded, 1);
    const struct wry_console_step *step = &loaded->step;
    struct yaml_place at = yaml_text_place(item);

    loaded->files = list->files;
    g_ptr_array_add(list->steps, loaded);
    if (item->type != YAML_MAPPING_NODE)
        return yaml_text_complain(yaml, at, "a step is written {send: …, expect: …}");
    if (list->steps->len > STEPS_MOST)
        return yaml_text_complain(yaml, at, "more than %u steps", STEPS_MOST);
    if (!yaml_members_read(yaml, item, &members, loaded))
        return FALSE;
    if (!step->send && !step->expect && !loaded->transfer.file)
        return yaml_text_complain(yaml, at, "a step sends, expects or transfers something");
    return step->expect || (step->within == 0 && !step->go_on && !step->advice) ||
           yaml_text_complain(yaml, at, "within, on-failure and advice need expect");
}

GPtrArray *steps_file_new(void)
{
    return g_ptr_array_new_with_free_func(free_step);
}

gboolean steps_file_take(struct yaml_text *yaml, const yaml_node_t *list,
                         const struct steps_files *files, GPtrArray *steps)
{
    struct list items = {.files = files, .steps = steps};

    return list->type == YAML_SEQUENCE_NODE
               ? yaml_text_items(yaml, list, take_step, &items)
               : yaml_text_complain(yaml, yaml_text_place(list), "'steps' is a list");
}

static gboolean find_beside(struct yaml_text *yaml, const yaml_node_t *value, char **path,
                            const void *context)
{
    const char *written = yaml_text_of(value);

    (void)context;
    g_clear_pointer(path, g_free);
    if (written[0] == '\0')
        return yaml_text_complain(yaml, yaml_text_place(value), "a file is named here");
    *path = beside(yaml, written);
    return g_file_test(*path, G_FILE_TEST_EXISTS) ||
           yaml_text_complain(yaml, yaml_text_place(value), "there is no file '%s'", written);
}

static gboolean take_steps(struct yaml_text *yaml, const struct yaml_field *field)
{
    static const struct steps_files files = {.find = find_beside};

    return steps_file_take(yaml, field->value, &files, field->target);
}

static const struct yaml_member root_rows[] = {{"steps", take_steps, 0, NULL}};
static const struct yaml_members root_members = {"a steps file", root_rows, 1, "'steps:'"};

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    GPtrArray *steps = context;

    if (!yaml_members_read(yaml, root, &root_members, steps))
        return FALSE;
    return steps->len > 0 || yaml_text_complain(yaml, YAML_TEXT_START, "there are no steps");
}

GPtrArray *wry_console_steps_load(const char *path, GError **error)
{
    GPtrArray *steps = steps_file_new();

    if (yaml_text_load(path, "a steps file", read_root, steps, error))
        return steps;
    g_ptr_array_unref(steps);
    return NULL;
}

bool steps_file_is_one(const char *path)
{
    return yaml_text_has_key(path, "steps");
}
