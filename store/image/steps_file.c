/* Steps files. */
#include "store/image/steps_file.h"

#include "base/yaml_members.h"

enum {
    STEPS_MOST = 256,
};

static void free_step(void *item)
{
    struct wry_console_step *step = item;

    g_free((char *)step->send);
    g_free((char *)step->expect);
    g_free((char *)step->advice);
    g_free(step);
}

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
};
static const struct yaml_members members = {"a step", rows, G_N_ELEMENTS(rows), NULL};

static gboolean take_step(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    GPtrArray *steps = context;
    struct wry_console_step *step = g_new0(struct wry_console_step, 1);
    struct yaml_place at = yaml_text_place(item);

    g_ptr_array_add(steps, step);
    if (item->type != YAML_MAPPING_NODE)
        return yaml_text_complain(yaml, at, "a step is written {send: …, expect: …}");
    if (steps->len > STEPS_MOST)
        return yaml_text_complain(yaml, at, "more than %u steps", STEPS_MOST);
    if (!yaml_members_read(yaml, item, &members, step))
        return FALSE;
    if (!step->send && !step->expect)
        return yaml_text_complain(yaml, at, "a step sends or expects something");
    return step->expect || (step->within == 0 && !step->go_on && !step->advice) ||
           yaml_text_complain(yaml, at, "within, on-failure and advice need expect");
}

GPtrArray *steps_file_new(void)
{
    return g_ptr_array_new_with_free_func(free_step);
}

gboolean steps_file_take(struct yaml_text *yaml, const yaml_node_t *list, GPtrArray *steps)
{
    return list->type == YAML_SEQUENCE_NODE
               ? yaml_text_items(yaml, list, take_step, steps)
               : yaml_text_complain(yaml, yaml_text_place(list), "'steps' is a list");
}

static gboolean take_steps(struct yaml_text *yaml, const struct yaml_field *field)
{
    return steps_file_take(yaml, field->value, field->target);
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
