/* Tables of members. */
#include "yaml_members.h"

#include <string.h>

#include "wrytograph-host/units.h"

struct reading {
    const struct yaml_members *members;
    void *target;
};

/* Appends the i-th of n names: "lines, clock and mode", where last is " and ". */
static void append_name(GString *text, const char *name, size_t i, size_t n, const char *last)
{
    g_string_append(text, i == 0 ? "" : i + 1 == n ? last : ", ");
    g_string_append(text, name);
}

static char *list(const char *const *names, size_t n, const char *last)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < n; i++)
        append_name(text, names[i], i, n, last);
    return g_string_free(text, FALSE);
}

static char *list_members(const struct yaml_members *members)
{
    GString *text = g_string_new(members->known);

    for (size_t i = 0; i < members->n && !members->known; i++)
        append_name(text, members->rows[i].name, i, members->n, " and ");
    return g_string_free(text, FALSE);
}

static gboolean complain_unknown(struct yaml_text *yaml, const struct yaml_members *members,
                                 const yaml_node_t *key)
{
    g_autofree char *known = list_members(members);

    return yaml_text_complain(yaml, yaml_text_place(key), "%s has %s, not '%s'", members->what,
                              known, yaml_text_of(key));
}

static gboolean take_member(struct yaml_text *yaml, const yaml_node_t *key,
                            const yaml_node_t *value, void *context)
{
    const struct reading *reading = context;
    const struct yaml_members *members = reading->members;

    for (size_t i = 0; i < members->n; i++) {
        const struct yaml_member *row = &members->rows[i];
        if (strcmp(row->name, yaml_text_of(key)) == 0)
            return row->take(yaml, &(struct yaml_field){row, key, value, reading->target});
    }
    return complain_unknown(yaml, members, key);
}

gboolean yaml_members_read(struct yaml_text *yaml, const yaml_node_t *mapping,
                           const struct yaml_members *members, void *target)
{
    struct reading reading = {.members = members, .target = target};

    return yaml_text_each(yaml, mapping, take_member, &reading);
}

static void *place(const struct yaml_field *field)
{
    return (char *)field->target + field->member->at;
}

gboolean yaml_take_elsewhere(struct yaml_text *yaml, const struct yaml_field *field)
{
    (void)yaml, (void)field;
    return TRUE;
}

gboolean yaml_take_line(struct yaml_text *yaml, const struct yaml_field *field)
{
    const char *given = yaml_text_of(field->value);

    if (field->value->type != YAML_SCALAR_NODE || given[0] == '\0' || strpbrk(given, "\r\n"))
        return yaml_field_complain(yaml, field, "'%s' takes one line of text", field->member->name);
    *(char **)place(field) = g_strdup(given);
    return TRUE;
}

gboolean yaml_take_bool(struct yaml_text *yaml, const struct yaml_field *field)
{
    bool *to = place(field);

    *to = strcmp(yaml_text_of(field->value), "true") == 0;
    return *to || strcmp(yaml_text_of(field->value), "false") == 0 ||
           yaml_field_complain(yaml, field, "'%s' is true or false", field->member->name);
}

gboolean yaml_take_number(struct yaml_text *yaml, const struct yaml_field *field)
{
    const struct yaml_range *range = field->member->rule;
    guint64 found = 0;

    if (!g_ascii_string_to_unsigned(yaml_text_of(field->value), 10, range->least, range->most,
                                    &found, NULL))
        return yaml_field_complain(
            yaml, field, "'%s' is a number from %" G_GUINT64_FORMAT " to %" G_GUINT64_FORMAT,
            field->member->name, range->least, range->most);
    if (range->size == sizeof(uint8_t))
        *(uint8_t *)place(field) = (uint8_t)found;
    else if (range->size == sizeof(uint32_t))
        *(uint32_t *)place(field) = (uint32_t)found;
    else
        *(uint64_t *)place(field) = found;
    return TRUE;
}

gboolean yaml_take_choice(struct yaml_text *yaml, const struct yaml_field *field)
{
    const char *const *names = field->member->rule;
    unsigned n = 0;

    for (; names[n]; n++) {
        if (strcmp(yaml_text_of(field->value), names[n]) == 0) {
            *(unsigned *)place(field) = n;
            return TRUE;
        }
    }
    g_autofree char *known = list(names, n, " or ");
    return yaml_field_complain(yaml, field, "'%s' is %s", field->member->name, known);
}

gboolean yaml_take_time(struct yaml_text *yaml, const struct yaml_field *field)
{
    const char *text = yaml_text_of(field->value);

    return wry_units_parse_time(text, place(field)) ||
           yaml_field_complain(yaml, field, "'%s' is not a time: write it in seconds, such as 5s",
                               text);
}

gboolean yaml_take_offset(struct yaml_text *yaml, const struct yaml_field *field)
{
    const char *text = yaml_text_of(field->value);

    return wry_units_parse_offset(text, place(field)) ||
           yaml_field_complain(yaml, field, "'%s' is not an offset: write it as 0x40000 or 256K",
                               text);
}

gboolean yaml_take_speed(struct yaml_text *yaml, const struct yaml_field *field)
{
    const char *text = yaml_text_of(field->value);

    return wry_units_parse_speed(text, place(field)) ||
           yaml_field_complain(yaml, field, "'%s' is not a speed in baud", text);
}

gboolean yaml_take_mapping(struct yaml_text *yaml, const struct yaml_field *field)
{
    const struct yaml_shape *shape = field->member->rule;

    if (field->value->type != YAML_MAPPING_NODE)
        return yaml_field_complain(yaml, field, "this is written %s", shape->written);
    return yaml_members_read(yaml, field->value, shape->members, field->target);
}
