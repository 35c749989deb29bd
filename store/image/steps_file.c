/* Steps files. */
#include "store/image/steps_file.h"

#include <string.h>

#include "store/text/yaml_text.h"
#include "wrytograph-host/units.h"

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

static gboolean take_text(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                          const char **text)
{
    const char *given = yaml_text_of(value);

    if (value->type != YAML_SCALAR_NODE || given[0] == '\0' || strpbrk(given, "\r\n"))
        return yaml_text_complain(yaml, yaml_text_place(value), "'%s' takes one line of text",
                                  yaml_text_of(key));
    *text = g_strdup(given);
    return TRUE;
}

static gboolean take_member(struct yaml_text *yaml, const yaml_node_t *key,
                            const yaml_node_t *value, void *context)
{
    struct wry_console_step *step = context;
    const char *name = yaml_text_of(key), *text = yaml_text_of(value);

    if (strcmp(name, "send") == 0)
        return take_text(yaml, key, value, &step->send);
    if (strcmp(name, "expect") == 0)
        return take_text(yaml, key, value, &step->expect);
    if (strcmp(name, "advice") == 0)
        return take_text(yaml, key, value, &step->advice);
    if (strcmp(name, "within") == 0)
        return wry_units_parse_time(text, &step->within) ||
               yaml_text_complain(yaml, yaml_text_place(value),
                                  "'%s' is no time: write it in seconds, such as 5s", text);
    if (strcmp(name, "on-failure") == 0) {
        step->go_on = strcmp(text, "go-on") == 0;
        return step->go_on || strcmp(text, "stop") == 0 ||
               yaml_text_complain(yaml, yaml_text_place(value), "'on-failure' is stop or go-on");
    }
    return yaml_text_complain(yaml, yaml_text_place(key),
                              "a step has send, expect, within, on-failure and advice, not '%s'",
                              name);
}

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
    if (!yaml_text_each(yaml, item, take_member, step))
        return FALSE;
    if (!step->send && !step->expect)
        return yaml_text_complain(yaml, at, "a step sends or expects something");
    return step->expect || (step->within == 0 && !step->go_on && !step->advice) ||
           yaml_text_complain(yaml, at, "within, on-failure and advice are for what is expected");
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

static gboolean take_root(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                          void *context)
{
    if (strcmp(yaml_text_of(key), "steps") != 0)
        return yaml_text_complain(yaml, yaml_text_place(key), "a steps file has 'steps:', not '%s'",
                                  yaml_text_of(key));
    return steps_file_take(yaml, value, context);
}

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    GPtrArray *steps = context;

    if (!yaml_text_each(yaml, root, take_root, steps))
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
